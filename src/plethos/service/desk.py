"""What one person has in hand on a character: a stroke in the air, and a preview of what is not stored."""

from __future__ import annotations

import dataclasses
from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.sculpt.session import Dab
from plethos.core.skeleton import Pose
from plethos.core.triggers import Trigger, trigger_from_document
from plethos.service.open_character import OpenCharacter
from plethos.service.version import HeldSculpt, Version
from plethos.service.workbench import Workbench


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


class Stroke(ABC):
    """A tool in use: it changes a copy of its own, which the person's frames show until it is stored.

    What a tool does not change is as in the version.

    Parameters
    ----------
    version
        What it began on.
    """

    def __init__(self, version: Version) -> None:
        self.version = version

    @abstractmethod
    def touch(self, pose: Pose, settings: Any, dabs: Sequence[Dab]) -> None:
        """Let the tool touch the skin in a pose, so many times.

        Raises
        ------
        PlethosError
            For settings that are nonsense; then nothing of these touches counts.
        """

    @abstractmethod
    def stored(self) -> Stored:
        """What it comes to."""

    def evaluator(self) -> Evaluator | None:
        """What the skin is worked out by meanwhile; None = by the version."""
        return None

    def points(self) -> NDArray[np.floating] | None:
        """The skin ``(V, 3)`` under the tool where that is not a pose of the character; None = it is."""
        return None

    def weights(self) -> NDArray[np.floating] | None:
        """Weights ``(V, J)`` under the tool; None = those of the version."""
        return None

    def weights_of(self, joint: int) -> NDArray[np.float32] | None:
        """One joint's weights ``(V,)`` under the tool, kept at hand for every frame; None = those of the version."""
        return None

    def picked(self) -> NDArray[np.float32] | None:
        """What is picked ``(V,)`` under the tool; None = as in the version."""
        return None

    def shown(self, pose: Pose, points: NDArray[np.floating]) -> None:
        """Be told what a frame shows: the next touch goes over it."""
        return None


class Tool(Protocol):
    """What strokes are made with."""

    def begin(self, version: Version, settings: Any) -> Stroke:
        """A stroke on a version.

        Raises
        ------
        BadEditError
            When it cannot be used now.
        """
        ...


@dataclass
class Desk:
    """One person at work on a character, by one socket.

    Parameters
    ----------
    opened
        The character.
    tools
        What can be used, by name.
    person
        Who it is, for others to read.
    """

    opened: OpenCharacter
    tools: Mapping[str, Tool]
    person: str = ""
    stroke: Stroke | None = None
    _stroke_tool: str = ""
    _preview: tuple[tuple[Version, str, Mapping[str, Any]], tuple[Evaluator, Trigger]] | None = None

    @property
    def version(self) -> Version:
        """What the person sees: the current version, or the one that the stroke in the air began on."""
        return self.opened.version if self.stroke is None else self.stroke.version

    def touch(self, version: Version, tool: str, pose: Pose, settings: Any, dabs: Sequence[Dab]) -> None:
        """Begin a stroke on a version, or go on with the one in the air.

        Raises
        ------
        BadEditError
            For a tool that is not there, or settings that are nonsense: then the stroke is as it was before.
        """
        if tool not in self.tools:
            raise BadEditError(f"There is no tool called “{tool}”; there are {', '.join(self.tools)}.")
        if self.stroke is not None and self._stroke_tool != tool:
            raise BadEditError("Another stroke is in the air: end it first.")
        stroke = self.stroke or self.tools[tool].begin(version, settings)
        stroke.touch(pose, settings, dabs)
        self.stroke, self._stroke_tool = stroke, tool

    def end_stroke(self, workbench: Workbench) -> None:
        """Store the stroke; only then is it safe and can be undone. A stroke that was refused leaves nothing.

        Raises
        ------
        BadEditError
            When the character was changed since it began: then it is not stored.
        """
        stroke, self.stroke = self.stroke, None
        if stroke is not None:
            done = stroke.stored()
            workbench.commit(self.opened, done.label, done.character, done.sculpt, made_of=stroke.version)

    def preview(self, version: Version, remedy_id: str, trigger: Mapping[str, Any]) -> tuple[Evaluator, Trigger]:
        """A version with a trigger that is being changed, not stored yet; and that trigger.

        A knot that is dragged compiles nothing anew; another joint compiles the rules. Nothing is laid out for either.
        """
        asked = (version, remedy_id, trigger)
        if self._preview is not None and self._preview[0] == asked:
            return self._preview[1]
        character = version.character
        remedy = character.rules.remedy(remedy_id)
        fresh = trigger_from_document({**trigger, "id": remedy.by or f"{remedy_id}-preview"}, character.skeleton)
        evaluator = version.evaluator.trying(fresh)
        if evaluator is None:
            rules = character.rules.tied(remedy_id, fresh)
            evaluator = Evaluator.of(dataclasses.replace(character, rules=rules), version.evaluator)
        self._preview = (asked, (evaluator, fresh))
        return evaluator, fresh
