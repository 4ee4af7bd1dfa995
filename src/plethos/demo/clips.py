"""The clips of the figures: key poses in degrees about the joints' own axes, eased between, the feet kept planted."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation

from plethos.demo.joints import DemoJoint

RATE = 30.0
Angles = tuple[float, float, float]
Places = NDArray[np.float64]


@dataclass(frozen=True)
class DemoClip:
    """Joint angles over time.

    Parameters
    ----------
    times
        Seconds ``(N,)``, 30 a second.
    angles
        Intrinsic X-Y-Z degrees ``(N, 3)`` a joint, on top of rest.
    lift
        Metres ``(N, 3)`` that the pelvis moves in the world.
    """

    name: str
    times: NDArray[np.float64]
    angles: dict[str, NDArray[np.float64]]
    lift: NDArray[np.float64]


@dataclass(frozen=True)
class Key:
    """A pose at a time; joints that are not named are at rest."""

    time: float
    joints: dict[str, Angles]
    lift: Angles = (0.0, 0.0, 0.0)


def _clip(name: str, keys: list[Key], joints: list[DemoJoint], planted: tuple[str, ...] = ()) -> DemoClip:
    """Keys eased into frames; the pelvis moves so that the mean of the planted feet stays where it is at rest."""
    times = np.arange(0, keys[-1].time + 1e-9, 1 / RATE)
    at = [k.time for k in keys]
    turned = sorted({j for k in keys for j in k.joints})
    rest = (0.0, 0.0, 0.0)
    angles = {j: PchipInterpolator(at, [k.joints.get(j, rest) for k in keys])(times) for j in turned}
    lift = PchipInterpolator(at, [k.lift for k in keys])(times)
    if planted:
        feet = np.mean([_places(joints, angles, len(times), f) for f in planted], axis=0)
        lift = lift - 0.01 * (feet - np.mean([j.place for j in joints if j.name in planted], axis=0))
    return DemoClip(name, times, angles, lift)


def _places(joints: list[DemoJoint], angles: dict[str, NDArray[np.float64]], frames: int, name: str) -> Places:
    """Where a joint is in every frame ``(F, 3)``, centimetres, the pelvis staying at its place."""
    by_name = {j.name: j for j in joints}
    chain = [by_name[name]]
    while chain[0].parent is not None:
        chain.insert(0, by_name[chain[0].parent])
    turn = Rotation.identity(frames)
    place = np.tile(chain[0].place, (frames, 1))
    for parent, joint in pairwise(chain):
        frame = Rotation.from_matrix(parent.frame)
        own = Rotation.from_euler("XYZ", angles.get(parent.name, np.zeros((frames, 3))), degrees=True)
        turn = turn * frame * own * frame.inv()
        place = place + turn.apply(joint.place - parent.place)
    return np.asarray(place)


def _both(joint: str, x: float, y: float, z: float) -> dict[str, Angles]:
    """The same motion on both sides."""
    return {f"left_{joint}": (x, y, z), f"right_{joint}": (-x, -y, z)}


def range_of_motion(joints: list[DemoJoint]) -> DemoClip:
    """One joint after the other through its range, left and right together."""
    stops: list[dict[str, Angles]] = [
        _both("forearm", 0, 0, 140),
        _both("forearm", 0, 0, 60) | _both("hand", 0, 75, 0),
        _both("hand", 0, 0, 70),
        _both("hand", 0, 0, -60),
        _both("upper_arm", 0, 0, -40),
        _both("upper_arm", 0, 0, 110) | _both("clavicle", 0, 0, 22),
        _both("upper_arm", -90, 0, 0),
        _both("thigh", 0, 0, 100) | _both("shin", 0, 0, 110),
        _both("thigh", 0, 0, -18),
        _both("shin", 0, 0, 130),
        {"spine_1": (0, 0, 25), "spine_2": (0, 0, 25), "chest": (0, 0, 12), "neck": (0, 0, 15)},
        {"spine_1": (0, 14, 0), "spine_2": (0, 14, 0), "chest": (0, 12, 0), "head": (0, 25, 0)},
        {"neck": (0, 0, 25), "head": (0, 0, 20)},
        {"jaw": (0, 0, 22)},
    ]
    keys = [Key(0.0, {})]
    for k, stop in enumerate(stops):
        keys += [Key(1.2 * k + 0.5, stop), Key(1.2 * k + 0.7, stop), Key(1.2 * k + 1.2, {})]
    return _clip("range of motion", keys, joints)


def crank_a_sluice(joints: list[DemoJoint]) -> DemoClip:
    """Both hands on the crank of a sluice gate: three rounds."""
    keys = []
    for k in range(13):
        turn = 2 * np.pi * k / 4
        up, out = float(np.sin(turn)), float(np.cos(turn))
        lean = 16 - 8 * up
        pose = (
            _both("upper_arm", -52 - 14 * up, 18, -12 + 6 * up)
            | _both("forearm", 0, 10 * up, 62 - 34 * out)
            | _both("hand", 0, 20, 12 * up)
            | _both("thigh", 0, 0, 26 - 6 * up)
            | _both("shin", 0, 0, 38 - 10 * up)
            | _both("foot", 0, 0, 12 - 4 * up)
            | {"spine_1": (0.0, 3 * out, lean), "spine_2": (0.0, 3 * out, lean * 0.7), "neck": (0.0, 0.0, -10.0)}
        )
        keys.append(Key(0.4 * k, pose))
    return _clip("crank a sluice", keys, joints, ("left_foot", "right_foot"))


def climb_a_ladder(joints: list[DemoJoint]) -> DemoClip:
    """Up the lock ladder: hand over hand, four rungs."""
    keys = []
    for k in range(9):
        high, low = ("left", "right") if k % 2 else ("right", "left")
        sign = {"left": 1.0, "right": -1.0}
        pose: dict[str, Angles] = {
            f"{high}_clavicle": (0, 0, 18),
            f"{high}_upper_arm": (-70 * sign[high], 0, 58),
            f"{high}_forearm": (0, 0, 40),
            f"{low}_upper_arm": (-58 * sign[low], 0, 6),
            f"{low}_forearm": (0, 0, 88),
            f"{low}_thigh": (0, 0, 82),
            f"{low}_shin": (0, 0, 96),
            f"{low}_foot": (0, 0, 12),
            f"{high}_thigh": (0, 0, 18),
            f"{high}_shin": (0, 0, 24),
            "spine_1": (0, 6 * sign[high], 6),
            "spine_2": (0, 6 * sign[high], 4),
            "neck": (0, 0, -14),
        }
        pose |= _both("index_1", 0, 0, 60) | _both("middle_1", 0, 0, 60)
        pose |= _both("ring_1", 0, 0, 60) | _both("little_1", 0, 0, 60)
        keys.append(Key(0.6 * k, pose, (0.0, 0.15 * k, 0.0)))
    return _clip("climb the lock ladder", keys, joints)


def squat_and_lift(joints: list[DemoJoint]) -> DemoClip:
    """Down to a crate, up with it, and down again."""
    grip = _both("upper_arm", -62, 8, -22) | _both("forearm", 0, 0, 24) | _both("hand", 0, 0, 8)
    low = (
        grip | _squat(96, 118) | {"spine_1": (0, 0, 22), "spine_2": (0, 0, 20), "chest": (0, 0, 8), "neck": (0, 0, -22)}
    )
    half = grip | _squat(48, 62) | {"spine_1": (0, 0, 14), "spine_2": (0, 0, 10), "neck": (0, 0, -10)}
    up = _both("upper_arm", -50, 6, -30) | _both("forearm", 0, 0, 84) | _both("hand", 0, 0, 4)
    up |= {"spine_1": (0, 0, -4), "spine_2": (0, 0, -3)}
    keys = [Key(0.0, {}), Key(1.0, low), Key(1.3, low), Key(1.9, half), Key(2.6, up), Key(3.1, up), Key(3.9, low)]
    return _clip("squat and lift a crate", [*keys, Key(4.2, low), Key(5.2, {})], joints, ("left_foot", "right_foot"))


def side_kick(joints: list[DemoJoint]) -> DemoClip:
    """The left foot at a mooring ring that is stuck; the right one stays."""
    guard = _both("upper_arm", -30, 0, -18) | _both("forearm", 0, 0, 70)
    stand = {"right_thigh": (0.0, 0.0, 14.0), "right_shin": (0.0, 0.0, 22.0), "right_foot": (0.0, 0.0, 8.0)}
    lean: dict[str, Angles] = {"spine_1": (-12, 0, 0), "spine_2": (-10, 0, 0)}
    wound = guard | stand | {"left_thigh": (-12.0, 12.0, 82.0), "left_shin": (0.0, 0.0, 104.0)}
    kick = guard | stand | lean | {"left_thigh": (-62.0, 24.0, 30.0), "left_shin": (0.0, 0.0, 6.0)}
    kick |= {"left_foot": (0.0, 0.0, 12.0)}
    ready = guard | stand
    keys = [Key(0.0, {}), Key(0.5, ready), Key(0.9, wound), Key(1.15, kick), Key(1.4, kick), Key(1.8, wound)]
    return _clip("side kick", [*keys, Key(2.3, ready), Key(2.9, {})], joints, ("right_foot",))


def reach_overhead(joints: list[DemoJoint]) -> DemoClip:
    """One arm after the other up to the beam, then both."""
    keys = [Key(0.0, {})]
    for k, sides in enumerate((("left",), ("right",), ("left", "right"))):
        pose: dict[str, Angles] = {"neck": (0, 0, -12), "head": (0, 0, -10), "spine_2": (0, 0, -6)}
        for side in sides:
            pose |= {f"{side}_clavicle": (0, 0, 24), f"{side}_upper_arm": (0, 0, 118), f"{side}_forearm": (0, 0, 10)}
        keys += [Key(1.6 * k + 0.7, pose), Key(1.6 * k + 1.0, pose), Key(1.6 * k + 1.6, {})]
    return _clip("reach overhead", keys, joints, ("left_foot", "right_foot"))


def forearm_roll(joints: list[DemoJoint]) -> DemoClip:
    """Elbows bent, the hands turned in and out; no rule moves the twist joints here."""
    held = _both("forearm", 0, 0, 80) | _both("upper_arm", 0, 0, -28)
    keys = [Key(0.0, {}), Key(0.6, held)]
    for k, roll in enumerate((80.0, -80.0, 80.0, -80.0)):
        keys.append(Key(1.2 + 0.8 * k, held | _both("hand", 0, roll, 0)))
    return _clip("forearm roll", [*keys, Key(4.4, held), Key(5.0, {})], joints)


def hold_up_a_lantern(joints: list[DemoJoint]) -> DemoClip:
    """A lantern taken up to the shoulder, turned to the water and back, and let down again."""
    up: dict[str, Angles] = {"left_forearm": (0, 0, 112), "left_upper_arm": (0, 0, -14), "left_clavicle": (0, 0, 8)}
    out = up | {"left_forearm": (0.0, 0.0, 140.0), "left_hand": (0.0, 60.0, 0.0), "neck": (0.0, 18.0, 0.0)}
    back = up | {"left_hand": (0.0, -40.0, 0.0)}
    keys = [Key(0.0, {}), Key(0.9, up), Key(1.5, out), Key(2.1, out), Key(2.7, back), Key(3.2, up)]
    return _clip("hold up a lantern", [*keys, Key(4.0, {})], joints)


def _squat(thigh: float, shin: float) -> dict[str, Angles]:
    """Both legs bent, the soles flat."""
    return _both("thigh", 0, 0, thigh) | _both("shin", 0, 0, shin) | _both("foot", 0, 0, shin - thigh)


def demo_clips(joints: list[DemoJoint]) -> list[DemoClip]:
    """All clips, 30 frames a second."""
    makers = (
        range_of_motion, crank_a_sluice, climb_a_ladder, squat_and_lift, side_kick, reach_overhead, forearm_roll,
        hold_up_a_lantern,
    )  # fmt: skip
    return [make(joints) for make in makers]
