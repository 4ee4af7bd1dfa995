"""One character on the workbench: its current version, made ready for posing, measuring and sculpting."""

from __future__ import annotations

import json
import threading
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from plethos.core.bend import BendMeasure, ContactCounter
from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator, evaluate_exact
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.measure.depth import DepthField
from plethos.core.measure.picked import PickedPatch
from plethos.core.rotations import Array
from plethos.core.sculpt.session import SculptSurface
from plethos.core.skeleton import Pose, pose_from_json
from plethos.core.symmetry import vertex_mirror
from plethos.core.weights.assign import BoneTable
from plethos.core.weights.paint import PaintedWeights
from plethos.service.documents import SculptNote, shares_weights
from plethos.store.repository import Revision


@dataclass
class SculptSession:
    """A sculpt in progress.

    Parameters
    ----------
    note
        What is stored of it.
    pose
        The held pose.
    others
        Everything that acts in it but the remedy being sculpted.
    surface
        The skin under the brush.
    """

    note: SculptNote
    pose: Pose
    others: Character
    surface: SculptSurface


@dataclass
class PaintSession:
    """A stroke of weights in the air: what it has changed so far, not stored yet.

    Parameters
    ----------
    weights
        The weights under the brush.
    surface
        The posed skin that the brush goes over.
    evaluator
        The character as painted so far.
    table
        Which bone each part follows each joint through.
    parts
        ``(V,)`` the part of each vertex.
    pose
        The pose that the surface is in; None = not posed yet.
    """

    weights: PaintedWeights
    surface: SculptSurface
    evaluator: Evaluator
    table: BoneTable
    parts: NDArray[np.int32]
    pose: Pose | None = None

    def lay(self, pose: Pose, points: NDArray[np.floating]) -> None:
        """What the skin looks like now: the next touch goes over it."""
        self.surface.points[:] = points
        self.pose = pose

    def is_laid(self, pose: Pose) -> bool:
        """Whether the surface is in this pose already."""
        return self.pose is not None and np.array_equal(self.pose.rotations, pose.rotations)


@dataclass
class PickSession:
    """A stroke that picks, in the air.

    Parameters
    ----------
    shares
        ``(V,)`` what is picked so far, changed in place.
    surface
        The posed skin that the brush goes over.
    twin
        Mirror image of each vertex (-1 for none); None picks one side only.
    """

    shares: NDArray[np.float32]
    surface: SculptSurface
    twin: NDArray[np.int32] | None


@dataclass
class OpenCharacter:
    """A character in memory. Whoever reads or changes it holds `lock`.

    Parameters
    ----------
    source
        The file it was read from.
    bare
        As read.
    character
        The current version.
    """

    revision: Revision
    source: GltfFile
    bare: Character
    character: Character
    evaluator: Evaluator
    rest: NDArray[np.float32]
    sculpt: SculptSession | None = None
    painting: PaintSession | None = None
    picking: PickSession | None = None
    lock: threading.RLock = field(default_factory=threading.RLock)
    _bends: dict[int, BendMeasure] = field(default_factory=dict)
    _depth: DepthField | None = None
    _contacts: ContactCounter | None = None
    _patch: PickedPatch | None = None
    _twins: NDArray[np.int32] | None = None

    @classmethod
    def of(cls, revision: Revision, source: GltfFile, bare: Character) -> OpenCharacter:
        """Open a character as read; `show` brings it to its current revision."""
        evaluator = Evaluator(bare.with_remedies(()))
        return cls(revision, source, bare, bare, evaluator, evaluator.rest())

    def show(self, revision: Revision, character: Character, sculpt: SculptSession | None) -> None:
        """Make this version the current one. What depends on the mesh alone is kept."""
        before = self.character
        same_skin = character.weights is before.weights and character.skeleton is before.skeleton
        self.revision, self.character, self.sculpt = revision, character, sculpt
        self.evaluator = Evaluator(character)
        self._bends = {j: b.with_character(character) for j, b in self._bends.items()} if same_skin else {}
        if character.skeleton is not before.skeleton:
            self._depth = None
        self.painting = self.picking = None
        self._patch = None

    def refuse_while_sculpting(self) -> None:
        """Raise `BadEditError` when a sculpt is in progress: it would be lost, or in the way."""
        if self.sculpt is not None:
            raise BadEditError("A sculpt is in progress: keep or drop it first.")

    @property
    def weights_hash(self) -> str | None:
        """Hash of the current version's weights; None = they are the file's."""
        if shares_weights(self.character, self.bare):
            return None
        stored = self.revision.document.get("weights")
        return stored if isinstance(stored, str) else None

    def bend(self, joint: int) -> BendMeasure:
        """The measures of a joint's region, prepared once."""
        if joint not in self._bends:
            self._bends[joint] = BendMeasure(self.character, joint, self.rest)
        return self._bends[joint]

    @property
    def twins(self) -> NDArray[np.int32]:
        """The mirror image of each vertex at rest, -1 for none, found once: every mirrored stroke asks for it."""
        if self._twins is None:
            self._twins = vertex_mirror(self.rest, self.character.mirror_x)
        return self._twins

    @property
    def depth(self) -> DepthField:
        """The bones under each vertex, found once."""
        if self._depth is None:
            self._depth = DepthField.of(self.character, self.rest)
        return self._depth

    @property
    def contacts(self) -> ContactCounter:
        """Counts crossing triangles; what crosses at rest is found once."""
        if self._contacts is None:
            self._contacts = ContactCounter(self.bare, self.rest)
        return self._contacts

    @property
    def patch(self) -> PickedPatch:
        """What is picked, made ready to be measured."""
        if self._patch is None:
            self._patch = PickedPatch.of(self.character, self.rest)
        return self._patch

    def begin_sculpt(self, note: SculptNote, character: Character, offsets: Array | None) -> SculptSession:
        """The session that a note describes; `offsets` ``(V, 3)`` from its start, when strokes were stored."""
        pose = pose_from_json(character.skeleton, json.dumps(note.pose))
        others = character
        acting: list[str] | bool = True
        if note.remedy_id is not None:
            remedy = character.remedy(note.remedy_id)
            others = character.with_remedies(tuple(r for r in character.remedies if r.id != remedy.id))
            acting = [r.id for r in character.remedies if r.on or r.id == remedy.id]
        start = evaluate_exact(character, pose, acting)
        points = start.copy() if offsets is None else start + offsets
        return SculptSession(note, pose, others, SculptSurface(character.topology, points, start))
