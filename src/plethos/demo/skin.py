"""The weights of the figures: heat from the bones, kept where each bone belongs, then graded along the twist joints."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.weights.heat import heat_weights
from plethos.demo.cage import Cage
from plethos.demo.joints import TWISTS, DemoJoint
from plethos.demo.pieces import Piece
from plethos.demo.quads import neighbour_average

# On the trunk plain heat lets arm and thigh capture chest and belly: each part of the body names its bones.
ALLOWED = {
    "torso": ("pelvis", "spine", "chest", "clavicle", "neck", "thigh", "upper_arm"),
    "head": ("head", "neck"),
    "arm": ("upper_arm", "forearm", "hand", "clavicle"),
    "hand": ("hand", "forearm", "thumb_1"),
    "leg": ("thigh", "shin", "foot"),
    "foot": ("foot", "toes", "shin"),
}
# Bones inside thick parts of the body are thick themselves, centimetres.
THICK = {"pelvis": 2.5, "spine_1": 8.0, "spine_2": 8.0, "chest": 9.0, "neck": 2.0, "head": 5.0}
SIDES = ("left_", "right_")


def skin_weights(cage: Cage, triangles: NDArray[np.int32], joints: list[DemoJoint]) -> NDArray[np.float64]:
    """Weights ``(V, J)``, exactly mirrored."""
    bones = [k for k, j in enumerate(joints) if not j.is_twist and j.name != "jaw"]
    distance = np.stack([_reach(cage, joints[k], joints) for k in bones], axis=1)
    least = distance.min(axis=1)
    nearest = (distance <= least[:, None] * 1.0001 + 1e-6).astype(float)
    nearest /= nearest.sum(axis=1, keepdims=True)
    weights = np.zeros((len(cage.points), len(joints)))
    weights[:, bones] = heat_weights(cage.points, triangles, nearest, least)
    weights = 0.5 * (weights + weights[cage.mirror][:, _swapped(joints)])
    return _graded(cage, joints, _with_jaw(cage, joints, weights))


def _with_jaw(cage: Cage, joints: list[DemoJoint], weights: NDArray[np.float64]) -> NDArray[np.float64]:
    """Give the chin to the jaw: sharply between the lips, softly over the cheeks, fading into throat and nape."""
    place = {j.name: k for k, j in enumerate(joints)}
    row, column = cage.grid.T
    soft = np.interp(column, [1.5, 4.0], [0.2, 2.2])
    share = np.clip(0.5 + (4.75 - row) / soft, 0, 1) * np.clip((row - 1.6) / 1.6, 0, 1) * np.clip(5 - column, 0, 1)
    share = np.where(cage.parts == "head", np.nan_to_num(share), 0.0)
    share = share * share * (3 - 2 * share)
    weights = weights.copy()
    for name in ("head", "neck"):
        weights[:, place["jaw"]] += share * weights[:, place[name]]
        weights[:, place[name]] *= 1 - share
    return weights


def piece_weights(piece: Piece, body: NDArray[np.float64], joints: list[DemoJoint]) -> NDArray[np.float64]:
    """Weights ``(N, J)`` of a piece: one joint, or those of the body under it, evened out."""
    if piece.joint is not None:
        weights = np.zeros((len(piece.points), len(joints)))
        weights[:, [j.name for j in joints].index(piece.joint)] = 1
        return weights
    weights, average = body[piece.body], neighbour_average(piece.quads, len(piece.points))
    for _ in range(12):
        weights = 0.5 * (weights + average @ weights)
    return weights


def _swapped(joints: list[DemoJoint]) -> list[int]:
    place = {j.name: k for k, j in enumerate(joints)}
    other = {"left_": "right_", "right_": "left_"}

    def twin(name: str) -> str:
        side = next((s for s in SIDES if name.startswith(s)), None)
        return other[side] + name.removeprefix(side) if side else name

    return [place[twin(j.name)] for j in joints]


def _reach(cage: Cage, joint: DemoJoint, joints: list[DemoJoint]) -> NDArray[np.float64]:
    """Distance of each vertex to a bone; far where the bone has no business."""
    points, name = cage.points, joint.name
    for side in SIDES:
        name = name.removeprefix(side)
    mine = np.zeros(len(points), dtype=bool)
    for part in np.unique(cage.parts):
        allowed = ALLOWED.get(str(part), (str(part).removeprefix("finger_"), "hand"))
        if any(name.startswith(a) for a in allowed):
            mine |= cage.parts == part
    across, height = np.abs(points[:, 0]), points[:, 1]
    if joint.name.startswith("left_"):
        mine &= points[:, 0] > -1e-6
    if joint.name.startswith("right_"):
        mine &= points[:, 0] < 1e-6
    trunk = cage.parts == "torso"
    if name == "upper_arm":
        mine &= ~trunk | (across > 12.5)
    if name == "thigh":
        mine &= ~trunk | (height < 88.5 + np.clip((across - 3) * 0.8, 0, 9))
    if name == "clavicle":
        mine &= (height > 134) & (across > 3)
    ends = [(joint.place, joint.tip)]
    if name == "pelvis":
        ends += [(joint.place, j.place * [0.8, 1, 1]) for j in joints if j.name.endswith("_thigh")]
    if name == "hand":
        side = joint.name.removesuffix("hand")
        ends = [(joint.place, j.place) for j in joints if j.parent == f"{side}hand" and "thumb" not in j.name]
    out = np.full(len(points), 1e9)
    for start, end in ends:
        along = end - start
        t = np.clip(((points - start) @ along) / (along @ along), 0, 1)
        d = np.linalg.norm(points - start - t[:, None] * along, axis=1) - THICK.get(name, 0.0)
        out[mine] = np.minimum(out[mine], np.maximum(d[mine], 1.5))
    return out


def _graded(cage: Cage, joints: list[DemoJoint], weights: NDArray[np.float64]) -> NDArray[np.float64]:
    """Share each limb bone's weight with its twist joints, evenly along the limb."""
    weights = weights.copy()
    # The bone holds its own end, the last twist joint the other, with an even gradient through the one between.
    stations = np.array([0.1, 0.5, 0.9])
    for k, joint in enumerate(joints):
        twists = [i for i, j in enumerate(joints) if j.is_twist and j.parent == joint.name]
        if len(twists) != len(TWISTS):
            continue
        along = joint.tip - joint.place
        t = np.clip(((cage.points - joint.place) @ along) / (along @ along), stations[0], stations[-1])
        whole = weights[:, k].copy()
        for i, station in zip([k, *twists], stations, strict=True):
            share = np.clip(1 - np.abs(t - station) / (stations[1] - stations[0]), 0, 1)
            weights[:, i] = whole * share
    return weights
