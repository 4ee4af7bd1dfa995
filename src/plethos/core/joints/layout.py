"""A changed skeleton as plain data, to be stored beside the file that the character came from."""

from __future__ import annotations

import math
import zlib
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.joints.carry import JointChange, carried
from plethos.core.rules.rules import Rules
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.skeleton import Skeleton


def layout_to_json(skeleton: Skeleton, bare: Skeleton) -> list[dict[str, Any]] | None:
    """The joints in order, each with what it was in the file; None when nothing was changed.

    Parameters
    ----------
    bare
        The skeleton as the file has it.
    """
    if skeleton is bare:
        return None
    name_of = {int(node): bare.names[j] for j, node in enumerate(bare.nodes)}
    rows = [_row(skeleton, j, name_of) for j in range(len(skeleton))]
    return None if rows == [_row(bare, j, name_of) for j in range(len(bare))] else rows


def _row(skeleton: Skeleton, j: int, name_of: Mapping[int, str]) -> dict[str, Any]:
    hinge = skeleton.known_hinge(j)
    parent = int(skeleton.parents[j])
    row: dict[str, Any] = {
        "name": skeleton.names[j],
        "in_file": name_of.get(int(skeleton.nodes[j])),
        "parent": skeleton.names[parent] if parent >= 0 else None,
        "translation": skeleton.rest_translation[j].tolist(),
        "rotation": skeleton.rest_rotation[j].tolist(),
        "stretch": skeleton.rest_stretch[j].tolist(),
        "joint": bool(skeleton.is_joint[j]),
        "hinge": None,
    }
    if row["in_file"] is None:
        row["key"] = skeleton.joint_keys[j]
    if hinge is not None:
        span = [math.degrees(hinge.low), math.degrees(hinge.high)]
        row["hinge"] = {"axis": list(hinge.axis), "range_deg": span}
        if hinge.others is not None:
            row["hinge"]["others_deg"] = [[math.degrees(a) for a in pair] for pair in hinge.others]
    return row


def laid_out(bare: Character, rows: Sequence[Mapping[str, Any]]) -> Character:
    """The character as read from its file, on the skeleton that `layout_to_json` described."""
    before = bare.skeleton
    number = {row["name"]: j for j, row in enumerate(rows)}
    after = Skeleton(
        names=tuple(row["name"] for row in rows),
        parents=np.array([number.get(row["parent"], -1) for row in rows], dtype=np.int32),
        rest_translation=np.array([row["translation"] for row in rows], dtype=np.float64).reshape(-1, 3),
        rest_rotation=np.array([row["rotation"] for row in rows], dtype=np.float64).reshape(-1, 4),
        rest_stretch=np.array([row["stretch"] for row in rows], dtype=np.float64).reshape(-1, 3, 3),
        is_joint=np.array([row["joint"] for row in rows], dtype=bool),
        nodes=np.array([before.nodes[before.find(row["in_file"])] if row["in_file"] else -1 for row in rows], np.int32),
        hinges=tuple(_hinge(row["hinge"]) for row in rows),
        keys=tuple(_key(row, before) for row in rows),
    )
    origin = np.array([before.find(row["in_file"]) if row["in_file"] else -1 for row in rows], dtype=np.int32)
    return carried(bare.with_rules(Rules()), JointChange(before, after, origin, _heirs(before, set(origin.tolist()))))


def _key(row: Mapping[str, Any], bare: Skeleton) -> int:
    """Who a stored joint is; rows of before that was stored are told apart by their names."""
    if row["in_file"]:
        return bare.joint_keys[bare.find(row["in_file"])]
    return int(row.get("key", 2**31 + zlib.crc32(str(row["name"]).encode())))


def _hinge(stored: Mapping[str, Any] | None) -> Hinge | None:
    if stored is None:
        return None
    x, y, z = stored["axis"]
    low, high = (math.radians(d) for d in stored["range_deg"])
    others = [tuple(math.radians(d) for d in pair) for pair in stored.get("others_deg") or ()]
    return Hinge((x, y, z), low, high, ((others[0]), (others[1])) if len(others) == 2 else None)  # type: ignore[arg-type]


def _heirs(skeleton: Skeleton, kept: set[int]) -> dict[int, int]:
    """For each joint that is gone its nearest ancestor that is left, else any joint that is left."""
    heirs: dict[int, int] = {}
    left = [j for j in sorted(kept) if j >= 0 and skeleton.is_joint[j]]
    for j in range(len(skeleton)):
        if j in kept:
            continue
        up = int(skeleton.parents[j])
        while up >= 0 and not (up in kept and skeleton.is_joint[up]):
            up = int(skeleton.parents[up])
        heirs[j] = up if up >= 0 else (left[0] if left else -1)
    return heirs
