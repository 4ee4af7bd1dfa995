"""The volume keeper: brings a region back to a share of its rest volume, in every frame.

Along a fixed direction field the volume that the region encloses is a cubic in how far the skin goes: it is solved
exactly, and the real root nearest to nothing is taken. Where there is none within bounds the bound nearest to the
target is.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from plethos.core.arrays import Arrays
from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import boundary_loops
from plethos.core.rules.remedies import kernels
from plethos.core.rules.remedies.body import Deformer, DeformerBody, Stage
from plethos.core.skeleton.mapping import IdMap, JointMap, VertexMap
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.mask import Mask
from plethos.core.skin.mesh import Mesh

MOST_SHARE = 4.0
MOST_WAY = 1e6  # metres


@dataclass(frozen=True, eq=False)
class VolumeKeeper(DeformerBody):
    """Moves the skin of a region along its normals until it holds what it should.

    Parameters
    ----------
    mask
        Where, and how far each vertex goes of what all go.
    share
        The target, of the rest volume.
    most
        How far the skin may go at most, metres.
    """

    mask: Mask
    share: float = 1.0
    most: float = 0.05
    kind: ClassVar[str] = "volume_keeper"
    stage: ClassVar[Stage] = Stage.AFTER

    def __post_init__(self) -> None:
        if not 0 < self.share <= MOST_SHARE:
            raise BadEditError(
                f"The volume to be kept has to lie between 0 and {100 * MOST_SHARE:.0f} percent of rest."
            )
        if not 0 < self.most <= MOST_WAY:
            raise BadEditError("The skin has to be allowed to go some way: more than 0 metres, and no million.")

    def card(self, skeleton: Skeleton) -> dict[str, Any]:
        return {"numbers": {"share": self.share, "most": self.most}}

    def mapped(
        self, joints: JointMap, vertices: VertexMap | None, ids: IdMap, skeleton: Skeleton, name: str
    ) -> VolumeKeeper:
        return VolumeKeeper(self.mask.mapped(vertices), self.share, self.most)

    def to_document(self, skeleton: Skeleton, arrays: Arrays) -> dict[str, Any]:
        mask = arrays.put("shares", self.kind, self.mask.vertices, self.mask.shares)
        return {"mask": mask, "share": self.share, "most": self.most}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> VolumeKeeper:
        try:
            share, most = float(document.get("share", 1.0)), float(document.get("most", 0.05))
        except (TypeError, ValueError, OverflowError):
            share = most = np.nan
        if "mask" not in document or not np.isfinite([share, most]).all():
            raise BadEditError("A volume keeper needs a mask, a share and how far the skin may go.")
        return cls(Mask(*arrays.get("shares", document["mask"])), share, most)

    def ready(self, mesh: Mesh) -> ReadyKeeper:
        """Made ready for a mesh: what depends on its rest shape is found once."""
        return ReadyKeeper.of(self, mesh)


@dataclass(frozen=True, eq=False)
class ReadyKeeper(Deformer):
    """A volume keeper on a mesh.

    Parameters
    ----------
    body
        What it was made of.
    needs, shares
        ``(N,)`` the vertices of its region, ascending, and how far each goes.
    triangles
        ``(T, 3)`` of the region and of the fans that close its borders; from N on they count the borders' middles.
    offsets, loops
        Which vertices each border runs through: ``loops[offsets[k]:offsets[k + 1]]``.
    target
        Cubic metres; 0 = the region encloses nothing, and nothing is done.
    """

    gives_way: ClassVar[str] = "Set its target to this volume"
    body: VolumeKeeper
    needs: NDArray[np.int32]
    shares: Array
    triangles: NDArray[np.int32]
    skin: int
    offsets: NDArray[np.int32]
    loops: NDArray[np.int32]
    target: float

    @classmethod
    def of(cls, body: VolumeKeeper, mesh: Mesh) -> ReadyKeeper:
        topology = mesh.topology
        inside = np.zeros(topology.count, bool)
        inside[body.mask.vertices] = True
        t = topology.triangles[inside[topology.triangles].all(axis=1)]
        needs, flat = np.unique(t, return_inverse=True)
        own = flat.reshape(-1, 3).astype(np.int32)
        loops = boundary_loops(own)
        fans = [
            np.stack([np.roll(loop, -1), loop, np.full(len(loop), len(needs) + k)], axis=1)
            for k, loop in enumerate(loops)
        ]
        ready = cls(
            body, needs.astype(np.int32), body.mask.dense(topology.count)[needs].astype(np.float64),
            np.ascontiguousarray(np.vstack([own, *fans]), np.int32), len(own),
            np.cumsum([0, *(len(x) for x in loops)]).astype(np.int32),
            np.concatenate([np.zeros(0, np.int32), *loops]).astype(np.int32), 0.0,
        )  # fmt: skip
        rest = mesh.rest[needs].astype(np.float64)
        volume = float(ready._cubic(rest)[0][0]) if len(needs) else 0.0
        # The same bound as where volumes are measured: a sheet holds nothing.
        return cls(**{**ready.__dict__, "target": body.share * volume if ready._solid(rest, volume) else 0.0})

    def _solid(self, rest: Array, volume: float) -> bool:
        a, b, c = (rest[self.triangles[: self.skin, k]] for k in range(3))
        area = float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()) / 2
        return bool(volume > 0.05 * area**1.5 / (6 * np.sqrt(np.pi)))

    def support(self, rows: NDArray[np.int32]) -> NDArray[np.int32]:
        """The vertices that have to be known to give these ``(N,)``, ascending both."""
        return np.union1d(rows, self.needs).astype(np.int32) if np.isin(self.needs, rows).any() else rows

    def apply(self, points: NDArray[Any], place: NDArray[np.int32] | None, amount: float) -> None:
        """Bring posed points back to the volume, in place: see `ReadyRelaxer.apply`."""
        if amount == 0 or self.target == 0:
            return
        at = self.needs if place is None else place[self.needs]
        if (at < 0).any():
            return  # nothing of what it moves is asked for
        kernels.keep_volume(
            points, at, self.triangles, self.skin, self.offsets, self.loops, self.shares, self.target,
            self.body.most, float(amount),
        )  # fmt: skip

    def reached(self, points: NDArray[Any]) -> float:
        """The share of its target that it can reach from posed points ``(V, 3)`` of the character, before it acted."""
        if self.target == 0:
            return 0.0
        cubic, _ = self._cubic(points[self.needs].astype(np.float64))
        return self._step(cubic)[1] / self.target

    def giving_way(self, mesh: Mesh, points: NDArray[Any], far: NDArray[np.bool_], reach: float) -> VolumeKeeper:
        """The same with the volume of the sculpt for its target: see `Deformer.giving_way`."""
        share = self.holds(points)
        if share is None or share <= 0:
            raise BadEditError("It encloses no volume, so it holds nothing back.")
        return replace(self.body, share=share)

    def holds(self, points: NDArray[Any]) -> float | None:
        """The share of the rest volume that its region holds, of posed points ``(V, 3)`` of the character."""
        if self.target == 0:
            return None
        cubic, _ = self._cubic(points[self.needs].astype(np.float64))
        return float(cubic[0]) * self.body.share / self.target

    def _cubic(self, own: Array) -> tuple[Array, Array]:
        way, cubic = np.empty_like(own), np.empty(4)
        kernels.volume_along(own, self.triangles, self.skin, self.offsets, self.loops, self.shares, way, cubic)
        return cubic, way

    def _step(self, cubic: Array) -> tuple[float, float]:
        """How far to go, metres, and the volume there."""
        step = float(kernels.bounded_step(cubic, self.target, self.body.most))
        return step, float(np.polyval(cubic[::-1], step))
