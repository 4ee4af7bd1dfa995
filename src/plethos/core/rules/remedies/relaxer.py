"""The relaxer: smooths the posed skin and puts the rest detail back.

References
----------
Mancewicz, Derksen, Rijpkema, Wilson, "Delta Mush: smoothing deformations while preserving detail", DigiPro 2014
(title from memory).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from plethos.core.arrays import Arrays
from plethos.core.errors import BadEditError
from plethos.core.geometry.falloff import falloff_from_seed, seen
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Topology
from plethos.core.rules.remedies import kernels
from plethos.core.rules.remedies.body import Deformer, DeformerBody, Stage
from plethos.core.skeleton.mapping import IdMap, JointMap, VertexMap
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.mask import Mask
from plethos.core.skin.mesh import Mesh

SPEED = 0.5  # how far towards the neighbours' mean a step goes
MOST_STEPS = 100


@dataclass(frozen=True, eq=False)
class Relaxer(DeformerBody):
    """Evens out the posed skin under a mask; bumps and creases of the rest shape stay.

    Parameters
    ----------
    mask
        Where, and by how much.
    steps
        Of smoothing.
    """

    mask: Mask
    steps: int = 10
    kind: ClassVar[str] = "relaxer"
    stage: ClassVar[Stage] = Stage.AFTER

    def __post_init__(self) -> None:
        if not 1 <= self.steps <= MOST_STEPS:
            raise BadEditError(f"A relaxer takes between 1 and {MOST_STEPS} steps.")

    def card(self, skeleton: Skeleton) -> dict[str, Any]:
        return {"numbers": {"steps": self.steps}}

    def mapped(
        self, joints: JointMap, vertices: VertexMap | None, ids: IdMap, skeleton: Skeleton, name: str
    ) -> Relaxer:
        return Relaxer(self.mask.mapped(vertices), self.steps)

    def to_document(self, skeleton: Skeleton, arrays: Arrays) -> dict[str, Any]:
        return {"mask": arrays.put("shares", self.kind, self.mask.vertices, self.mask.shares), "steps": self.steps}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> Relaxer:
        steps = document.get("steps", 10)
        if "mask" not in document or not isinstance(steps, int):
            raise BadEditError("A relaxer needs a mask and a whole number of steps.")
        return cls(Mask(*arrays.get("shares", document["mask"])), steps)

    def ready(self, mesh: Mesh) -> ReadyRelaxer:
        """Made ready for a mesh: what depends on its rest shape is found once."""
        return ReadyRelaxer.of(self, mesh)


@dataclass(frozen=True, eq=False)
class ReadyRelaxer(Deformer):
    """A relaxer on a mesh.

    Parameters
    ----------
    body
        What it was made of.
    needs
        ``(N,)`` the vertices that it reads, ascending; all below counts these.
    surface
        Their neighbours and triangles.
    rows, shares, beside
        ``(M,)`` the vertices that it moves, how far, and the neighbour that a tangent goes to.
    detail
        ``(M, 3)`` what smoothing takes away at rest, in the frames of the smoothed surface.
    """

    gives_way: ClassVar[str] = "Fade its mask here"
    body: Relaxer
    needs: NDArray[np.int32]
    surface: Topology
    rows: NDArray[np.int32]
    shares: Array
    beside: NDArray[np.int32]
    detail: Array

    @classmethod
    def of(cls, body: Relaxer, mesh: Mesh) -> ReadyRelaxer:
        topology = mesh.topology
        offsets, _ = topology.vertex_triangles
        moved = body.mask.vertices[np.diff(offsets)[body.mask.vertices] > 0]  # loose points have no neighbours
        inside = np.zeros(topology.count, bool)
        inside[moved] = True
        inside = topology.grow(inside, body.steps + 1)
        needs = np.flatnonzero(inside).astype(np.int32)
        place = np.full(topology.count, -1, np.int32)
        place[needs] = np.arange(len(needs), dtype=np.int32)
        triangles = place[topology.triangles]
        surface = Topology(len(needs), np.ascontiguousarray(triangles[(triangles >= 0).all(axis=1)]))
        rows = place[moved]
        starts, beside = surface.adjacency.indptr, surface.adjacency.indices
        ready = cls(
            body, needs, surface, rows, body.mask.dense(topology.count)[moved].astype(np.float64),
            beside[starts[rows]].astype(np.int32), np.zeros((len(rows), 3)),
        )  # fmt: skip
        rest = mesh.rest[needs].astype(np.float64)
        smooth = ready._smoothed(rest)
        kernels.surface_frames(
            smooth, surface.triangles, rows, ready.beside, rest[rows] - smooth[rows], True, ready.detail
        )  # fmt: skip
        return ready

    def support(self, rows: NDArray[np.int32]) -> NDArray[np.int32]:
        """The vertices that have to be known to give these ``(N,)``, ascending both."""
        moved = self.needs[self.rows]
        return np.union1d(rows, self.needs).astype(np.int32) if np.isin(moved, rows).any() else rows

    def giving_way(self, mesh: Mesh, points: NDArray[Any], far: NDArray[np.bool_], reach: float) -> Relaxer:
        """The same with a mask that fades round what it holds back: see `Deformer.giving_way`."""
        mask = self.body.mask
        if not far[mask.vertices].any():
            raise BadEditError("It holds nothing back of this sculpt.")
        left = 1 - falloff_from_seed(mesh.topology, mesh.rest, far, reach)
        return replace(self.body, mask=Mask.of(seen(mask.dense(len(mesh)).astype(np.float64) * left)))

    def apply(self, points: NDArray[Any], place: NDArray[np.int32] | None, amount: float) -> None:
        """Relax posed points in place.

        Parameters
        ----------
        points
            ``(V, 3)`` of the character, or of some of its vertices.
        place
            ``(V,)`` where in `points` each vertex of the character is; None = all are there, in order.
        amount
            How far, 0 to 1 and beyond.
        """
        if amount == 0 or len(self.rows) == 0:
            return
        at = self.needs if place is None else place[self.needs]
        if (at < 0).any():
            return  # nothing of what it moves is asked for
        beside: Any = self.surface.adjacency
        kernels.relax(
            points, at, np.empty((len(at), 3)), beside.indptr, beside.indices, self.body.steps, SPEED,
            self.surface.triangles, self.rows, self.beside, self.detail, amount * self.shares,
        )  # fmt: skip

    def _smoothed(self, points: Array) -> Array:
        beside: Any = self.surface.adjacency
        out = points.copy()
        kernels.smooth_out(out, beside.indptr, beside.indices, self.body.steps, SPEED, np.empty_like(out))
        return out
