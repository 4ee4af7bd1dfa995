"""Keyed motion of a skeleton of its own: what a motion file holds, and which joints of a character take it on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.arrays import Arrays
from plethos.core.errors import BadFileError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.mapping import JointMap

MOST_FRAMES, MOST_JOINTS = 20_000, 500


@dataclass(frozen=True, eq=False)
class Motion:
    """A motion.

    Parameters
    ----------
    name
        What its clip is called.
    frame_time
        Seconds from frame to frame.
    joints, parents
        Names and parents of its own joints, parents first; -1 for the root.
    offsets
        ``(S, 3)`` where each of them lies in its parent at rest, in the file's units; at rest nothing is turned.
    turned
        ``(F, S, 4)`` float32: rotation of each joint in its parent, quaternions.
    places
        ``(F, 3)`` float32: where the root is, in the file's units.
    mapping
        Which joint of the character takes on which of its joints, by names.
    sliding, slid
        Joints below the root that are also moved against the one above, by number, and by how much ``(F, L, 3)``
        float32: from their offset, in their parent, in the file's units.
    """

    name: str
    frame_time: float
    joints: tuple[str, ...]
    parents: tuple[int, ...]
    offsets: Array
    turned: NDArray[np.float32]
    places: NDArray[np.float32]
    mapping: Mapping[str, str]
    sliding: tuple[int, ...] = ()
    slid: NDArray[np.float32] | None = None

    def __len__(self) -> int:
        return len(self.turned)

    @property
    def left_out(self) -> tuple[str, ...]:
        """Joints that slide and that nothing takes on: where they go is seen by no one."""
        return tuple(self.joints[s] for s in self.sliding if self.joints[s] not in self.mapping)

    def slide_of(self, source: int) -> Array | None:
        """How a joint is moved from its offset ``(F, 3)``, in its parent; None when it never is."""
        if self.slid is None or source not in self.sliding:
            return None
        return np.asarray(self.slid[:, self.sliding.index(source)], np.float64)

    @property
    def duration(self) -> float:
        """Seconds."""
        return max(0.0, (len(self) - 1) * self.frame_time)

    @cached_property
    def rest_places(self) -> Array:
        """Where its joints are at rest ``(S, 3)``, the root at 0, in the file's units."""
        out = np.zeros((len(self.joints), 3))
        for s, parent in enumerate(self.parents):
            if parent >= 0:
                out[s] = out[parent] + self.offsets[s]
        return out

    @cached_property
    def world(self) -> Array:
        """How its joints are turned in the world ``(F, S, 4)``."""
        out = np.empty(self.turned.shape)
        for s, parent in enumerate(self.parents):
            own = rotations.normalize(self.turned[:, s])
            out[:, s] = own if parent < 0 else rotations.multiply(out[:, parent], own)
        return out

    @cached_property
    def world_places(self) -> Array:
        """Where its joints are in the world ``(F, S, 3)``, in the file's units."""
        out = np.empty((len(self), len(self.joints), 3))
        for s, parent in enumerate(self.parents):
            if parent < 0:
                out[:, s] = self.places
            else:
                turn, slide = rotations.to_matrix(self.world[:, parent]), self.slide_of(s)
                own = self.offsets[s] + (np.zeros((len(self), 3)) if slide is None else slide)
                out[:, s] = out[:, parent] + np.einsum("fij,fj->fi", turn, own)
        return out

    def mapped(self, mapping: Mapping[str, str]) -> Motion:
        """The same motion taken on by other joints."""
        return replace(self, mapping=dict(mapping))

    def carried(self, joints: JointMap) -> Motion:
        """The same motion on a changed skeleton: joints go on under their new names, those that are gone drop out."""
        there = {source: joints.name(name) for source, name in self.mapping.items()}
        return replace(self, mapping={s: n for s, n in there.items() if n is not None})

    def to_document(self, arrays: Arrays) -> dict[str, Any]:
        """The motion as plain data."""
        keys = (self.turned, self.places) if self.slid is None else (self.turned, self.places, self.slid)
        return {
            "name": self.name,
            "frame_time": self.frame_time,
            "joints": [
                {"name": n, "parent": p, "offset": o, **({"slides": True} if s in self.sliding else {})}
                for s, (n, p, o) in enumerate(zip(self.joints, self.parents, self.offsets.tolist(), strict=True))
            ],
            "keys": arrays.put("motion", self.name, *keys),
            "mapping": dict(self.mapping),
        }

    @classmethod
    def from_document(cls, document: Mapping[str, Any], arrays: Arrays) -> Motion:
        """What `to_document` wrote.

        Raises
        ------
        BadFileError
            When its numbers do not fit each other.
        """
        joints = document["joints"]
        parents = tuple(int(j["parent"]) for j in joints)
        offsets = np.array([j["offset"] for j in joints], np.float64).reshape(-1, 3)
        turned, places, *more = arrays.get("motion", document["keys"])
        sliding = tuple(s for s, j in enumerate(joints) if j.get("slides"))
        slid = more[0] if more and sliding else None
        seconds = float(document["frame_time"])
        sound = (
            turned.shape == (len(places), len(joints), 4)
            and places.shape == (len(turned), 3)
            and len(turned) > 0
            and all(-1 <= p < s for s, p in enumerate(parents))
            and parents.count(-1) == 1
            and all(bool(np.isfinite(a).all()) for a in (offsets, turned, places))
            and 0 < seconds < 1e6
            and (slid is None or (slid.shape == (len(places), len(sliding), 3) and bool(np.isfinite(slid).all())))
        )
        if not sound:
            raise BadFileError("The file is broken: a motion in it cannot be read.")
        mapping = {str(s): str(n) for s, n in document["mapping"].items()}
        names = tuple(str(j["name"]) for j in joints)
        name = str(document["name"])
        sliding = sliding if slid is not None else ()
        return cls(name, seconds, names, parents, offsets, turned, places, mapping, sliding, slid)
