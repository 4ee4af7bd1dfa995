"""One version of a character, made ready: swapped whole, so that whoever reads it takes no lock."""

from __future__ import annotations

import json
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.arrays import Arrays
from plethos.core.character import Character
from plethos.core.errors import BadEditError, BadPoseError
from plethos.core.evaluate import ALL, Acting, Evaluator, Posed
from plethos.core.findings.finding import Finding
from plethos.core.findings.findings import findings_of
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import NOWHERE, is_somewhere
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.clipping import Crossings
from plethos.core.measure.contact_counter import ContactCounter
from plethos.core.measure.depth import DepthField
from plethos.core.measure.picked import PickedPatch
from plethos.core.measure.skin_fields import SkinFields
from plethos.core.rules.remedies import Remedy
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_from_json
from plethos.service.library.documents import SculptNote
from plethos.service.library.sculpt_blocks import SculptBlocks
from plethos.store.revision import Revision

OVERTAKEN = "The character was changed meanwhile by other work: look, and do it again."


class OvertakenError(BadEditError):
    """An edit that was made of a version which is not the current one any more, and does not fit on that."""

    def __init__(self) -> None:
        super().__init__(OVERTAKEN)


@dataclass(frozen=True, eq=False)
class HeldSculpt:
    """A sculpt in progress as it is stored: what the next stroke starts from.

    Parameters
    ----------
    note
        What is stored of it.
    pose
        The held pose.
    base
        The character in it, without the remedy that is sculpted.
    start
        Posed points ``(V, 3)`` float64 when the session began.
    points
        The same after the strokes so far: as they are read again, which is `start` with `offsets` on it.
    offsets
        What the strokes have moved ``(V, 3)``, as it is stored; zeros before the first.
    start_channels, channels, widened
        The channels ``(V, C)`` then and now, and what was added; None where the character has none.
    kept
        What is stored of the strokes, or of those before; None where nothing is.
    """

    note: SculptNote
    pose: Pose
    base: Posed
    start: Array
    points: Array
    offsets: Array
    start_channels: Array | None = None
    channels: Array | None = None
    widened: Array | None = None
    kept: SculptBlocks | None = None

    @classmethod
    def of(
        cls, note: SculptNote, evaluator: Evaluator, offsets: Array | None, widened: Array | None = None
    ) -> HeldSculpt:
        """The session that a note describes; `offsets` ``(V, 3)`` and `widened` ``(V, C)`` from its start, when strokes
        were stored."""
        character = evaluator.character
        pose = pose_from_json(character.skeleton, json.dumps(note.pose))
        rules = character.rules
        acting = ALL
        others = ALL
        if note.remedy_id is not None:
            edited = rules.remedy(note.remedy_id)
            on = [r.id for r in rules.on if r.id != edited.id]
            acting, others = Acting.these(*on, edited.id), Acting.these(*on)
        posed = evaluator.pose(pose, acting)
        start = posed.exact_points()
        given = None if posed.channels is None else posed.channels.astype(np.float64)
        if not is_somewhere(start):
            raise BadPoseError(NOWHERE)
        none = np.zeros_like(start)
        bare = cls(note, pose, evaluator.pose(pose, others), start, start, none, given, given, None)
        return bare if offsets is None else bare.at(note, offsets, widened)

    @classmethod
    def stored(cls, note: SculptNote, evaluator: Evaluator, arrays: Arrays, before: HeldSculpt | None) -> HeldSculpt:
        """The session that a note describes, with the strokes that it names; `before` = the one that is shown."""
        count = len(evaluator.character.mesh)
        if isinstance(note.offsets, str):  # of before there were blocks: stored anew in such
            kept, read = None, SculptBlocks.got(arrays, [note.offsets], count)
        else:
            kept = read = SculptBlocks.got(arrays, note.offsets or [], count)
        if before is not None and before.goes_on(note):
            return replace(before.at(note, read.offsets, read.widened), kept=kept)
        if not note.offsets:
            return cls.of(note, evaluator, None)
        return replace(cls.of(note, evaluator, read.offsets, read.widened), kept=kept)

    def noted(self, arrays: Arrays) -> HeldSculpt:
        """The same with its strokes put among the arrays that are stored."""
        if self.note.strokes == 0:
            return self
        widened = self.widened
        if self.channels is not None and widened is None:
            widened = np.zeros_like(self.channels)
        kept = SculptBlocks.put(arrays, self.offsets, widened, self.kept)
        return replace(self, note=replace(self.note, offsets=kept.refs), kept=kept)

    def goes_on(self, note: SculptNote) -> bool:
        """Whether that is the same session, with more strokes or fewer."""
        own = self.note
        return (own.pose, own.remedy_id, own.between) == (note.pose, note.remedy_id, note.between)

    def after(self, note: SculptNote, points: Array, channels: Array | None = None) -> HeldSculpt:
        """The same session with one more stroke."""
        # What did not move keeps its offset to the last bit: it is stored as what changed.
        stays = (points == self.points).all(axis=1)
        offsets = np.where(stays[:, None], self.offsets, points - self.start)
        widened = self.widened
        if channels is not None and self.channels is not None and self.start_channels is not None:
            before = np.zeros_like(channels) if widened is None else widened
            widened = np.where(channels == self.channels, before, channels - self.start_channels)
        return self.at(note, offsets, widened)

    def at(self, note: SculptNote, offsets: Array, widened: Array | None) -> HeldSculpt:
        """The same session with these offsets ``(V, 3)``, and ``(V, C)`` added to the channels."""
        given = self.start_channels
        channels = given if given is None or widened is None else given + widened
        points = self.start + offsets
        return replace(self, note=note, points=points, offsets=offsets, channels=channels, widened=widened)

    @property
    def is_changed(self) -> NDArray[np.bool_]:
        """Which vertices ``(V,)`` its strokes have changed."""
        changed = (self.points != self.start).any(axis=1)
        if self.channels is not None and self.start_channels is not None:
            changed |= (self.channels != self.start_channels).any(axis=1)
        return np.asarray(changed, np.bool_)


@dataclass(eq=False)
class VersionMeasures:
    """What is measured on a version, found when asked for and taken over from the version before where it can be."""

    character: Character
    _bends: dict[int, BendMeasure] = field(default_factory=dict)
    _before: dict[int, BendMeasure] = field(default_factory=dict)
    _bendless: dict[int, str] = field(default_factory=dict)  # and why
    _depth: DepthField | None = None
    _contacts: ContactCounter | None = None
    _skin_fields: SkinFields | None = None
    _found: dict[Remedy, tuple[object, list[Finding]]] = field(default_factory=dict)
    _found_before: dict[Remedy, tuple[object, list[Finding]]] = field(default_factory=dict)

    def of_next(self, character: Character) -> VersionMeasures:
        """The measures of the version that follows this one."""
        now, was = character, self.character
        same = now.mesh is was.mesh and now.binding is was.binding and now.skeleton is was.skeleton
        return VersionMeasures(
            character,
            _before={**self._before, **self._bends} if same else {},
            _depth=self._depth if now.skeleton is was.skeleton and now.mesh is was.mesh else None,
            _contacts=self._contacts if now.mesh is was.mesh else None,
            _skin_fields=self._skin_fields if now.mesh is was.mesh else None,
            _found_before=dict(self._found) if same else {},
        )

    def bend(self, joint: int) -> BendMeasure:
        """The measures of a joint's region.

        Raises
        ------
        BadEditError
            When the joint bends no skin.
        """
        if joint in self._bendless:  # every frame asks
            raise BadEditError(self._bendless[joint])
        found = self._bends.get(joint)
        if found is None:
            try:
                found = self._bends[joint] = BendMeasure.of(self.character, joint, self._before.get(joint))
            except BadEditError as error:
                self._bendless[joint] = error.sentence
                raise
        return found

    def skin_round(self, joint: int) -> int:
        """How many vertices the region of a joint holds; 0 where it bends no skin."""
        try:
            return len(self.bend(joint).site.vertices)
        except BadEditError:
            return 0

    def knows(self, joint: int) -> bool:
        """Whether a joint's region was found already, or found to be none: a frame does not wait for it."""
        return joint in self._bends or joint in self._bendless

    @property
    def depth(self) -> DepthField:
        """The bones under each vertex."""
        if self._depth is None:
            self._depth = DepthField.of(self.character, self.character.mesh.rest)
        return self._depth

    @property
    def contacts(self) -> ContactCounter:
        """Counts crossing triangles."""
        if self._contacts is None:
            self._contacts = ContactCounter(self.skin_fields.crossings)
        return self._contacts

    @property
    def skin_fields(self) -> SkinFields:
        """What is measured of the skin at each vertex."""
        if self._skin_fields is None:
            self._skin_fields = SkinFields(Crossings(self.character.mesh))
        return self._skin_fields

    def findings_of(self, evaluator: Evaluator, remedy: Remedy) -> list[Finding]:
        """What is wrong with a remedy; worked out once for it, its trigger and its group as they are."""
        rules = self.character.rules
        ground = (rules.trigger_of(remedy), next((g for g in rules.groups if g.id == remedy.group), None))
        known = self._found.get(remedy) or self._found_before.get(remedy)
        if known is None or known[0] != ground:
            known = (ground, findings_of(evaluator, remedy))
        self._found[remedy] = known
        return known[1]

    @cached_property
    def patch(self) -> PickedPatch:
        """What is picked, made ready to be measured."""
        return PickedPatch.of(self.character, self.character.mesh.rest)


@dataclass(frozen=True, eq=False)
class Version:
    """A character at one revision.

    Parameters
    ----------
    revision
        What is stored.
    evaluator
        What it describes, made ready.
    sculpt
        The sculpt in progress.
    change
        What became of the joints since the version before: the new name by the old, None for one that is gone; empty
        when the joints are the same.
    """

    revision: Revision
    evaluator: Evaluator
    measures: VersionMeasures
    sculpt: HeldSculpt | None = None
    change: dict[str, str | None] = field(default_factory=dict)

    def next(
        self,
        revision: Revision,
        evaluator: Evaluator,
        sculpt: HeldSculpt | None,
        change: dict[str, str | None],
    ) -> Version:
        """The version that follows this one; what does not differ is taken over."""
        return Version(revision, evaluator, self.measures.of_next(evaluator.character), sculpt, change)

    @property
    def character(self) -> Character:
        """What it describes."""
        return self.evaluator.character

    def findings_of(self, remedy: Remedy) -> list[Finding]:
        """What is wrong with one of its remedies, whatever the pose."""
        return self.measures.findings_of(self.evaluator, remedy)

    @property
    def rest(self) -> NDArray[np.float32]:
        """The points ``(V, 3)`` in the world at rest."""
        return self.character.mesh.rest
