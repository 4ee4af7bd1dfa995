"""The smoothest offset of a skin under which each slab has its volume and no contact plane is passed.

Of all offsets the one of least bending energy: Newton on the volumes, and at each step the planes that would be passed
are held, as an active set. Both stand in one small system over the factored energy (its Schur complement), so that only
what is held costs anything.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.geometry.rotations import Array
from plethos.core.propose.contact_planes import ContactPlanes
from plethos.core.propose.mend_room import MendRoom

NEWTON = 6
CLOSE = 1e-4  # how near to its volume a slab has to come, as a share
ACTIVE = 12  # rounds of holding and letting go of planes
SOFT = 1e-4  # how far a held plane gives way, of what the others move it
NEAR = 1e-6  # of the height: a plane passed by less is not passed


def least_bending(room: MendRoom, base: Array, target: Array, planes: ContactPlanes) -> Array:
    """The points ``(V, 3)`` of those slab volumes, nearest to `base` in bending energy.

    Parameters
    ----------
    base
        ``(V, 3)`` what is offset.
    target
        ``(S,)`` cubic metres.
    planes
        That are not to be passed.
    """
    own, slabs, factor = room.region.vertices, room.slabs, room.factor
    ways, missing = planes.rows(room, base)
    held, columns = np.zeros(len(missing), bool), _Columns(factor, len(room.free))
    offset, points = np.zeros((len(room.free), 3)), base
    # What is asked for in cubic metres is of the size of the region's volume: told as shares of the slabs.
    scale = 1 / np.abs(slabs.at_rest)
    for _ in range(NEWTON):
        lacking = (target - slabs.volumes(points[own])) * scale
        if points is not base and np.abs(lacking).max() < CLOSE:
            break
        pushes = [(sparse.diags(scale) @ g)[:, room.free] for g in slabs.gradients(points[own])]
        reach = [factor.solve(np.ascontiguousarray(p.toarray().T)) for p in pushes]
        wanted = lacking + sum(p @ offset[:, k] for k, p in enumerate(pushes))
        schur = np.asarray(sum(p @ r for p, r in zip(pushes, reach, strict=True)))
        schur += 1e-6 * np.trace(schur) / len(scale) * np.eye(len(scale))
        for _ in range(ACTIVE):
            rows = np.flatnonzero(held)
            own_ways = [way[rows] for way in ways]
            across = np.asarray(sum(way @ r for way, r in zip(own_ways, reach, strict=True))).reshape(-1, len(scale))
            among = columns.between(own_ways)
            among += SOFT * np.trace(among) / max(len(rows), 1) * np.eye(len(rows))
            force = np.linalg.solve(
                np.block([[schur, across.T], [across, among]]), np.concatenate([wanted, missing[rows]])
            )
            by_volume, by_plane = force[: len(scale)], force[len(scale) :]
            pulls = np.stack([way.T @ by_plane for way in own_ways], axis=1)
            offset = np.stack([r @ by_volume for r in reach], axis=1) + factor.solve(np.ascontiguousarray(pulls))
            passed = missing - sum(way @ offset[:, k] for k, way in enumerate(ways)) > NEAR * room.height
            let_go = np.zeros(len(held), bool)
            let_go[rows[by_plane < 0]] = True
            if not (let_go | (passed & ~held)).any():
                break
            held = (held & ~let_go) | (passed & ~held)
        points = base.copy()
        points[room.vertices] += offset
    return points


@dataclass(eq=False)
class _Columns:
    """What a push at a vertex moves: columns of the inverse energy, found when they are asked for."""

    factor: Any
    count: int
    _known: dict[int, Array] = field(default_factory=dict)

    def between(self, ways: list[sparse.csr_matrix]) -> Array:
        """How much each of some rows ``(N, F)``, for x, y and z, opens each of them ``(N, N)``."""
        at: NDArray[np.integer] = np.unique(np.concatenate([way.indices for way in ways]))
        new = [i for i in at.tolist() if i not in self._known]
        if new:
            unit = np.zeros((self.count, len(new)))
            unit[new, np.arange(len(new))] = 1
            self._known.update(zip(new, self.factor.solve(unit).T, strict=True))
        inverse = np.array([self._known[i][at] for i in at.tolist()]).reshape(len(at), len(at))
        dense = [way[:, at].toarray() for way in ways]
        return np.asarray(sum(way @ inverse @ way.T for way in dense))
