"""The body as an implicit figure: bones and muscles as solids, group by group; the head is in `head.py`.

Proportions and places are from memory of what bodies look like, adjusted by eye on pictures: no source.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import numpy as np
from numpy.typing import NDArray

from plethos.demo.build import Build
from plethos.demo.foot import foot_solids, leg
from plethos.demo.head import ear_solids, eye_lids, head_solids, sockets
from plethos.demo.implicit import Ellipsoid, Field, Group, Loft, Muscle, Points, smooth_max, smooth_min, turned, union

HEIGHT = 178.0
SLOPE = np.radians(42)  # how far the resting arm hangs below the horizontal
SHOULDER = np.array([18.2, 142.5, -1.8])
ALONG = np.array([np.cos(SLOPE), -np.sin(SLOPE), 0.0])  # down the arm
OUTER = np.array([np.sin(SLOPE), np.cos(SLOPE), 0.0])  # back of the hand
FRONT = np.array([0.0, 0.0, 1.0])
UPPER_ARM, FOREARM = 28.5, 25.5
WRIST = UPPER_ARM + FOREARM
PALM = WRIST - 54  # the hand was drawn for a wrist at 54

# name, z of the knuckle, its place down the arm, length, radius, spread
FINGERS = (
    ("index", 3.15, 63.4, 7.4, 0.86, 0.15),
    ("middle", 1.05, 64.0, 8.2, 0.88, 0.03),
    ("ring", -1.1, 63.4, 7.6, 0.85, -0.09),
    ("little", -3.15, 62.0, 6.1, 0.76, -0.21),
)
# place down the arm, outward, forward, radius
THUMB = ((56.3, -0.7, 2.3, 1.75), (60.3, -2.0, 5.1, 1.35), (63.6, -2.9, 6.7, 1.08), (66.3, -3.4, 7.7, 0.85))


def arm(down: float, out: float, forward: float) -> NDArray[np.float64]:
    """A place in the arm's own frame; the relaxed forearm drifts a little forward."""
    return SHOULDER + ALONG * down + OUTER * out + FRONT * (forward + max(0.0, down - UPPER_ARM) * 0.09)


def finger_joints(finger: tuple[str, float, float, float, float, float]) -> list[NDArray[np.float64]]:
    """Knuckle, two joints and tip of a finger, slightly curled."""
    _, z, down, length, _, spread = finger
    down, out, angle = down + PALM, -0.15, 0.12
    places = [(down, out, z)]
    for share, curl in ((0.44, 0.20), (0.31, 0.22), (0.25, 0.0)):
        piece = length * share
        down, out, z = down + piece * np.cos(angle), out - piece * np.sin(angle), z + piece * spread
        places.append((down, out, z))
        angle += curl
    return [arm(*p) for p in places]


def thumb_joints() -> list[NDArray[np.float64]]:
    """The three joints and the tip of the thumb."""
    return [arm(PALM + down, out, forward) for down, out, forward, _ in THUMB]


def _torso(build: Build) -> Group:
    solids: Group = [
        (
            Loft(build.torso),
            0,
        ),
        # back
        (
            Muscle(((6, 122, -6.5), 3.5), ((12.5, 130, -6.5), 4.3), ((16, 135, -4.5), 2.6), flat=((0.5, 0, 0.9), 1.25)),
            3,
        ),
        (Muscle(((5, 106, -6.0), 2.4), ((9.5, 118, -6.5), 4.0), ((13.0, 128, -6.2), 4.0)), 3.5),
        (Muscle(((3.1, 96, -7.4), 2.2), ((3.3, 106, -5.4), 2.6), ((3.4, 118, -7.7), 2.8), ((3.2, 130, -10), 2.2)), 2.6),
        (Ellipsoid((9.0, 133.0, -9.0), (6.2, 8.2, 3.0), turned((0, 0, 1), -10)), 4.5),  # shoulder blade
        (Muscle(((1.0, 128, -10.6), 1.6), ((5.5, 139.5, -9.0), 3.4), ((14.5, 144.6, -4.4), 2.4)), 4.5),
        # chest
        (Ellipsoid((7.3, 131.8, 7.4), (7.6, 6.0, 3.5), turned((0, 0, 1), 14) @ turned((0, 1, 0), -18)), 1.9),
        (
            Muscle(
                ((7.5, 133.5, 7.9), 3.2), ((13.4, 136.8, 4.6), 3.7), ((19.5, 136.8, 0.6), 2.6), flat=((0, 0.2, 1), 1.15)
            ),
            3.0,
        ),
        (Ellipsoid((13.6, 140.3, 1.0), (5.0, 4.2, 4.6)), 3.5),
        (Muscle(((2, 142.6, 4.1), 1.0), ((8, 144.0, 3.6), 1.0), ((16.2, 146.6, -1.2), 1.2)), 2.0),  # collar bone
        # belly: a soft groove that ends at the navel
        (Muscle(((3.3, 125, 7.4), 2.4), ((3.3, 115, 7.6), 2.8), ((2.4, 104, 7.6), 2.8), ((1.0, 92, 6.0), 2.4)), 5.0),
        (Ellipsoid((0, 103.5, 6.6 + build.belly), (7.5, 9.0, 4.6)), 5.0),
        (Ellipsoid((9.6, 100.5, 0.4), (3.8, 7.5, 6.0)), 7),  # flank
        (Ellipsoid((11.8, 122, 2.5), (3.6, 8, 6.0)), 4),  # ribs
        # neck
        (Muscle(((0, 142, -2.6), 6.4), ((0, 151, -1.6), 5.1), ((0, 163, -0.8), 4.9)).thicker(build.neck), 2.5),
        (Muscle(((1.5, 144.6, 3.2), 1.1), ((3.5, 153, 1.6), 1.4), ((5.4, 163.5, -1.8), 1.1)), 1.6),
        (
            Muscle(
                ((2.4, 160, -3.4), 2.0),
                ((5.0, 152.2, -3.2), 3.2),
                ((10.5, 147.6, -3.2), 3.3),
                ((16.0, 145.2, -2.6), 2.2),
            ),
            3.6,
        ),
        (Ellipsoid((11.0, 95.0, -1.2), (4.6, 8.0, 6.2)), 5.5),  # hip
    ]
    if build.belly:
        solids.append((Ellipsoid((0, 101, 3.6 + build.belly), (12.5, 10.5, 7.4)), 6.0))
    if build.bust:
        solids.append((Ellipsoid((6.6, 127.5, 5.6 + build.bust), (6.6, 6.8, 5.2), turned((1, 0, 0), 12)), 3.2))
    return solids


def _seat(build: Build) -> Group:
    return [
        (Ellipsoid((7.9, 90.6, -5.6 - build.seat), (7.1, 8.2, 6.6), turned((0, 0, 1), -12)), 0),
        (Muscle(((10.5, 97, -4.0), 4.6), ((14, 88, -2.2), 4.0), ((14.2, 82, 0), 2.5)), 2.6),
    ]


def _arm(build: Build) -> Group:
    u, w = UPPER_ARM, WRIST
    insertion = arm(13.5, 2.6, 0.6)
    joint = lambda x, y, z: SHOULDER + np.array([x, y, z])  # noqa: E731
    solids: Group = [
        (
            Muscle(
                (joint(-1.5, -1.0, 0.3), 5.6),
                (arm(3, -0.2, 0), 5.2),
                (arm(10, 0, -0.1), 4.3),
                (arm(24, 0, 0), 3.5),
                (arm(u, 0, 0), 3.3),
            ),
            0,
        ),
        # shoulder cap: front, side, back
        (
            Muscle(
                ((11.5, 145.2, 1.8), 1.8), (joint(2.4, -0.6, 3.0), 3.9), (arm(8.5, 1.4, 2.4), 2.6), (insertion, 1.4)
            ),
            2.2,
        ),
        (
            Muscle(
                ((16.8, 146.2, -2), 1.9), (joint(4.0, -1.0, -0.2), 4.0), (arm(8.5, 2.4, 0.2), 2.9), (insertion, 1.5)
            ),
            2,
        ),
        (
            Muscle(
                ((12.5, 144.2, -6.4), 1.7), (joint(2.2, -0.8, -3.2), 3.8), (arm(8.5, 1.4, -2.2), 2.6), (insertion, 1.4)
            ),
            2.2,
        ),
        # front and back of the upper arm
        (
            Muscle(
                (arm(6, -1, 1.5), 1.7),
                (arm(16.5, -0.5, 2.7), 3.4),
                (arm(23, -0.3, 2.5), 2.7),
                (arm(u + 0.5, -0.3, 1.8), 1.2),
            ),
            1.4,
        ),
        (Muscle((arm(16, 1.7, 0.8), 1.6), (arm(23, 1.7, 1.0), 2.2), (arm(u, 1.2, 1.2), 1.5)), 1.5),
        (
            Muscle(
                (arm(5, 1.2, -2.2), 1.8), (arm(13, 1.5, -2.6), 3.2), (arm(20, 1.0, -2.4), 2.3), (arm(u, 0, -2.2), 1.3)
            ),
            1.5,
        ),
        (
            Muscle(
                (arm(3, -2.4, -2.2), 2.2),
                (arm(14, -1.9, -2.3), 3.3),
                (arm(21, -1.6, -2.2), 2.6),
                (arm(u, -0.3, -2.2), 1.3),
            ),
            1.5,
        ),
        # point and sides of the elbow
        (Muscle((arm(u - 1.5, 0, -2.4), 1.2), (arm(u + 1, 0, -2.9), 1.35), (arm(u + 6, -0.6, -2.3), 1.0)), 1.2),
        (Ellipsoid(arm(u, -3.0, -0.2), (1.4, 1.4, 1.4)), 1.5),
        (Ellipsoid(arm(u, 2.7, -0.2), (1.5, 1.5, 1.5)), 1.5),
        # forearm
        (Muscle((arm(u, 0, 0), 3.3), (arm(u + 12, 0, 0), 2.8), (arm(w, 0, 1.1), 1.75)), 1.5),
        (Muscle((arm(u, 0, 0), 3.0), (arm(u + 12, 0, -0.6), 2.6), (arm(w, 0, -1.2), 1.6)), 1.5),
        (
            Muscle(
                (arm(u - 4.5, 2.2, 0.9), 1.3),
                (arm(u + 5, 2.1, 1.9), 2.7),
                (arm(u + 11, 1.5, 2.1), 2.1),
                (arm(u + 19, 0.7, 1.9), 1.3),
            ),
            1.5,
        ),
        (Muscle((arm(u - 0.5, 2.0, -1.2), 1.6), (arm(u + 7, 1.7, -1.4), 2.6), (arm(u + 16, 0.9, -1.0), 1.6)), 1.5),
        (
            Muscle(
                (arm(u - 0.5, -2.4, 0.2), 1.7),
                (arm(u + 6.5, -2.0, 0.6), 2.9),
                (arm(u + 14, -1.3, 0.4), 2.1),
                (arm(u + 21, -0.7, 0.2), 1.4),
            ),
            1.5,
        ),
        (Ellipsoid(arm(w - 0.6, 0.9, -1.7), (1.2, 1.2, 1.2)), 1.2),
    ]
    # palm
    for z, radius, end in ((2.6, 1.35, 62.7), (0.8, 1.4, 63.3), (-1.1, 1.35, 62.7), (-2.8, 1.2, 61.5)):
        start, middle = (arm(w - 0.5, 0, z * 0.42), 1.5), (arm(PALM + 58, 0.1, z * 0.85), 1.42)
        solids.append((Muscle(start, middle, (arm(PALM + end, 0.05, z), radius * 0.93)), 1.3))
    solids.append(
        (
            Muscle(
                (arm(PALM + 55, -0.6, -1.2), 1.2),
                (arm(PALM + 58.5, -0.9, -2.6), 1.5),
                (arm(PALM + 61, -0.6, -2.8), 1.2),
            ),
            1.2,
        )
    )
    solids.append(
        (
            Muscle(
                (arm(PALM + 55, -0.6, 1.2), 1.2),
                (arm(PALM + 57.8, -1.2, 2.9), 1.9),
                (arm(PALM + 60.3, -1.9, 4.9), 1.35),
            ),
            1.2,
        )
    )
    for finger in FINGERS:
        a, b, c, d = finger_joints(finger)
        r = finger[4]
        chain = ((a - (b - a) * 0.35, r * 0.95), (a, r * 1.06), (b, r), (c, r * 0.9), (d - (d - c) * 0.25, r * 0.78))
        # A small fillet, or the web slides down the finger.
        solids.append((Muscle(*chain, samples=4), 0.4))
    solids.append((Muscle(*((arm(PALM + s, n, z), r) for s, n, z, r in THUMB), samples=4), 1.3))
    return solids


def _leg(build: Build) -> Group:
    return [
        (Muscle((leg(9.2, 90, 0.2), 7.6), (leg(9.6, 76, 0.2), 7.2), (leg(9.9, 62, 0.2), 5.7), (leg(10, 50, 0.2), 4.6)), 0),
        # thigh
        (Muscle((leg(11, 93, 3.6), 3.4), (leg(10.2, 75, 4.0), 4.8), (leg(10, 62, 3.6), 3.9), (leg(10, 54.5, 3.0), 2.6)), 2.2),
        (Muscle((leg(14, 88, 0.3), 3.4), (leg(13.9, 74, 1.0), 4.5), (leg(13, 61, 1.8), 3.3), (leg(12.2, 54, 1.8), 2.2)), 2.2),
        (Muscle((leg(6.8, 72, 2.6), 2.6), (leg(6.7, 60, 2.7), 3.3), (leg(7.4, 55, 2.6), 2.4), (leg(8.2, 51, 2.4), 1.5)), 1.7),
        (Muscle((leg(13, 95, 4.6), 2.0), (leg(9.8, 84, 5.2), 2.2), (leg(6, 72, 3.2), 2.0), (leg(6.2, 56, -0.5), 1.1)), 1.6),
        (Muscle((leg(3.6, 85.5, 0.5), 2.6), (leg(5.2, 77, -0.6), 4.2), (leg(6.8, 66, -0.8), 3.4), (leg(7.2, 57, -1), 2.0)), 2.2),
        (Muscle((leg(9.8, 86, -4.5), 3.0), (leg(12, 70, -3.6), 3.8), (leg(12.7, 58, -3.0), 2.2), (leg(13, 48, -2.4), 1.3)), 1.9),
        (Muscle((leg(7.2, 86, -4.2), 3.0), (leg(7.4, 70, -3.6), 3.9), (leg(7, 58, -3.0), 2.2), (leg(7.3, 48, -2.4), 1.3)), 1.9),
        # knee
        (Muscle((leg(10, 54.5, 3.4), 1.7), (leg(10, 51.2, 4.1), 2.0), (leg(10, 47, 3.2), 1.2), (leg(9.9, 44.5, 3.0), 1.0)), 1.3),
        (Ellipsoid(leg(7.0, 50.5, 0.2), (2.2, 3.0, 3.4)), 1.8),
        (Ellipsoid(leg(13.0, 50.5, 0.2), (2.0, 3.0, 3.4)), 1.8),
        # shin and calf
        (Muscle((leg(10, 50, 0.2), 4.7), (leg(10, 38, 0), 4.0), (leg(10, 30, -0.2), 3.4), (leg(10.3, 16, -1.4), 3.0), (leg(10.5, 9, -1.6), 3.2)), 1.5),
        (Muscle((leg(8.3, 49, -2.0), 2.4), (leg(7.8, 39, -3.3), 4.1), (leg(8.5, 30, -3.3), 2.7), (leg(10, 21, -3.6), 1.3)), 1.6),
        (Muscle((leg(11.8, 49, -2.0), 2.3), (leg(12.5, 40.5, -3.0), 3.8), (leg(11.9, 32.5, -3.3), 2.4), (leg(10.6, 23, -3.7), 1.2)), 1.6),
        (Muscle((leg(10.2, 40, -2.4), 3.2), (leg(10.2, 28, -2.8), 3.5), (leg(10.4, 18, -3.8), 2.0), (leg(10.5, 10, -4.9), 1.5), (leg(10.5, 5, -5.4), 1.8)), 1.8),
        (Muscle((leg(12.4, 46, 0.6), 1.6), (leg(12, 37, 1.4), 2.4), (leg(11.2, 25, 1.0), 1.7), (leg(9.8, 11, 1.4), 1.1)), 1.6),
        (Muscle((leg(9.2, 46, 2.4), 1.2), (leg(8.9, 30, 1.2), 1.2), (leg(9.2, 14, -0.4), 1.1)), 1.5),
        (Ellipsoid(leg(8.0, 9.2, -1.2), (1.5, 1.9, 1.8)), 1.3),
        (Ellipsoid(leg(13.0, 8.0, -2.4), (1.4, 1.9, 1.7)), 1.3),
        *foot_solids(build),
    ]  # fmt: skip


@cache
def _groups(build: Build) -> dict[str, tuple[Group, float]]:
    """Each group's solids, and the reach of its fillet with the groups before it."""
    bare = {
        "torso": (_torso(build), 2.0),
        "head": (head_solids(build), 1.6),
        "ear": (ear_solids(), 1.0),
        "arm": ([(s.thicker(build.arm), f) for s, f in _arm(build)], 2.4),
        "seat": (_seat(build), 1.6),
        "leg": ([(s.thicker(build.leg).moved(build.stance), f) for s, f in _leg(build)], 2.6),
    }
    # Fat rounds off: wider fillets between the muscles of trunk and limbs, but not between fingers and toes.
    wider = 1 + 1.2 * build.soft
    rounded = ("torso", "seat", "leg")
    return {n: ([(s, f * wider if n in rounded else f) for s, f in g], reach) for n, (g, reach) in bare.items()}


def body(build: Build, *only: str) -> Callable[[Points], Field]:
    """The field of the whole body, or of some of its groups, mirrored; the sole is flat at the ground."""

    def field(points: Points) -> Field:
        p = points.copy()
        p[:, 0] = np.abs(p[:, 0])
        whole: Field | None = None
        for name, (solids, reach) in _groups(build).items():
            if only and name not in only:
                continue
            one = union(solids, p)
            if name == "head":
                one = smooth_max(one, -sockets(p), 2.8)
                one = smooth_min(one, eye_lids(p), 1.0)
            whole = one if whole is None else smooth_min(whole, one, reach)
        assert whole is not None
        return smooth_max(whole, build.sole - p[:, 1], 1.0 if build.sole else 2.0)

    return field
