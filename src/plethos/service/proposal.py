"""What every proposal of the program has in common: which joint it is for, and how it is stored."""

from __future__ import annotations

from plethos.core.character import Character
from plethos.core.propose.held import furthest_turned
from plethos.core.skeleton.skeleton import Pose
from plethos.service.open_character import OpenCharacter
from plethos.service.version import HeldSculpt, OvertakenError, Version
from plethos.service.workbench import Workbench


def joint_of(version: Version, pose: Pose, joint: str | None) -> int:
    """The joint of that name; without a name, the one that is turned furthest and bends skin.

    Raises
    ------
    BadEditError
        When none is.
    """
    character = version.character
    return furthest_turned(character, pose) if joint is None else character.skeleton.find(joint)


def put(
    workbench: Workbench,
    opened: OpenCharacter,
    version: Version,
    label: str,
    character: Character,
    sculpt: HeldSculpt | None = None,
) -> Version:
    """Store what was worked out of a version, if that is still the current one."""
    with opened.editing:
        now = opened.version
        if now.character is not version.character or now.sculpt is not version.sculpt:
            raise OvertakenError
        return workbench.commit(opened, label, character, sculpt)
