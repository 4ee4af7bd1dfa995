"""The quad cage of the figure: rings of vertices cast from inside the limbs onto the implicit body.

Half a figure (x >= 0) is written down and mirrored. Rings lie where joints bend, so that after subdivision edge
loops run round every limb. Casting is put off until the whole cage is known, so that it is done a field at a time.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import ArrayLike, NDArray

from plethos.demo.anatomy import ALONG, FINGERS, FRONT, OUTER, PALM, THUMB, arm, body, finger_joints, thumb_joints
from plethos.demo.build import Build
from plethos.demo.foot import TOES, WEBS, leg, toe_joints
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
    grid
        ``(N, 2)`` row and column on the head, where the face is cut, the same on both sides; the row on limbs; NaN
        elsewhere.
    pinned
        ``(N,)`` vertices that are not drawn onto the implicit body: lids, lips, what lies behind them, ears.
    """

    points: Points
    quads: NDArray[np.int64]
    parts: NDArray[np.str_]
    mirror: NDArray[np.int64]
    grid: NDArray[np.float64]
    pinned: NDArray[np.bool_]


@dataclass
class _Half:
    build: Build
    grid: dict[int, tuple[float, float]] = field(default_factory=dict)
    places: list[NDArray[np.float64]] = field(default_factory=list)
    parts: list[str] = field(default_factory=list)
    quads: list[tuple[int, ...]] = field(default_factory=list)
    rays: dict[str, list[tuple[int, NDArray[np.float64], NDArray[np.float64]]]] = field(default_factory=dict)

    def vertex(self, place: ArrayLike, part: str) -> int:
        aside = self.build.stance if part in ("leg", "foot") else 0.0
        self.places.append(np.array(place, float) + np.array([aside, 0, 0]))
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
            self.rays.setdefault(onto, []).append((number, self.places[number], direction))
            out.append(number)
        return out

    def cast(self, name: str) -> None:
        """Resolve the rays onto one field."""
        rays = self.rays.pop(name)
        starts, directions = np.array([r[1] for r in rays]), np.array([r[2] for r in rays])
        for (number, _, _), place in zip(rays, _first_exit(starts, directions, _field(self.build, name)), strict=True):
            self.places[number] = place


# Rings are cast against their own limb only, or an arm's ray would end on the ribs.
_AGAINST = {
    "trunk": ("torso", "seat", "leg"),
    "head": ("head", "torso", "ear"),
    "arm": ("arm",),
    "leg": ("leg", "seat"),
    "foot": ("leg",),
}


def _field(build: Build, name: str) -> Callable[[Points], Field]:
    limb = body(build, *_AGAINST[name])
    if name != "foot":
        return limb
    return lambda points: smooth_max(limb(points), build.sole - points[:, 1], 0.5)


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


def build_cage(build: Build) -> Cage:
    """The whole cage, mirrored, closed and wound outwards."""
    half = _Half(build)
    rows, top, side_of_neck, bottom, crotch = _torso(half)
    _neck_and_head(half, [top[0], top[1], top[2], side_of_neck, top[6], top[7], top[8]])
    _arm_and_hand(half, rows)
    _leg_and_foot(half, [bottom[2], bottom[3], bottom[4], bottom[5], bottom[6], bottom[7], crotch, bottom[1]])
    for name in list(half.rays):
        half.cast(name)
    return _mirrored(half)


def _torso(half: _Half) -> tuple[list[Ring], Ring, int, Ring, int]:
    heights = (90, 97.2, 103.2, 109.6, 116.4, 123.5, 130.5, 136, 141, 145.5)
    hip = np.array([82.6, 84.5, 89.5, 94, 94.5, 89.5, 83.6, 81.4, 82.2])  # the lowest row follows the groin
    sag = {0: 1.0, 1: 0.42, 2: 0.2, 3: 0.07}
    angles = (0, 20, 43, 68, 92, 116, 138, 160, 180)
    rows: list[Ring] = []
    for j, height in enumerate(heights):
        row = []
        for i, angle in enumerate(angles):
            y = hip[i] if j == 0 else height + (hip[i] - 90) * sag.get(j, 0.0)
            row += half.ring("torso", "trunk", (0, y, -0.3 if j < 6 else -1.2), (0, 0, 1), (1, 0, 0), [angle])
        rows.append(row)
    for (j, i), place in _SHOULDER_GIRDLE.items():
        half.places[rows[j][i]] = np.array(place, float)
        half.rays["trunk"] = [r for r in half.rays["trunk"] if r[0] != rows[j][i]]
    last = len(rows) - 1
    for j in range(last):
        for i in range(8):
            if not (j >= 6 and i in (3, 4)):  # the armhole
                half.quad(rows[j][i], rows[j][i + 1], rows[j + 1][i + 1], rows[j + 1][i])
    top, bottom = rows[last], rows[0]
    neck = half.vertex((7.0, 149.0, -2.4), "torso")
    half.quad(top[2], top[3], top[4], neck)
    half.quad(neck, top[4], top[5], top[6])
    p0 = half.vertex((0, 81.2, -1.5), "torso")
    p1 = half.vertex((1.5, 80.6, -1.5), "torso")
    half.quad(bottom[1], bottom[0], p0, p1)
    half.quad(p1, p0, bottom[8], bottom[7])
    return rows, top, neck, bottom, p1


# Rows and columns of the torso that rays do not find well: written down, then drawn onto the body like the rest.
_SHOULDER_GIRDLE = {
    (6, 3): (13.6, 131.2, 6.2), (6, 4): (15.9, 129.6, -1.2), (6, 5): (14.6, 129.6, -8.0),
    (7, 3): (14.8, 136.4, 6.4), (7, 5): (14.8, 135.6, -8.4), (8, 3): (14.6, 141.4, 5.2), (8, 5): (14.4, 141.2, -7.4),
    (9, 3): (13.8, 146.2, 1.6), (9, 4): (14.2, 147.4, -2.2), (9, 5): (13.6, 146.4, -5.6),
    (6, 2): (9.0, 130.2, 10.2), (7, 2): (9.2, 136, 9.0), (8, 2): (9.2, 141.2, 6.8), (9, 2): (7.8, 145.9, 3.3),
    (6, 1): (4.4, 130.4, 11.2), (7, 1): (4.6, 136, 9.6), (8, 1): (4.6, 141, 7.2), (9, 1): (4.0, 145.0, 4.1),
    (9, 0): (0, 144.2, 4.0), (9, 8): (0, 149.5, -8.6), (9, 7): (4.3, 149.2, -7.8), (9, 6): (7.9, 148.5, -6.6),
    (8, 6): (9.0, 141.5, -10), (8, 7): (4.4, 142, -11), (8, 8): (0, 142.5, -10.6),
}  # fmt: skip


def _neck_and_head(half: _Half, previous: Ring) -> None:
    """Rows from the neck to the crown, their columns closest together over the face; the mouth is at row 5."""
    spans = (
        ((0, 149.2, 2.8), (0, 153.8, -7.0)), ((0, 153.2, 3.6), (0, 158.4, -6.0)), ((0, 155.8, 4.8), (0, 162.2, -6.6)),
        ((0, 156.2, 8.0), (0, 164.8, -8.8)), ((0, 158.6, 9.4), (0, 166.8, -9.6)), ((0, 161.2, 9.8), (0, 168.8, -9.9)),
        ((0, 163.3, 9.6), (0, 170.4, -10)), ((0, 165.0, 12.0), (0, 171.6, -9.9)), ((0, 167.5, 10.4), (0, 173.0, -9.6)),
        ((0, 170.4, 9.4), (0, 174.8, -8.8)), ((0, 173.8, 9.0), (0, 176.6, -7.4)), ((0, 177.2, 5.4), (0, 178.3, -4.4)),
    )  # fmt: skip
    neck, face = (0, 28, 56, 92, 126, 154, 180), (0, 14, 30, 54, 96, 138, 180)
    for row, (front, back) in enumerate(np.array(spans)):
        ring = half.ring("head", "head", (front + back) / 2, front - back, (1, 0, 0), face if row > 2 else neck)
        half.grid |= {number: (float(row), float(column)) for column, number in enumerate(ring)}
        previous = half.bridge(previous, ring, closed=False)
    p, top = previous, [half.vertex(place, "head") for place in ((0, 178.6, 3.0), (0, 179.2, 0.2), (0, 179.1, -2.4))]
    half.quad(p[0], p[1], p[2], top[0])
    half.quad(top[0], p[2], p[3], top[1])
    half.quad(top[1], p[3], p[4], top[2])
    half.quad(top[2], p[4], p[5], p[6])
    half.grid |= {number: (12.0, 0.0) for number in top}


def _arm_and_hand(half: _Half, torso: list[Ring]) -> None:
    t = torso
    previous = [t[9][4], t[9][3], t[8][3], t[7][3], t[6][3], t[6][4], t[6][5], t[7][5], t[8][5], t[9][5]]
    for k, down in enumerate((2.8, 6.4, 11.5, 18.0, 24.2, 27.2, 29.5, 32.4, 39.5, 47, 52.4)):
        tilt = {0: 0.55, 1: 0.28, 2: 0.1}.get(k, 0.0)  # the first rings lie parallel to the armhole
        flat = np.clip((down - 40) / 12, 0, 1)  # ten round the arm become five and five at the flat wrist
        angles = np.arange(10) * 36.0 * (1 - flat) + np.array([0, 50, 80, 100, 130, 180, 230, 260, 280, 310]) * flat
        centre = arm(down, -0.4 if down < 12 else 0, 0)
        ring = half.ring("arm", "arm", centre, OUTER - ALONG * tilt, FRONT, angles.tolist())
        half.grid |= {number: (float(k), np.nan) for number in ring}
        previous = half.bridge(previous, ring)
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
        stations = ((0, 0.72), (1, 0.35), (2, 0.15), (2, 0.86))
        sizes = [finger[4] * (1.12, 1.08, 1.0, 0.55)[k] for k in range(4)]
        corners = ((0.8, 0.8), (-0.8, 0.8), (-0.8, -0.8), (0.8, -0.8))
        _digit(half, f"finger_{finger[0]}", root, finger_joints(finger), stations, sizes, FRONT, OUTER, corners)
    root = [palm[0][2], palm[0][3], palm[1][3], palm[1][2]]
    stations = ((0, 0.86), (1, 0.40), (2, 0.15), (2, 0.92))
    radii = [THUMB[b][3] * (1 - t) + THUMB[b + 1][3] * t for b, t in stations]
    sizes = [r * (1.0, 1.05, 1.0, 0.55)[k] for k, r in enumerate(radii)]
    corners = ((-0.8, 0.8), (-0.8, -0.8), (0.8, -0.8), (0.8, 0.8))
    _digit(half, "finger_thumb", root, thumb_joints(), stations, sizes, ALONG, OUTER, corners)


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
    """A square tube along a finger or toe, closed at its tip; `name` is its part."""
    for row, ((bone, t), size) in enumerate(zip(stations, sizes, strict=True)):
        along = joints[bone + 1] - joints[bone]
        centre = joints[bone] + along * t
        along = along / np.linalg.norm(along)
        across = side - along * (side @ along)
        across /= np.linalg.norm(across)
        out = np.cross(along, across)
        out = out if out @ up > 0 else -out
        ring = [half.vertex(centre + (across * a + out * b) * size, name) for a, b in corners]
        half.grid |= {number: (float(row), np.nan) for number in ring}
        previous = half.bridge(previous, ring)
    half.quad(*previous)


def _leg_and_foot(half: _Half, previous: Ring) -> None:
    angles = (0, 45, 90, 135, 180, 225, 270, 315)
    # height, how far the ring tilts along the groin sideways and forwards
    rows = (
        (79.5, 8, -3), (74, 5, -2), (66, 2, -1), (57.6, 0, 0), (53.6, 0, 0), (50.4, 0, 0), (47.2, 0, 0),
        (42.5, 0, 0), (34, 0, 0), (24, 0, 0), (15, 0, 0),
    )  # fmt: skip
    for k, (y, side, fore) in enumerate(rows):
        z = np.interp(y, [9, 30, 50, 80], [-1.6, -1.2, 0.2, -0.3])
        ring = half.ring("leg", "leg", leg(10.2, y, z), (0, fore * 0.06, 1.0), (1, side * 0.07, 0), angles)
        half.grid |= {number: (float(k), np.nan) for number in ring}
        previous = half.bridge(previous, ring)
    # The foot is the leg's tube turned by 90 degrees.
    bare = half.build.feet == "bare"
    for row, (zf, yf, zb, yb, x, splay) in enumerate((*_ANKLE, *(_BALL if bare else _SHOE))):
        front, back = leg(x, yf + half.build.sole, zf), leg(x, yb + half.build.sole, zb)
        twist = 4.5 * (row + 1) if bare else 0.0  # so that toes leave from between the columns
        turned = [angle + twist for angle in angles]
        ring = half.ring("foot", "foot", (front + back) / 2, front - back, (1.0, 0, splay), turned)
        half.grid |= {number: (float(row), np.nan) for number in ring}
        previous = half.bridge(previous, ring)
    half.cast("foot")
    if bare:
        _toes(half, previous)
        return
    # A ring is shrunk before it closes, so that the tip stays round.
    places = np.array([half.places[i] for i in previous])
    middle = places.mean(0)
    lean = (places[:, :1] - middle[0]) * np.array([0, 0, 0.22])
    shrunk = middle + (places - middle) * 0.62 + np.array([0, -0.1, 2.2]) - lean
    tip = half.bridge(previous, [half.vertex(p, "foot") for p in shrunk])
    centre = half.vertex(leg(11.0, 1.4, 16.2), "foot")
    for i in (1, 3, 5, 7):
        half.quad(tip[i - 1], tip[i], tip[(i + 1) % 8], centre)


# Rows of the foot: front z and y, back z and y, x, splay. The ball ends where the toes begin.
_ANKLE = ((2.8, 10.6, -6.8, 8.6, 10.4, 0), (5.2, 8.4, -8.4, 3.2, 10.4, 0))
_SHOE = ((8.4, 6.4, -4.6, -0.3, 10.6, -0.05), (11.8, 4.4, 4.6, -0.3, 11.1, -0.22), (14.6, 3.2, 11.6, -0.3, 11.3, -0.38))
_BALL = ((7.6, 6.4, -4.6, -0.3, 10.6, -0.05), (9.2, 4.6, 3.4, -0.3, 11.1, -0.2), (10.4, 3.2, 9.2, -0.3, 11.5, -0.34))


def _toes(half: _Half, ring: Ring) -> None:
    """Five toes on a ring of eight: of its three edges above and below, the middle one becomes three."""
    z = np.interp(WEBS, [t[0] for t in TOES], [t[1] for t in TOES]) - [0.9, 0.5, 0.4, 0.4, 0.4, 0.9]
    above = [
        half.vertex(leg(x, h, at), "foot") for x, h, at in zip(WEBS, (2.4, 2.6, 2.2, 2.0, 1.8, 1.5), z, strict=True)
    ]
    below = [half.vertex(leg(x, 0.3, at), "foot") for x, at in zip(WEBS, z, strict=True)]
    for toes, (a, b, c, d) in ((above, (6, 7, 0, 1)), (below, (5, 4, 3, 2))):
        half.bridge([ring[a], ring[b]], toes[:2], closed=False)
        half.bridge([ring[c], ring[d]], toes[4:], closed=False)
        left, right = (np.array(half.places[ring[n]]) for n in (b, c))
        ends = [np.array(half.places[toes[n]]) for n in (2, 3)]
        inner = [
            half.vertex(0.5 * (from_ + to) - [half.build.stance, 0, 0], "foot")
            for from_, to in ((0.62 * left + 0.38 * right, ends[0]), (0.38 * left + 0.62 * right, ends[1]))
        ]
        half.quad(ring[b], ring[c], inner[1], inner[0])
        half.quad(ring[b], inner[0], toes[2], toes[1])
        half.quad(inner[0], inner[1], toes[3], toes[2])
        half.quad(inner[1], ring[c], toes[4], toes[3])
    half.quad(ring[1], ring[2], below[5], above[5])
    half.quad(ring[5], ring[6], above[0], below[0])
    for n, toe in enumerate(TOES):
        root = [above[n], above[n + 1], below[n + 1], below[n]]
        sizes = [toe[3] * s for s in (1.0, 0.95, 0.6)]
        corners = ((-0.8, 0.8), (0.8, 0.8), (0.8, -0.8), (-0.8, -0.8))
        stations = ((0, 0.35), (1, 0.0), (1, 0.8))
        _digit(half, "foot", root, toe_joints(toe), stations, sizes, *np.eye(3)[:2], corners)


def _mirrored(half: _Half) -> Cage:
    used = np.unique(np.concatenate([np.array(q) for q in half.quads]))
    place = np.full(len(half.places), -1)
    place[used] = np.arange(len(used))
    points = np.array(half.places)[used]
    parts = np.array(half.parts)[used]
    grid = np.array([half.grid.get(int(n), (np.nan, np.nan)) for n in used])
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
    return Cage(
        points,
        _wound_outwards(points, quads),
        np.concatenate([parts, parts[others]]),
        mirror,
        np.vstack([grid, grid[others]]),
        np.zeros(len(points), dtype=bool),
    )


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
