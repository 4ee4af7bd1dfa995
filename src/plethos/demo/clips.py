"""The lock keeper's clips: key poses in degrees about the joints' own axes, eased between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator

RATE = 30.0
Angles = tuple[float, float, float]


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


def _clip(name: str, keys: list[Key]) -> DemoClip:
    times = np.arange(0, keys[-1].time + 1e-9, 1 / RATE)
    at = [k.time for k in keys]
    joints = sorted({j for k in keys for j in k.joints})
    rest = (0.0, 0.0, 0.0)
    angles = {j: PchipInterpolator(at, [k.joints.get(j, rest) for k in keys])(times) for j in joints}
    return DemoClip(name, times, angles, PchipInterpolator(at, [k.lift for k in keys])(times))


def _both(joint: str, x: float, y: float, z: float) -> dict[str, Angles]:
    """The same motion on both sides."""
    return {f"left_{joint}": (x, y, z), f"right_{joint}": (-x, -y, z)}


def range_of_motion() -> DemoClip:
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
    ]
    keys = [Key(0.0, {})]
    for k, stop in enumerate(stops):
        keys += [Key(1.2 * k + 0.5, stop), Key(1.2 * k + 0.7, stop), Key(1.2 * k + 1.2, {})]
    return _clip("range of motion", keys)


def crank_a_sluice() -> DemoClip:
    """Both hands on the crank of a sluice gate: three rounds."""
    keys = []
    for k in range(13):
        turn = 2 * np.pi * k / 4
        up, out = float(np.sin(turn)), float(np.cos(turn))
        lean = 16 - 8 * up
        joints = (
            _both("upper_arm", -52 - 14 * up, 18, -12 + 6 * up)
            | _both("forearm", 0, 10 * up, 62 - 34 * out)
            | _both("hand", 0, 20, 12 * up)
            | _both("thigh", 0, 0, 26 - 6 * up)
            | _both("shin", 0, 0, 38 - 10 * up)
            | _both("foot", 0, 0, 12 - 4 * up)
            | {"spine_1": (0.0, 3 * out, lean), "spine_2": (0.0, 3 * out, lean * 0.7), "neck": (0.0, 0.0, -10.0)}
        )
        keys.append(Key(0.4 * k, joints, (0.0, -0.055 + 0.02 * up, 0.0)))
    return _clip("crank a sluice", keys)


def climb_a_ladder() -> DemoClip:
    """Up the lock ladder: hand over hand, four rungs."""
    keys = []
    for k in range(9):
        high, low = ("left", "right") if k % 2 else ("right", "left")
        sign = {"left": 1.0, "right": -1.0}
        joints: dict[str, Angles] = {
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
        joints |= _both("index_1", 0, 0, 60) | _both("middle_1", 0, 0, 60)
        joints |= _both("ring_1", 0, 0, 60) | _both("little_1", 0, 0, 60)
        keys.append(Key(0.6 * k, joints, (0.0, 0.15 * k, 0.0)))
    return _clip("climb a ladder", keys)


def demo_clips() -> list[DemoClip]:
    """All clips of the lock keeper."""
    return [range_of_motion(), crank_a_sluice(), climb_a_ladder()]
