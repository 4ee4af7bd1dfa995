"""A sweep as plain data: what the command line writes, and what is stored."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from plethos.core.measure.badness import UNITS
from plethos.core.skeleton.pose_files import pose_to_json
from plethos.core.sweep.bounds import SweepBounds
from plethos.core.sweep.plan import Way
from plethos.core.sweep.spots import Spot
from plethos.core.sweep.sweep import Walked
from plethos.core.sweep.sweeper import Sweeper, Values

FORMAT = 1
WORSE = 2.0  # by how much a pair has to be worse than its joints by themselves to be told


def way_name(sweeper: Sweeper, way: Way) -> str:
    """What a way is called: the same in every run, whatever is measured on it."""
    if way.axis is None:
        return f"{way.kind}:{way.name}"
    names = "+".join(sweeper.character.skeleton.names[j] for j in way.joints)
    return f"{way.kind}:{names}:{_axis_name(way)}{'+' if way.direction > 0 else '-'}"


def _axis_name(way: Way) -> str:
    assert way.axis is not None
    k = max(range(3), key=lambda i: abs(way.axis[i]))  # type: ignore[index]
    if abs(way.axis[k]) > 0.999:
        return ("" if way.axis[k] > 0 else "-") + "xyz"[k]
    return ",".join(f"{c:.2f}" for c in way.axis)


def spot_id(sweeper: Sweeper, spot: Spot) -> str:
    """Who a spot is: its way, of a kept pose or a clip its joint, and the family of its measure."""
    at = f":{sweeper.character.skeleton.names[spot.joint]}" if spot.way.axis is None else ""
    return f"{way_name(sweeper, spot.way)}{at}:{spot.family}"


def spot_json(sweeper: Sweeper, spot: Spot) -> dict[str, Any]:
    """A spot as files have it."""
    way, mesh, skeleton = spot.way, sweeper.character.mesh, sweeper.character.skeleton
    turns = way.axis is not None
    part = mesh.parts[mesh.part_numbers[spot.vertex]].name
    joints = way.joints if turns else (spot.joint,)
    flat = -1.0 if mesh.is_flat else 1.0  # a drawing counts y down
    curve = [[_at(way, at), _told(bare), _told(mended)] for at, bare, mended in spot.curve]
    return {
        "id": spot_id(sweeper, spot),
        "kind": way.kind,
        "joints": [skeleton.names[j] for j in joints],
        "at_joint": skeleton.names[spot.joint],
        "axis": list(way.axis) if way.axis is not None else None,
        "direction": way.direction or None,
        "turn": way.turn,
        "range": way.said,
        "clip": way.name if way.kind == "clip" else None,
        "kept_pose": way.name if way.kind == "kept_pose" else None,
        "time_s": _told(spot.at) if way.kind == "clip" else None,
        "pose": pose_to_json(skeleton, spot.pose),
        "onset_deg": _told(math.degrees(spot.onset)) if turns and spot.onset is not None else None,
        "worst_deg": _told(math.degrees(spot.at)) if turns else None,
        "measure": spot.measure,
        "unit": UNITS[spot.measure],
        "bare": _values(spot.bare),
        "with_remedies": _values(spot.mended),
        "badness": {"bare": _told(spot.bare_badness), "with_remedies": _told(spot.mended_badness)},
        "part": part,
        "vertex": int(mesh.first_copies[spot.vertex]),
        "at": [spot.place[0], flat * spot.place[1], spot.place[2]],
        "curve": curve,
    }


def _at(way: Way, at: float) -> float:
    return _told(at if way.axis is None else math.degrees(at))


def _told(number: float) -> float:
    return round(number, 6) + 0.0


def _values(values: Values) -> dict[str, float]:
    return {name: _told(value) for name, value in values.items()}


def report(
    sweeper: Sweeper, walked: Sequence[Walked], bounds: SweepBounds, file_sha256: str, complete: bool = True
) -> dict[str, Any]:
    """The whole of a sweep: its spots by badness, then by id; what only guessed ranges lead to below all others."""
    spots = listed(spot_json(sweeper, s) for w in walked for s in w.spots)
    bare, mended = (math.fsum(s["badness"][which] for s in spots) for which in ("bare", "with_remedies"))
    general = bounds.to_json()
    joints = general.pop("joints", None)
    out: dict[str, Any] = {
        "format": FORMAT,
        "file_sha256": file_sha256,
        "poses": sum(len(w.samples) for w in walked),
        "bounds": general,
        "total": {"bare": _told(bare), "with_remedies": _told(mended)},
        "spots": spots,
    }
    if joints:
        out["joint_bounds"] = joints
    if not complete:
        out["complete"] = False
    return out


def listed(spots: Iterable[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Spots as files have them, the worst first; a pair that is no worse than its joints by themselves is left out."""
    every = list(spots)
    alone: dict[str, tuple[float, float]] = {}
    for spot in every:
        if spot["kind"] == "joint":
            bare, left = alone.get(spot["at_joint"], (0.0, 0.0))
            own = spot["badness"]
            alone[spot["at_joint"]] = (max(bare, own["bare"]), max(left, own["with_remedies"]))

    def is_told(spot: Mapping[str, Any]) -> bool:
        bare, left = alone.get(spot["at_joint"], (0.0, 0.0))
        own = spot["badness"]
        return spot["kind"] != "pair" or bool(own["bare"] > bare + WORSE or own["with_remedies"] > left + WORSE)

    def rank(spot: Mapping[str, Any]) -> tuple[Any, ...]:
        return (spot["range"] == "guessed", -spot["badness"]["with_remedies"], -spot["badness"]["bare"], spot["id"])

    return [dict(s) for s in sorted(filter(is_told, every), key=rank)]


def samples_json(sweeper: Sweeper, walked: Walked) -> list[dict[str, Any]]:
    """Every pose of a way with all that was measured in it."""
    way, skeleton = walked.way, sweeper.character.skeleton
    return [
        {
            "way": way_name(sweeper, way),
            "at_deg": _at(way, s.stop.at) if way.axis is not None else None,
            "time_s": _told(s.stop.at) if way.kind == "clip" else None,
            "pose": pose_to_json(skeleton, s.stop.pose),
            "bare": {skeleton.names[j]: _values(v) for j, v in s.bare.items()},
            "with_remedies": {skeleton.names[j]: _values(v) for j, v in s.mended.items()},
        }
        for s in walked.samples
    ]
