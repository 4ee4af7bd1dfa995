"""A tool in use, and what it comes to: how brushes, painting and picking look to a desk."""

from __future__ import annotations

import threading
from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.sculpt.session import Dab
from plethos.core.skeleton.pose import Pose
from plethos.service.library.version import HeldSculpt, Version


@dataclass(frozen=True)
class Stored:
    """What a stroke comes to when it is stored.

    Parameters
    ----------
    label
        Of the edit.
    character
        The character after it.
    sculpt
        The sculpt in progress after it, if there is one.
    """

    label: str
    character: Character
    sculpt: HeldSculpt | None = None


class ToolStroke(ABC):
    """A tool in use: it changes a copy of its own, which the person's frames show until it is stored.

    What a tool does not change is as in the version.

    Parameters
    ----------
    version
        What it began on.
    """

    def __init__(self, version: Version) -> None:
        self.version = version
        self.hands = threading.Lock()
        """Held while it is touched or worked out, since others look on from their own threads."""

    @abstractmethod
    def touch(self, pose: Pose, settings: Any, dabs: Sequence[Dab]) -> None:
        """Let the tool touch the skin in a pose, so many times.

        Raises
        ------
        PlethosError
            For settings that are nonsense; then nothing of these touches counts.
        """

    @abstractmethod
    def stored(self, version: Version) -> Stored:
        """What it comes to on a version: the one that it began on, or what others have made of that meanwhile.

        Raises
        ------
        OvertakenError
            When it does not fit on that.
        """

    def evaluator(self) -> Evaluator | None:
        """What the skin is worked out by meanwhile; None = by the version."""
        return None

    def points(self) -> NDArray[np.floating] | None:
        """The skin ``(V, 3)`` under the tool where that is not a pose of the character; None = it is."""
        return None

    def channels(self) -> NDArray[np.floating] | None:
        """The channels ``(V, C)`` under the tool (a stroke's width); None = as they are without it."""
        return None

    def weights(self) -> sparse.csr_matrix | None:
        """Weights ``(V, J)`` under the tool; None = those of the version."""
        return None

    def weights_of(self, joint: int) -> NDArray[np.float32] | None:
        """One joint's weights ``(V,)`` under the tool, kept at hand for every frame; None = those of the version."""
        return None

    def picked(self) -> NDArray[np.float32] | None:
        """What is picked ``(V,)`` under the tool; None = as in the version."""
        return None

    def mask(self) -> tuple[str, NDArray[np.float32]] | None:
        """The id of a remedy whose mask ``(V,)`` is under the tool, and that mask; None = none is."""
        return None

    def shown(self, pose: Pose, points: NDArray[np.floating]) -> None:
        """Be told what a frame shows: the next touch goes over it."""
        return None


class Tool(Protocol):
    """What strokes are made with."""

    def begin(self, version: Version, settings: Any) -> ToolStroke:
        """A stroke on a version.

        Raises
        ------
        BadEditError
            When it cannot be used now.
        """
        ...
