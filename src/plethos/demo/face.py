"""Cutting the face into the once-subdivided head: eyelids with room for an eyeball, a mouth with room for teeth, ears.

Each is a patch of quads whose border stays where it is or is laid on a curve, from which rings are drawn inwards or
outwards; the last ring is closed by a copy of the patch. So the mesh stays closed, all quads, and mirrored.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from plethos.demo.cage import Cage
from plethos.demo.head import EYE, EYEBALL, LID, ROOM
from plethos.demo.implicit import Field, Points, value_and_gradient

Layer = Callable[[NDArray[np.float64], Points], Points]  # grid places (N, 2) in [-1, 1] and points, to new points

MOUTH = 161.0  # height of the line between the lips
MOUTH_WIDTH = 2.7


def open_face(cage: Cage, field: Callable[[Points], Field]) -> Cage:
    """The head with eyes, mouth and ears cut; `field` is the body that the lips lie on."""
    cage = draw(cage, (8.0, 9.0), (1.0, 2.5), _eye())
    cage = draw(cage, (4.5, 5.0), (-1.5, 1.5), _mouth(field))
    return draw(cage, (5.0, 7.5), (4.0, 4.5), _ear())


def draw(cage: Cage, rows: tuple[float, float], columns: tuple[float, float], layers: Sequence[Layer]) -> Cage:
    """Replace a patch of the head's grid by rings.

    Parameters
    ----------
    rows, columns
        The patch, in grid coordinates; its mirror image is treated alike, unless it is its own.
    layers
        Where the border goes, then each ring, then the closing copy of the patch.
    """
    own = columns[0] == -columns[1]
    side = np.where(cage.points[:, 0] < -1e-9, -1.0, 1.0)
    signed = cage.grid * np.stack([np.ones(len(side)), side], axis=1)
    inside = (signed >= [rows[0], columns[0]]) & (signed <= [rows[1], columns[1]])
    inside = inside.all(axis=1) & ~cage.pinned & (cage.parts == "head")
    patch = cage.quads[inside[cage.quads].all(axis=1)]
    assert len(patch) == round(4 * (rows[1] - rows[0]) * (columns[1] - columns[0])), "the patch is not a whole grid"
    centre = np.array([sum(rows) / 2, sum(columns) / 2])
    half = np.array([rows[1] - rows[0], columns[1] - columns[0]]) / 2

    directed = np.concatenate([np.stack([patch[:, k], patch[:, (k + 1) % 4]], axis=1) for k in range(4)])
    back = {(b, a) for a, b in directed.tolist()}
    border = np.array([e for e in directed.tolist() if tuple(e) not in back])
    rim, whole = np.unique(border), np.unique(patch)
    place = (signed - centre) / half

    points = [cage.points.copy()]
    mirror, source = [cage.mirror], [np.arange(len(cage.points))]
    points[0][rim] = layers[0](place[rim], cage.points[rim])
    if not own:
        points[0][cage.mirror[rim]] = points[0][rim] * [-1, 1, 1]
    quads: list[NDArray[np.int64]] = []
    count, last = len(cage.points), dict(zip(whole.tolist(), whole.tolist(), strict=True))
    for number, layer in enumerate(layers[1:], 1):
        copied = whole if number == len(layers) - 1 else rim
        laid = layer(place[copied], points[0][copied])
        new = {old: count + k for k, old in enumerate(copied.tolist())}
        strip = [(last[a], last[b], new[b], new[a]) for a, b in border.tolist()]
        quads.append(np.array(strip))
        points.append(laid)
        source.append(copied)
        if own:
            mirror.append(np.array([new[m] for m in cage.mirror[copied].tolist()]))
            count += len(copied)
        else:
            twins = count + len(copied) + np.arange(len(copied))
            mirror += [twins, count + np.arange(len(copied))]
            points.append(laid * [-1, 1, 1])
            source.append(cage.mirror[copied])
            count += 2 * len(copied)
        last = {**last, **new}
    quads.append(np.vectorize(last.__getitem__)(patch))
    twin = np.concatenate(mirror)
    made = np.vstack(quads)
    gone = {tuple(sorted(q)) for q in patch.tolist()} | {tuple(sorted(q)) for q in cage.mirror[patch].tolist()}
    kept = np.array([q for q in cage.quads.tolist() if tuple(sorted(q)) not in gone])
    if not own:
        made = np.vstack([made, twin[made[:, ::-1]]])
    origin = np.concatenate(source)
    pinned = np.concatenate([cage.pinned, np.ones(count - len(cage.points), dtype=bool)])
    pinned[rim] = pinned[cage.mirror[rim]] = True
    grid = cage.grid[origin]
    everything = np.vstack([kept, made])
    used = np.unique(everything)  # what lay inside the patch is gone
    number = np.full(count, -1)
    number[used] = np.arange(len(used))
    return Cage(
        np.vstack(points)[used],
        number[everything],
        cage.parts[origin][used],
        number[twin[used]],
        grid[used],
        pinned[used],
    )


def _disc(place: NDArray[np.float64]) -> NDArray[np.float64]:
    """Places on a square laid on the unit disc: across, up."""
    up, across = place[:, 0], place[:, 1]
    return np.stack([across * np.sqrt(1 - up**2 / 2), up * np.sqrt(1 - across**2 / 2)], axis=1)


def _eye() -> list[Layer]:
    def almond(place: NDArray[np.float64], radius: float, grow: float) -> Points:
        """On a sphere about the eye: the upper lid over half of the iris, the lower at its edge."""
        u = _disc(place)
        x = 1.66 * u[:, 0] * grow
        y = np.where(u[:, 1] > 0, 0.52, 0.80) * u[:, 1] * grow + 0.06 * u[:, 0] - 0.04
        return EYE + np.stack([x, y, np.sqrt(np.maximum(radius**2 - x * x - y * y, 0.05))], axis=1)

    def behind(place: NDArray[np.float64], radius: float, polar: float) -> Points:
        u = _disc(place)
        length = np.linalg.norm(u, axis=1)
        angle = np.radians(180 - (180 - polar) * length)
        way = u / np.maximum(length, 1e-9)[:, None]
        out = np.stack([np.sin(angle) * way[:, 0], np.sin(angle) * way[:, 1], np.cos(angle)], axis=1)
        return np.asarray(EYE + radius * out)

    return [
        lambda place, _: almond(place, EYEBALL + LID + 0.16, 1.0),
        lambda place, _: almond(place, EYEBALL + ROOM + 0.3, 0.82),
        lambda place, _: behind(place, EYEBALL + ROOM + 0.62, 82),
        lambda place, _: behind(place, EYEBALL + ROOM + 0.75, 120),
    ]


def _mouth(field: Callable[[Points], Field]) -> list[Layer]:
    def line(place: NDArray[np.float64]) -> Points:
        """The lips, closed and a little smiling, drawn onto the face."""
        u = place[:, 1]
        out = np.stack([MOUTH_WIDTH * u, MOUTH + 0.42 * u**2 + 0.008 * place[:, 0], np.full(len(u), 8.5)], axis=1)
        for _ in range(12):
            value, gradient = value_and_gradient(field, out)
            out[:, 2] -= np.clip(value / np.maximum(gradient[:, 2], 0.3), -1, 1)
        return out

    def inner(place: NDArray[np.float64], deep: float, open_by: float, narrow: float) -> Points:
        out = line(place)
        out[:, 0] *= narrow
        out[:, 1] += open_by * place[:, 0] * (1 - 0.5 * place[:, 1] ** 2)
        out[:, 2] -= deep * (1 - 0.45 * place[:, 1] ** 2)
        return out

    return [
        lambda place, _: line(place) - [0, 0, 0.12],
        lambda place, _: inner(place, 0.45, 0.012, 1.0),
        lambda place, _: inner(place, 0.85, 0.02, 1.0),
        lambda place, _: inner(place, 1.25, 2.1, 1.05),
        lambda place, _: inner(place, 6.0, 2.1, 0.9),
    ]


def _ear() -> list[Layer]:
    def ring(off: float, grow: float, lean: float = 0.0) -> Layer:
        def lay(place: NDArray[np.float64], points: Points) -> Points:
            """An oval beside the head, taller above than below, standing off further at the back."""
            u = _disc(place) * grow
            across, up = u[:, 0], u[:, 1]
            x = points[:, 0].mean() + off * (1 + 0.45 * across)
            y = points[:, 1].mean() + up * np.where(up > 0, 3.1, 2.7) + lean
            z = points[:, 2].mean() - across * np.where(up > 0, 1.9, 1.3) - 0.22 * up - 0.4 * lean
            return np.stack([x, y, z], axis=1)

        return lay

    return [
        lambda _, points: points,
        ring(0.5, 0.62),
        ring(1.25, 1.0, 0.3),
        ring(1.3, 0.72, 0.3),
        ring(0.75, 0.42, 0.2),
    ]
