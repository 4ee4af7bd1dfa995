"""Which joint a proposal is for."""

from __future__ import annotations

from plethos.core.propose.held import furthest_turned
from plethos.core.skeleton.pose import Pose
from plethos.service.library.version import Version


def joint_of(version: Version, pose: Pose, joint: str | None) -> int:
    """The joint of that name; without a name, the one that is turned furthest and bends skin.

    Raises
    ------
    BadEditError
        When none is.
    """
    character = version.character
    return furthest_turned(character, pose) if joint is None else character.skeleton.find(joint)
