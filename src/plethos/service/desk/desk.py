"""What one person has in hand on a character: a stroke in the air, and a preview of what is not stored."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.evaluate import NONE, Evaluator
from plethos.core.rules.triggers import Trigger, trigger_from_document
from plethos.core.sculpt.session import Dab
from plethos.core.skeleton.names import new_id
from plethos.core.skeleton.pose import Pose
from plethos.service.edits.rule_edits import with_body
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.stroke import Tool, ToolStroke
from plethos.service.library.version import OvertakenError, Version
from plethos.service.library.workbench import Workbench

Points = NDArray[np.float32]


@dataclass(eq=False)
class Desk:
    """One person at work on a character, by one socket.

    Parameters
    ----------
    opened
        The character.
    tools
        What can be used, by name.
    page
        Which page the person has before them: it goes on after its socket broke.
    """

    opened: OpenCharacter
    tools: Mapping[str, Tool]
    page: str = field(default_factory=new_id)
    stroke: ToolStroke | None = None
    _stroke_tool: str = ""
    _body: tuple[tuple[Version, str, Mapping[str, Any]], Evaluator] | None = None
    _preview: tuple[tuple[Version, str, Mapping[str, Any]], tuple[Evaluator, Trigger]] | None = None
    _without: tuple[Version, Pose, Points] | None = None

    @property
    def seen(self) -> ToolStroke | None:
        """The stroke that the person sees: the own one, else that of the page which edits."""
        other = self.opened.stroke
        return self.stroke or (other if other is not None and other.version is self.opened.version else None)

    @property
    def version(self) -> Version:
        """What the person sees: the current version, or the one that the stroke in the air began on.

        Raises
        ------
        NotThereError
            When the character was deleted.
        """
        self.opened.refuse_when_gone()
        return self.opened.version if self.stroke is None else self.stroke.version

    def touch(self, version: Version, tool: str, pose: Pose, settings: Any, dabs: Sequence[Dab]) -> None:
        """Begin a stroke on a version, or go on with the one in the air.

        Raises
        ------
        BadEditError
            For a tool that is not there, or settings that are nonsense: then the stroke is as it was before. When
            another page has the character in hand.
        """
        if tool not in self.tools:
            raise BadEditError(f"There is no tool called “{tool}”; there are {', '.join(self.tools)}.")
        if self.stroke is not None and self._stroke_tool != tool:
            raise BadEditError("Another stroke is in the air: end it first.")
        self.opened.take(self.page)
        stroke = self.stroke or self.tools[tool].begin(version, settings)
        with stroke.hands:
            stroke.touch(pose, settings, dabs)
        self.stroke, self._stroke_tool = stroke, tool
        self.opened.lease.stroke(self.page, True)
        self.opened.show_stroke(self, stroke)

    def end_stroke(self, workbench: Workbench) -> Version:
        """Store the stroke, on top of what others have stored since it began; only then is it safe and can be undone.

        Returns
        -------
        Version
            What came of it; the current one when there was no stroke.

        Raises
        ------
        BadEditError
            When it does not fit any more, or another page has taken over: then nothing is stored.
        """
        stroke, self.stroke = self.stroke, None
        self.opened.refuse_when_gone()
        if stroke is None:
            return self.opened.version
        try:
            return self._store(stroke, workbench.of(self.page))
        except OvertakenError:
            # Another process was faster: what it stored is shown by now.
            return self._store(stroke, workbench.of(self.page))
        finally:
            self.opened.lease.stroke(self.page, False)
            self._show_no_more(stroke)

    def _store(self, stroke: ToolStroke, workbench: Workbench) -> Version:
        with self.opened.editing:
            done = stroke.stored(self.opened.version)
            return workbench.commit(self.opened, done.label, done.character, done.sculpt)

    def leave(self) -> None:
        """Leave the desk: a stroke in the air ends with it, as if it had never been made."""
        stroke, self.stroke = self.stroke, None
        if stroke is not None:
            self._show_no_more(stroke)

    def _show_no_more(self, stroke: ToolStroke) -> None:
        if self.opened.stroke is stroke:
            self.opened.show_stroke(self, None)

    def without(self, version: Version, pose: Pose) -> Points:
        """The points ``(V, 3)`` of a version in a pose, no remedy acting.

        The pose stands still while a knot, a stop or a number is dragged: they are worked out once.
        """
        known = self._without
        if known is None or known[0] is not version or not known[1].same(pose):
            known = self._without = (version, pose, version.evaluator.pose(pose, NONE).points)
        return known[2]

    def preview(self, version: Version, remedy_id: str, trigger: Mapping[str, Any]) -> tuple[Evaluator, Trigger]:
        """A version with a trigger that is being changed, not stored yet; and that trigger.

        A knot that is dragged compiles nothing anew; another joint compiles the rules. Nothing is laid out for either.
        """
        asked = (version, remedy_id, trigger)
        if self._preview is not None and self._preview[0] == asked:
            return self._preview[1]
        character = version.character
        remedy = character.rules.remedy(remedy_id)
        own = character.rules.trigger_of(remedy)
        number = f"{remedy_id}-preview" if own is None else own.id
        fresh = trigger_from_document({**trigger, "id": number}, character.skeleton)
        evaluator = version.evaluator.trying(fresh)
        if evaluator is None:
            rules = character.rules.tied(remedy_id, fresh)
            evaluator = Evaluator.of(dataclasses.replace(character, rules=rules), version.evaluator)
        self._preview = (asked, (evaluator, fresh))
        return evaluator, fresh

    def preview_body(self, version: Version, remedy_id: str, changes: Mapping[str, Any]) -> Evaluator:
        """A version with a remedy whose numbers or rules are being changed, not stored yet."""
        asked = (version, remedy_id, changes)
        if self._body is None or self._body[0] != asked:
            character = with_body(version.character, remedy_id, changes)
            self._body = (asked, Evaluator.of(character, version.evaluator))
        return self._body[1]
