"""The skeleton of a biped, laid between a few markers on a bare mesh."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.joints.draft import Draft
from plethos.core.joints.frames import frame_along
from plethos.core.joints.ranges import PRESETS, suggested
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.symmetry import MIRROR, across

# In the middle of the body, then on the character's left; the right is mirrored.
MARKERS = ("head_top", "neck", "shoulder", "elbow", "wrist", "hip", "knee", "ankle", "toes")
MIDDLE = ("head_top", "neck")

# Where the joints of the spine lie between the height of the hips (0) and the neck (1), and how far the head is from
# the neck to the top. As on our demo figures: from memory of what bodies look like, no source.
SPINE = (("pelvis", 0.10), ("spine_1", 0.23), ("spine_2", 0.38), ("chest", 0.57))
HEAD = 0.38
HAND = 0.55  # of the forearm, from the wrist to where the hand's bone ends
CLAVICLE = (0.12, -0.10)  # from the middle to the shoulder; below the neck, of the distance shoulder to elbow
BALL = 0.62  # from the ankle to the tip of the toes: where the toes begin


def guessed_markers(rest: NDArray[np.floating], plane: float = 0.0) -> dict[str, Array]:
    """Where the markers likely belong on a standing figure with its arms away from the body.

    Parameters
    ----------
    rest
        ``(V, 3)`` in the world, +Y up, looking along +Z.
    plane
        The x of the plane between its sides.

    Notes
    -----
    Heights are shares of the whole height (common proportions of figures, no source); sideways and in depth each marker
    stands in the middle of what the mesh has there.
    """
    p = np.asarray(rest, dtype=np.float64)
    low, height = p[:, 1].min(), max(float(np.ptp(p[:, 1])), 1e-9)
    left = p[p[:, 0] > plane]
    left = left if len(left) else p

    def cut_at(share: float, points: Array, within: float) -> Array:
        """The middle of the mesh at a height, no further than so far from the middle of the body."""
        y = low + share * height
        near = np.abs(points[:, 1] - y) < 0.025 * height
        near &= np.abs(points[:, 0] - plane) < within * height
        if not near.any():
            return np.array([plane, y, float(np.median(p[:, 2]))])
        x, z = (0.5 * (points[near, k].min() + points[near, k].max()) for k in (0, 2))
        return np.array([x, y, z])

    def on_axis(place: Array) -> Array:
        return np.array([plane, place[1], place[2]])

    finger = left[int(np.argmax(left[:, 0]))]
    shoulder = cut_at(0.79, left, 0.14)
    shoulder[0] = plane + 0.105 * height
    arm = finger - shoulder

    def along_arm(share: float) -> Array:
        """The middle of the arm, cut across at a share of the way to the tip of the fingers."""
        centre, way = shoulder + share * arm, arm / max(float(np.linalg.norm(arm)), 1e-9)
        off = left - centre
        near = (np.abs(off @ way) < 0.02 * height) & (np.linalg.norm(off, axis=1) < 0.09 * height)
        return np.asarray(left[near].mean(axis=0) if near.any() else centre)

    foot = left[left[:, 1] < low + 0.06 * height]
    foot = foot if len(foot) else left
    tip = foot[int(np.argmax(foot[:, 2]))]
    shin = cut_at(0.085, left, 0.16)  # above the instep, which would draw the ankle forward
    return {
        "head_top": on_axis(cut_at(0.985, p, 0.08)),
        "neck": on_axis(cut_at(0.835, p, 0.05)),
        "shoulder": shoulder,
        "elbow": along_arm(0.42),
        "wrist": along_arm(0.74),
        "hip": cut_at(0.515, left, 0.105),
        "knee": cut_at(0.285, left, 0.16),
        "ankle": np.array([shin[0], low + 0.05 * height, shin[2]]),
        "toes": np.array([tip[0], low + 0.012 * height, tip[2]]),
    }


def laid(character: Character, places: Mapping[str, Sequence[float]], twists: int = 2) -> Character:
    """The character with the joints of a biped, named, framed and given their ranges; nothing follows them yet.

    Parameters
    ----------
    places
        Each of `MARKERS` in the world at rest, metres ``(3,)``.
    twists
        How many twist joints each of upper arm, forearm, thigh and shin gets.

    Raises
    ------
    BadEditError
        When a marker is missing or not finite, two neighbours coincide, or the character has joints already.
    """
    plane = character.mesh.mirror_x
    at = _checked(places, plane)
    if character.skeleton.is_joint.any():
        raise BadEditError("The character has joints already: move those, or delete them first.")
    draft, names = Draft(character), set(character.skeleton.names)
    if not 0 <= twists <= 4:
        raise BadEditError("A limb can get between 0 and 4 twist joints.")
    made: dict[str, int] = {}

    def add(name: str, parent: str | None, place: Array, tip: Array, side: int = 0) -> None:
        label = {0: name, 1: f"left_{name}", -1: f"right_{name}"}[side]
        bone, stand = ((tip - place) * MIRROR, across(place, plane)) if side < 0 else (tip - place, place)
        frame, hinge = framed(name, bone)
        made[label] = draft.add(free_name(label, names), made[parent] if parent else -1, stand, frame, hinge)

    hips = np.array([plane, at["hip"][1], at["hip"][2]])
    chain = [(name, hips + share * (at["neck"] - hips)) for name, share in SPINE]
    chain += [("neck", at["neck"]), ("head", at["neck"] + HEAD * (at["head_top"] - at["neck"]))]
    tips = [*(place for _, place in chain[1:]), at["head_top"]]
    above: str | None = None
    for (name, place), tip in zip(chain, tips, strict=True):
        add(name, above, place, tip)
        above = name
    for side in (1, -1):
        own = "left_" if side > 0 else "right_"
        for name, parent, place, tip in _limbs(at, plane):
            add(name, parent if parent in ("chest", "pelvis") else own + parent, place, tip, side)
            if name in ("upper_arm", "forearm", "thigh", "shin"):
                for k in range(1, twists + 1):
                    add(f"{name}_twist_{k}", own + name, place + (tip - place) * k / (twists + 1), tip, side)
    return draft.finish()


def _limbs(at: Mapping[str, Array], plane: float) -> list[tuple[str, str, Array, Array]]:
    """Name, parent, place and end of each bone of the left arm and leg."""
    shoulder, elbow, wrist = at["shoulder"], at["elbow"], at["wrist"]
    inner, below = CLAVICLE
    clavicle = np.array([plane + (shoulder[0] - plane) * inner, at["neck"][1], at["neck"][2]])
    clavicle[1] += below * float(np.linalg.norm(elbow - shoulder))
    ball = at["ankle"] + BALL * (at["toes"] - at["ankle"])
    ball[1] = at["toes"][1]
    return [
        ("clavicle", "chest", clavicle, shoulder),
        ("upper_arm", "clavicle", shoulder, elbow),
        ("forearm", "upper_arm", elbow, wrist),
        ("hand", "forearm", wrist, wrist + HAND * (wrist - elbow)),
        ("thigh", "pelvis", at["hip"], at["knee"]),
        ("shin", "thigh", at["knee"], at["ankle"]),
        ("foot", "shin", at["ankle"], ball),
        ("toes", "foot", ball, at["toes"]),
    ]


def framed(name: str, bone: Array) -> tuple[Array, Hinge | None]:
    """The frame ``(3, 3)`` of a joint, Y along its bone and Z its hinge, and the hinge with the range for its name.

    A twist joint lies like the bone that it is on, and has no hinge of its own.
    """
    base, twist, _ = name.partition("_twist")
    chosen = suggested(base)
    toward = PRESETS[chosen].toward if chosen else None
    assert chosen is not None
    assert toward is not None, "every bone of the template bends some way"
    frame = frame_along(bone, np.cross(bone, toward))
    if twist:
        return frame, None
    low, high = (math.radians(d) for d in (PRESETS[chosen].low, PRESETS[chosen].high))
    return frame, Hinge((0.0, 0.0, 1.0), low, high)


def _checked(places: Mapping[str, Sequence[float]], plane: float) -> dict[str, Array]:
    missing = [m for m in MARKERS if m not in places]
    if missing:
        raise BadEditError(f"The marker “{missing[0]}” is missing.")
    at = {m: np.asarray(places[m], dtype=np.float64) for m in MARKERS}
    for name, place in at.items():
        if place.shape != (3,) or not np.isfinite(place).all():
            raise BadEditError(f"The marker “{name}” needs three finite numbers.")
        if name in MIDDLE:
            at[name] = np.array([plane, *place[1:]])
    size = max(float(np.linalg.norm(at["head_top"] - at["ankle"])), 1e-9)
    for a, b in (("head_top", "neck"), ("neck", "hip"), ("shoulder", "elbow"), ("elbow", "wrist"), ("hip", "knee"),
                 ("knee", "ankle"), ("ankle", "toes")):  # fmt: skip
        if np.linalg.norm(at[a] - at[b]) < 1e-3 * size:
            raise BadEditError(f"The markers “{a}” and “{b}” lie on each other: drag them apart.")
    return at
