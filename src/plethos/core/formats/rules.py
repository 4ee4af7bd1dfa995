"""The rules in files: as ``extras.plethos`` of a glTF file with morph targets for shapes, and as a plain document.

Vertices are counted as the file counts them, of copies along a seam one; `docs/formats/plethos-rules.schema.json` is
the JSON schema of both.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.arrays import Ref
from plethos.core.character import Character
from plethos.core.errors import BadFileError
from plethos.core.formats.document import from_document, to_document
from plethos.core.skeleton.clips import Clip
from plethos.core.skeleton.names import free_name
from plethos.core.skin.mesh import Mesh
from plethos.core.skin.picked import PICKED
from plethos.core.skin.shape import Shape

DIGITS = 8  # of a share


MOTION = ("rotations", "places", "slides")  # what a motion's keys are called


@dataclass
class InlineArrays:
    """Arrays as lists in the document itself.

    Parameters
    ----------
    character
        Whose vertices and joints are counted.
    """

    character: Character

    @property
    def mesh(self) -> Mesh:
        return self.character.mesh

    def put(self, kind: str, label: str, *arrays: NDArray[Any]) -> Ref:
        if kind == "weights":
            return self.rows(np.arange(len(self.mesh)), *arrays)
        if kind == "motion":
            return {name: keys.tolist() for name, keys in zip(MOTION, arrays, strict=False)}
        vertices, values, *more = arrays
        ref: dict[str, Any] = {"vertices": self.mesh.first_copies[vertices].tolist()}
        if kind == "shares":
            return {**ref, "shares": np.round(values.astype(float), DIGITS).tolist()}
        ref["deltas"] = values.astype(float).tolist()
        return {**ref, "channels": more[0].astype(float).tolist()} if more else ref

    def rows(self, vertices: NDArray[np.integer], joints: NDArray[np.int32], weights: NDArray[np.float32]) -> Ref:
        """Weights ``(N, K)`` of some vertices ``(N,)``, by the names of their joints ``(N, K)``."""
        names = self.character.skeleton.names
        rows = [
            [[names[j], float(w)] for j, w in zip(row, shares, strict=True) if w > 0]
            for row, shares in zip(joints.tolist(), weights.tolist(), strict=True)
        ]
        return {"vertices": self.mesh.first_copies[vertices].tolist(), "rows": rows}

    def get(self, kind: str, ref: Ref) -> tuple[NDArray[Any], ...]:
        try:
            if kind == "weights":
                return self._weights_of(ref)
            if kind == "motion":
                return tuple(np.array(ref[name], np.float32) for name in MOTION if ref.get(name) is not None)
            own, first = self._own(ref["vertices"])
            names = ("shares",) if kind == "shares" else ("deltas", "channels")
            with np.errstate(over="ignore"):  # what is too large is not finite then, and refused
                arrays = [np.array(ref[n], dtype=np.float32)[first] for n in names if n in ref]
            if not arrays or not all(np.isfinite(a).all() for a in arrays):
                raise ValueError
            if kind == "offsets" and arrays[0].shape != (len(own), 3):
                raise ValueError
            given = self.mesh.channels
            if len(arrays) > 1 and (given is None or arrays[1].shape != (len(own), given.shape[1])):
                raise ValueError
        except (KeyError, TypeError, ValueError, IndexError, OverflowError):
            raise BadFileError("The file is broken: an array of its rules cannot be read.") from None
        return (own, *arrays)

    def _own(self, told: Any) -> tuple[NDArray[np.int32], NDArray[np.intp]]:
        """The vertices that are meant, ascending and each once, and where each of them was told first."""
        file_vertices = np.array(told, dtype=np.int64).reshape(-1)
        if (file_vertices < 0).any():
            raise ValueError
        own, first = np.unique(self.mesh.file_to_vertex[file_vertices], return_index=True)
        return own.astype(np.int32), first

    def _weights_of(self, ref: Ref) -> tuple[NDArray[Any], ...]:
        binding, index_of = self.character.binding, self.character.skeleton.index_of
        vertices, first = self._own(ref["vertices"])
        told = [ref["rows"][k] for k in first.tolist()]
        most = max([binding.weights.shape[1], *(len(row) for row in told)])
        pad = ((0, 0), (0, most - binding.weights.shape[1]))
        joints = np.pad(binding.bones.joint[binding.influences], pad)
        weights = np.pad(binding.weights, pad)
        for v, row in zip(vertices.tolist(), told, strict=True):
            joints[v], weights[v] = 0, 0
            for k, (name, weight) in enumerate(row):
                joints[v, k], weights[v, k] = index_of[name], weight
        total = weights.sum(axis=1, keepdims=True, dtype=np.float64)
        if not (np.isfinite(weights).all() and (weights >= 0).all() and (total > 1e-6).all()):
            raise ValueError
        exact = np.abs(total - 1) < 1e-6
        return joints, np.where(exact, weights, weights / total).astype(np.float32)


@dataclass
class TargetArrays(InlineArrays):
    """Offsets as the morph targets of a glTF file, everything else in the document.

    Parameters
    ----------
    written
        The shapes that the file has to hold, by the names of their targets.
    taken
        Which of the character's shapes were asked for.
    """

    written: list[Shape] = field(default_factory=list)
    taken: set[int] = field(default_factory=set)
    _names: set[str] = field(default_factory=set)
    _numbers: dict[str, list[int]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._names = {s.name for s in self.mesh.shapes}
        for number, shape in enumerate(self.mesh.shapes):
            self._numbers.setdefault(shape.name, []).append(number)

    def put(self, kind: str, label: str, *arrays: NDArray[Any]) -> Ref:
        if kind != "offsets":
            return super().put(kind, label, *arrays)
        name = free_name(label, self._names)
        self.written.append(Shape(name, arrays[0], arrays[1]))
        return name

    def get(self, kind: str, ref: Ref) -> tuple[NDArray[Any], ...]:
        if kind != "offsets":
            return super().get(kind, ref)
        # A corrective may move several parts: their targets of one name are joined again.
        found = [i for i in self._numbers.get(ref, ()) if i not in self.taken]
        if not found:
            raise BadFileError(f"The file's remedy “{ref}” has lost its morph target.")
        self.taken.update(found)
        vertices = np.concatenate([self.mesh.shapes[i].vertices for i in found])
        order = np.argsort(vertices, kind="stable")
        return vertices[order], np.concatenate([self.mesh.shapes[i].deltas for i in found])[order]


def rules_of(character: Character) -> tuple[dict[str, Any], list[Shape]]:
    """What ``extras.plethos`` of a delivered file holds, and the shapes that are to be its morph targets."""
    arrays = TargetArrays(character)
    kept = tuple(r for r in character.regions if r.name != PICKED)
    document = to_document(replace(character, regions=kept), None, arrays)
    del document["joints"]
    document["weights"] = _under_masks(character)
    return {k: v for k, v in document.items() if v not in (None, [])} | {
        "remedies": document["remedies"]
    }, arrays.written


def _under_masks(character: Character) -> Ref | None:
    """The weights under the masks of helper joints, which the file's own weights have flattened."""
    masks = [h.mask.vertices for h in character.rules.helpers_on if h.mask is not None]
    if not masks:
        return None
    covered, binding = np.unique(np.concatenate(masks)), character.binding
    joints, weights = binding.bones.joint[binding.influences[covered]], binding.weights[covered]
    return InlineArrays(character).rows(covered, joints, weights)


def plain_rules(character: Character, base: Character | None = None) -> dict[str, Any]:
    """Everything of ours as one plain document: arrays stand in it as lists."""
    return to_document(character, base, InlineArrays(character))


def with_plain_rules(character: Character, document: dict[str, Any]) -> Character:
    """The character with the rules of such a document in place of its own.

    Raises
    ------
    BadFileError
        When it is broken, or names what this character does not have.
    """
    if not isinstance(document, dict):
        raise BadFileError("The rules are not a JSON object.")
    return from_document(character, document, InlineArrays(character))


def is_described(document: dict[str, Any]) -> dict[str, Any] | None:
    """Our own part of a glTF document; None without one.

    Raises
    ------
    BadFileError
        When it is none of ours.
    """
    extras = document.get("extras")
    rules = extras.get("plethos") if isinstance(extras, dict) else None
    if rules is None:
        return None
    if not isinstance(rules, dict) or not isinstance(rules.get("remedies"), list):
        raise BadFileError("The file's remedies were written by another version of Plethos and cannot be read.")
    return rules


def target_names_of(rules: dict[str, Any]) -> Iterable[str]:
    """The names of the morph targets that rules of any version put into a file."""
    for rule in rules.get("remedies", []):
        for target in rule.get("targets", []) if isinstance(rule, dict) else []:
            yield str(target["shape"]) if isinstance(target, dict) and "shape" in target else str(target)


def take_rules(character: Character, document: dict[str, Any]) -> Character:
    """Turn the morph targets that a file's own rules name back into remedies, and take its regions.

    Parameters
    ----------
    character
        As read, with every morph target among its shapes (one a part and target).
    document
        The glTF document, which may have no rules.
    """
    rules = is_described(document)
    if rules is None:
        return character
    arrays = TargetArrays(character)
    read = from_document(character, rules, arrays)
    shapes = tuple(s for i, s in enumerate(character.mesh.shapes) if i not in arrays.taken)
    mesh = character.mesh if not arrays.taken else replace(character.mesh, shapes=shapes)
    clips = _without_shapes(read.clips, len(character.mesh.shapes), arrays.taken)
    return replace(read, mesh=mesh, clips=_without_helpers(read, clips))


def _without_shapes(clips: tuple[Clip, ...], count: int, taken: set[int]) -> tuple[Clip, ...]:
    """Clips whose tracks no longer drive the taken shapes: a baked clip would apply remedies twice."""
    left = {old: new for new, old in enumerate(i for i in range(count) if i not in taken)}
    out = []
    for clip in clips:
        tracks = []
        for track in clip.tracks:
            if track.channel != "weights":
                tracks.append(track)
                continue
            width = track.values.shape[-1]
            keep = [k for k in range(width) if track.target + k in left]
            if keep:
                # Remedies' targets are written behind the file's own, so what is kept is a leading run.
                values = track.values[..., keep]
                tracks.append(replace(track, target=left[track.target + keep[0]], values=values))
        out.append(replace(clip, tracks=tuple(tracks)))
    return tuple(out)


def _without_helpers(character: Character, clips: tuple[Clip, ...]) -> tuple[Clip, ...]:
    """Clips without the keys that a bake gave to joints which rules turn."""
    turned = {body.joint for _, body in character.rules.helpers if body.mask is not None}
    return tuple(
        replace(c, tracks=tuple(t for t in c.tracks if t.channel in ("weights", "dial") or t.target not in turned))
        for c in clips
    )
