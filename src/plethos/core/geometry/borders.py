"""Borders: where a surface ends, and where another part's border touches it. A brush usually leaves them alone."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from plethos.core.geometry.topology import Topology, boundary_loops, extent

TOUCHES = 1e-3  # of the character's height


def border_vertices(topology: Topology, rest: NDArray[np.floating]) -> NDArray[np.bool_]:
    """Which vertices ``(V,)`` lie on an open border, or where the border of another piece touches at rest.

    Parameters
    ----------
    rest
        Points ``(V, 3)`` at rest, metres.
    """
    out = np.zeros(topology.count, bool)
    loops = boundary_loops(topology.triangles)
    if not loops:
        return out
    border = np.unique(np.concatenate(loops))
    out[border] = True
    pieces = topology.pieces
    near = cKDTree(rest[border]).query_ball_point(rest, TOUCHES * extent(rest))
    for v in np.flatnonzero([len(found) > 0 for found in near]):
        out[v] |= bool((pieces[border[near[v]]] != pieces[v]).any())
    return out
