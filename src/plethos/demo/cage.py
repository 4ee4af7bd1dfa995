"""The quad cage of the figure: rings of vertices cast from inside the limbs onto the implicit body.

Half a figure (x >= 0) is written down and mirrored. Rings lie where joints bend, so that after subdivision edge
loops run round every limb. Casting is put off until the whole cage is known, so that it is done a field at a time.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import ArrayLike, NDArray

from plethos.demo.anatomy import ALONG, FINGERS, FRONT, OUTER, PALM, THUMB, arm, body, finger_joints, leg, thumb_joints
from plethos.demo.implicit import Field, Points, smooth_max

Ring = list[int]


@dataclass
class Cage:
    """A closed quad mesh with a name for the part of the body that each vertex belongs to.

    Parameters
    ----------
    points, quads
        ``(N, 3)`` centimetres, ``(Q, 4)`` counter-clockwise seen from outside.
    parts
        One name a vertex.
    mirror
        ``(N,)`` the vertex on the other side; itself on the middle line.
    """

    points: Points
    quads: NDArray[np.int64]
    parts: NDArray[np.str_]
    mirror: NDArray[np.int64]


@dataclass
class _Half:
    places: list[NDArray[np.float64]] = field(default_factory=list)
    parts: list[str] = field(default_factory=list)
    quads: list[tuple[int, ...]] = field(default_factory=list)
    rays: dict[str, list[tuple[int, NDArray[np.float64], NDArray[np.float64]]]] = field(default_factory=dict)

    def vertex(self, place: ArrayLike, part: str) -> int:
        self.places.append(np.array(place, float))
        self.parts.append(part)
        return len(self.places) - 1

    def quad(self, *corners: int) -> None:
        self.quads.append(corners)

    def bridge(self, a: Ring, b: Ring, closed: bool = True) -> Ring:
        """Quads between two rings; returns the second."""
        for i in range(len(a) if closed else len(a) - 1):
            j = (i + 1) % len(a)
            self.quad(a[i], a[j], b[j], b[i])
        return b

    def ring(
        self, part: str, onto: str, centre: ArrayLike, e1: ArrayLike, e2: ArrayLike, degrees: Sequence[float]
    ) -> Ring:
        """Vertices cast from `centre` in the plane of e1, e2 onto the field called `onto`."""
        e1, e2 = (np.asarray(e, float) / np.linalg.norm(e) for e in (e1, e2))
        out = []
        for angle in np.radians(degrees):
            number = self.vertex(centre, part)
            direction = np.cos(angle) * e1 + np.sin(angle) * e2
            self.rays.setdefault(onto, []).append((number, np.array(centre, float), direction))
            out.append(number)
        return out

    def cast(self, name: str) -> None:
        """Resolve the rays onto one field."""
        rays = self.rays.pop(name)
        starts, directions = np.array([r[1] for r in rays]), np.array([r[2] for r in rays])
        for (number, _, _), place in zip(rays, _first_exit(starts, directions, _FIELDS[name]), strict=True):
            self.places[number] = place


def _foot(points: Points) -> Field:
    return smooth_max(body("leg")(points), -points[:, 1], 0.5)


# Rings are cast against their own limb only, or an arm's ray would end on the ribs.
_FIELDS: dict[str, Callable[[Points], Field]] = {
    "trunk": body("torso", "seat", "leg"),
    "head": body("head", "torso", "ear"),
    "arm": body("arm"),
    "leg": body("leg", "seat"),
    "foot": _foot,
}


def _first_exit(starts: Points, directions: Points, inside: Callable[[Points], Field]) -> Points:
    """Where rays leave a solid: sphere tracing from within."""
    t = np.full(len(starts), 0.2)
    going = np.arange(len(starts))
    for _ in range(400):
        value = inside(starts[going] + t[going, None] * directions[going])
        going, value = going[value <= -1e-3], value[value <= -1e-3]
        if len(going) == 0:
            break
        t[going] += np.clip(-value * 0.7, 0.02, 0.35)
    return starts + t[:, None] * directions


def build_cage() -> Cage:
    """The whole cage, mirrored, closed and wound outwards."""
    half = _Half()
    rows, top, middle_back, bottom, crotch = _torso(half)
    _neck_and_head(half, [top[0], top[1], middle_back, top[7], top[8]])
    _arm_and_hand(half, rows)
    _leg_and_foot(half, [bottom[2], bottom[3], bottom[4], bottom[5], bottom[6], bottom[7], crotch, bottom[1]])
    for name in list(half.rays):
        half.cast(name)
    return _mirrored(half)


def _torso(half: _Half) -> tuple[list[Ring], Ring, int, Ring, int]:
    heights = (90, 97.5, 102, 106.5, 111, 117, 123.5, 130.5, 136, 141, 145.5)
    hip = np.array([82.6, 84.5, 89.5, 94, 94.5, 89.5, 83.6, 81.4, 82.2])  # the lowest row follows the groin
    sag = {0: 1.0, 1: 0.42, 2: 0.2, 3: 0.07}
    angles = (0, 20, 43, 68, 92, 116, 138, 160, 180)
    rows: list[Ring] = []
    for j, height in enumerate(heights):
        row = []
        for i, angle in enumerate(angles):
            y = hip[i] if j == 0 else height + (hip[i] - 90) * sag.get(j, 0.0)
            row += half.ring("torso", "trunk", (0, y, -0.3 if j < 7 else -1.2), (0, 0, 1), (1, 0, 0), [angle])
        rows.append(row)
    for (j, i), place in _SHOULDER_GIRDLE.items():
        half.places[rows[j][i]] = np.array(place, float)
        half.rays["trunk"] = [r for r in half.rays["trunk"] if r[0] != rows[j][i]]
    last = len(rows) - 1
    for j in range(last):
        for i in range(8):
            if not (j >= 7 and i in (3, 4)):  # the armhole
                half.quad(rows[j][i], rows[j][i + 1], rows[j + 1][i + 1], rows[j + 1][i])
    top, bottom = rows[last], rows[0]
    m1 = half.vertex((5.6, 149.6, -2.4), "torso")
    m2 = half.vertex((9.8, 148.6, -2.6), "torso")
    half.quad(top[1], top[2], m2, m1)
    half.quad(top[2], top[3], top[4], m2)
    half.quad(m1, m2, top[6], top[7])
    half.quad(m2, top[4], top[5], top[6])
    p0 = half.vertex((0, 81.2, -1.5), "torso")
    p1 = half.vertex((1.5, 80.6, -1.5), "torso")
    half.quad(bottom[1], bottom[0], p0, p1)
    half.quad(p1, p0, bottom[8], bottom[7])
    return rows, top, m1, bottom, p1


# Rows and columns of the torso that rays do not find well: written down, then drawn onto the body like the rest.
_SHOULDER_GIRDLE = {
    (7, 3): (13.6, 131.2, 6.2), (7, 4): (15.9, 129.6, -1.2), (7, 5): (14.6, 129.6, -8.0),
    (8, 3): (14.8, 136.4, 6.4), (8, 5): (14.8, 135.6, -8.4), (9, 3): (14.6, 141.4, 5.2), (9, 5): (14.4, 141.2, -7.4),
    (10, 3): (13.8, 146.2, 1.6), (10, 4): (14.2, 147.4, -2.2), (10, 5): (13.6, 146.4, -5.6),
    (7, 2): (9.0, 130.2, 10.2), (8, 2): (9.2, 136, 9.0), (9, 2): (9.2, 141.2, 6.8), (10, 2): (9.2, 145.6, 3.4),
    (7, 1): (4.4, 130.4, 11.2), (8, 1): (4.6, 136, 9.6), (9, 1): (4.6, 141, 7.2), (10, 1): (4.4, 145.2, 4.2),
    (10, 0): (0, 144.2, 4.0), (10, 8): (0, 149.5, -8.6), (10, 7): (4.8, 149.0, -7.6), (10, 6): (9.4, 148.0, -6.8),
    (9, 6): (9.0, 141.5, -10), (9, 7): (4.4, 142, -11), (9, 8): (0, 142.5, -10.6),
}  # fmt: skip


def _neck_and_head(half: _Half, previous: Ring) -> None:
    spans = (
        ((0, 148.6, 3.0), (0, 153.4, -7.2)), ((0, 152.6, 4.2), (0, 157.6, -6.2)), ((0, 155.6, 5.2), (0, 161.2, -6.6)),
        ((0, 156.0, 7.8), (0, 164.0, -9)), ((0, 158.2, 9.6), (0, 166.2, -9.5)), ((0, 160.6, 9.8), (0, 168, -9.8)),
        ((0, 162.9, 9.6), (0, 169.8, -9.8)), ((0, 164.6, 11.6), (0, 171.2, -9.7)), ((0, 167.4, 10.4), (0, 172.6, -9.6)),
        ((0, 169.6, 9.2), (0, 173.8, -9.1)), ((0, 171.6, 9.3), (0, 175, -8.3)), ((0, 174.6, 7.4), (0, 176.4, -6.8)),
        ((0, 176.9, 4.3), (0, 177.4, -4.4)),
    )  # fmt: skip
    for k, (front, back) in enumerate(np.array(spans)):
        angles = (0, 40, 92, 140, 180) if k > 2 else (0, 45, 90, 135, 180)
        ring = half.ring("head", "head", (front + back) / 2, front - back, (1, 0, 0), angles)
        previous = half.bridge(previous, ring, closed=False)
    crown = half.vertex((0, 178, -0.2), "head")
    half.quad(previous[0], previous[1], previous[2], crown)
    half.quad(previous[2], previous[3], previous[4], crown)


def _arm_and_hand(half: _Half, torso: list[Ring]) -> None:
    t = torso
    previous = [t[10][4], t[10][3], t[9][3], t[8][3], t[7][3], t[7][4], t[7][5], t[8][5], t[9][5], t[10][5]]
    for k, down in enumerate((2.8, 6.2, 10.5, 15.5, 20.5, 24.6, 27.3, 29.4, 32.0, 36, 41.5, 47.5, 52.4)):
        tilt = {0: 0.55, 1: 0.28, 2: 0.1}.get(k, 0.0)  # the first rings lie parallel to the armhole
        flat = np.clip((down - 40) / 12, 0, 1)  # ten round the arm become five and five at the flat wrist
        angles = np.arange(10) * 36.0 * (1 - flat) + np.array([0, 50, 80, 100, 130, 180, 230, 260, 280, 310]) * flat
        centre = arm(down, -0.4 if down < 12 else 0, 0)
        previous = half.bridge(previous, half.ring("arm", "arm", centre, OUTER - ALONG * tilt, FRONT, angles.tolist()))
    upper, lower = (2, 1, 0, 9, 8), (3, 4, 5, 6, 7)  # columns on the back of the hand and on the palm
    palm: list[Ring] = []
    for k, (down, width, thick) in enumerate(((55.2, 2.5, 1.7), (59.2, 3.5, 1.6), (62.6, 4.1, 1.35))):
        ring = [0] * 10
        for c in range(5):
            z, r = width * (1 - c / 2), thick * (0.75 if c in (0, 4) else 1)
            at = PALM + down + (0 if k < 2 else (-0.4, 0.6, 0.7, 0.2, -1.2)[c])
            ring[upper[c]] = half.vertex(arm(at, r, z), "hand")
            ring[lower[c]] = half.vertex(arm(at, -r - 0.1, z), "hand")
        palm.append(ring)
    half.bridge(previous, palm[0])
    for k in range(2):
        for i in range(10):
            if not (k == 0 and i == 2):  # the thumb leaves here
                j = (i + 1) % 10
                half.quad(palm[k][i], palm[k][j], palm[k + 1][j], palm[k + 1][i])
    for c, finger in enumerate(FINGERS):
        root = [palm[2][upper[c]], palm[2][upper[c + 1]], palm[2][lower[c + 1]], palm[2][lower[c]]]
        stations = ((0, 0.52), (0, 0.9), (1, 0.14), (1, 0.90), (2, 0.78))
        sizes = [finger[4] * (1.12 if k < 4 else 0.62) * (1 - 0.04 * k) for k in range(5)]
        corners = ((0.8, 0.8), (-0.8, 0.8), (-0.8, -0.8), (0.8, -0.8))
        _digit(half, finger[0], root, finger_joints(finger), stations, sizes, FRONT, OUTER, corners)
    root = [palm[0][2], palm[0][3], palm[1][3], palm[1][2]]
    stations = ((0, 0.80), (1, 0.10), (1, 0.55), (2, 0.05), (2, 0.80))
    radii = [THUMB[b][3] * (1 - t) + THUMB[b + 1][3] * t for b, t in stations]
    sizes = [r * (1.1 if k < 4 else 0.6) for k, r in enumerate(radii)]
    corners = ((-0.8, 0.8), (-0.8, -0.8), (0.8, -0.8), (0.8, 0.8))
    _digit(half, "thumb", root, thumb_joints(), stations, sizes, ALONG, OUTER, corners)


def _digit(
    half: _Half,
    name: str,
    previous: Ring,
    joints: list[NDArray[np.float64]],
    stations: Sequence[tuple[int, float]],
    sizes: Sequence[float],
    side: NDArray[np.float64],
    up: NDArray[np.float64],
    corners: Sequence[tuple[float, float]],
) -> None:
    """A square tube along a finger, closed at its tip."""
    for (bone, t), size in zip(stations, sizes, strict=True):
        along = joints[bone + 1] - joints[bone]
        centre = joints[bone] + along * t
        along = along / np.linalg.norm(along)
        across = side - along * (side @ along)
        across /= np.linalg.norm(across)
        out = np.cross(along, across)
        out = out if out @ up > 0 else -out
        ring = [half.vertex(centre + (across * a + out * b) * size, f"finger_{name}") for a, b in corners]
        previous = half.bridge(previous, ring)
    half.quad(*previous)


def _leg_and_foot(half: _Half, previous: Ring) -> None:
    angles = (0, 45, 90, 135, 180, 225, 270, 315)
    # height, how far the ring tilts along the groin sideways and forwards
    for y, side, fore in (
        (79.5, 8, -3), (74.5, 5, -2), (68, 2, -1), (61.5, 0, 0), (56.8, 0, 0), (53.4, 0, 0), (50.4, 0, 0),
        (47.4, 0, 0), (43.5, 0, 0), (38, 0, 0), (31, 0, 0), (23, 0, 0), (15, 0, 0),
    ):  # fmt: skip
        z = np.interp(y, [9, 30, 50, 80], [-1.6, -1.2, 0.2, -0.3])
        ring = half.ring("leg", "leg", leg(10.2, y, z), (0, fore * 0.06, 1.0), (1, side * 0.07, 0), angles)
        previous = half.bridge(previous, ring)
    # The foot is the leg's tube turned by 90 degrees: front z and y, back z and y, x, how far it splays.
    for zf, yf, zb, yb, x, splay in (
        (2.6, 10.2, -6.6, 8.6, 10.4, 0), (4.6, 8.2, -8.6, 4.6, 10.4, 0), (6.8, 6.7, -7.6, 0.3, 10.4, 0),
        (9.2, 5.4, -1.5, -0.3, 10.7, -0.1), (12.0, 4.0, 6.5, -0.3, 11.2, -0.25), (14.6, 3.0, 11.8, -0.3, 11.3, -0.38),
    ):  # fmt: skip
        front, back = leg(x, yf, zf), leg(x, yb, zb)
        ring = half.ring("foot", "foot", (front + back) / 2, front - back, (1.0, 0, splay), angles)
        previous = half.bridge(previous, ring)
    half.cast("foot")
    # A ring is shrunk before it closes, so that the tip stays round.
    places = np.array([half.places[i] for i in previous])
    middle = places.mean(0)
    lean = (places[:, :1] - middle[0]) * np.array([0, 0, 0.22])
    shrunk = middle + (places - middle) * 0.62 + np.array([0, -0.1, 2.2]) - lean
    tip = half.bridge(previous, [half.vertex(p, "foot") for p in shrunk])
    centre = half.vertex(leg(11.0, 1.4, 16.2), "foot")
    for i in (1, 3, 5, 7):
        half.quad(tip[i - 1], tip[i], tip[(i + 1) % 8], centre)


def _mirrored(half: _Half) -> Cage:
    used = np.unique(np.concatenate([np.array(q) for q in half.quads]))
    place = np.full(len(half.places), -1)
    place[used] = np.arange(len(used))
    points = np.array(half.places)[used]
    parts = np.array(half.parts)[used]
    quads = place[np.array(half.quads)]
    points[parts == "leg", 0] = np.maximum(points[parts == "leg", 0], 0.8)
    middle = np.abs(points[:, 0]) < 1e-6
    points[middle, 0] = 0
    others = np.flatnonzero(~middle)
    twin = np.arange(len(points))
    twin[others] = len(points) + np.arange(len(others))
    mirror = np.concatenate([twin, others])
    points = np.vstack([points, points[others] * [-1, 1, 1]])
    quads = np.vstack([quads, twin[quads[:, ::-1]]])
    return Cage(points, _wound_outwards(points, quads), np.concatenate([parts, parts[others]]), mirror)


def _wound_outwards(points: Points, quads: NDArray[np.int64]) -> NDArray[np.int64]:
    """Give all quads the same winding by walking from one to its neighbours, then the outward one."""
    quads = quads.copy()
    beside: dict[frozenset[int], list[int]] = {}
    for number, quad in enumerate(quads.tolist()):
        for k in range(4):
            beside.setdefault(frozenset((quad[k], quad[(k + 1) % 4])), []).append(number)
    assert all(len(pair) == 2 for pair in beside.values()), "the cage has to be closed"
    seen, waiting = {0}, [0]
    while waiting:
        here = waiting.pop()
        corners = quads[here].tolist()
        for k in range(4):
            u, v = corners[k], corners[(k + 1) % 4]
            for other in beside[frozenset((u, v))]:
                if other in seen:
                    continue
                theirs = quads[other].tolist()
                if theirs[(theirs.index(u) + 1) % 4] == v:
                    quads[other] = quads[other][::-1]
                seen.add(other)
                waiting.append(other)
    a, b, c, d = (points[quads[:, k]] for k in range(4))
    volume = np.einsum("qi,qi->", a, np.cross(b, c) + np.cross(c, d))
    return quads if volume > 0 else quads[:, ::-1].copy()
