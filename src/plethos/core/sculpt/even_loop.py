"""Even loop: space the points of an edge loop evenly along it."""

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.rotations import Array
from plethos.core.sculpt.session import Dab, SculptSurface


def even_loop(surface: SculptSurface, dab: Dab) -> NDArray[np.int32]:
    """Move the points of the loop nearest to where the stroke began along it, until they are evenly spaced.

    What of the loop lies under the brush is evened between its two ends, which stay; a loop that lies under it wholly
    is evened all round. The line of the loop stays: points move on it.

    Returns the vertices ``(N,)`` that moved.
    """
    hold = surface.held(dab)
    if hold.loop is None:
        edge = surface.quad_edges.nearest(dab.triangle, np.array(dab.at), surface.points)
        share = np.zeros(surface.topology.count)
        share[hold.touched.vertices] = hold.touched.shares
        hold.loop = _under(surface.quad_edges.loop(*edge), share)
    chain, shares, closed = hold.loop
    if len(chain) < 3:
        return np.zeros(0, np.int32)
    places = surface.points[chain]
    moved = evenly(places, closed) - places
    surface.points[chain] += min(abs(dab.strength), 1.0) * shares[:, None] * moved
    return chain


def _under(loop: NDArray[np.int32], share: Array) -> tuple[NDArray[np.int32], Array, bool]:
    """The longest stretch of a loop that is under the brush, with its shares; whether it is the whole, closed."""
    closed = bool(loop[0] == loop[-1])
    ring = loop[:-1] if closed else loop
    under = share[ring] > 0
    if under.all():
        return (ring, share[ring], closed)
    if closed:
        # Begin outside of the brush, so that no stretch is cut in two.
        ring = np.roll(ring, -int(np.flatnonzero(~under)[0]))
        under = share[ring] > 0
    edges = np.flatnonzero(np.diff(np.concatenate([[0], under.astype(np.int8), [0]])))
    if len(edges) == 0:
        return (ring[:0], share[:0], False)
    starts, ends = edges[::2], edges[1::2]
    best = int(np.argmax(ends - starts))
    chain = ring[starts[best] : ends[best]]
    return (chain, share[chain], False)


def evenly(places: Array, closed: bool) -> Array:
    """The same number of points ``(N, 3)`` at even steps along the line through these; the first stays."""
    line = np.concatenate([places, places[:1]]) if closed else places
    gone = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    wanted = np.linspace(0.0, gone[-1], len(line))
    out = np.stack([np.interp(wanted, gone, line[:, k]) for k in range(3)], axis=1)
    return out[:-1] if closed else out
