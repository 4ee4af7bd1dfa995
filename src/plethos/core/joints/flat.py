"""Joints laid on a drawing: they lie in its plane and turn about z."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.joints.draft import Draft
from plethos.core.skeleton.hinge import Hinge

RANGE = math.radians(170)
FORM = 'Joints are told as [{"name": "thigh", "parent": null, "at": [x, y]}, …], places in user units of the drawing.'


def flat_hinge(low: float = -RANGE, high: float = RANGE) -> Hinge:
    """Turning in the plane, counter-clockwise as seen."""
    return Hinge((0.0, 0.0, 1.0), low, high)


def laid_flat(character: Character, told: object) -> Character:
    """The drawing with these joints beside those that it has.

    Parameters
    ----------
    told
        A list of ``{"name", "parent", "at": [x, y]}``: parents before or after their children; places as the drawing
        counts, y down; also ``"range_deg": [low, high]``.

    Raises
    ------
    BadEditError
        For a list of another form, names used twice, parents that are not there, circles, places that are none.
    """
    if not character.mesh.is_flat:
        raise BadEditError("This is no drawing: joints in a plane cannot be laid on it.")
    rows = _rows(told)
    draft = Draft(character)
    keys = {character.skeleton.names[j]: j for j in range(len(character.skeleton))}
    waiting = list(rows)
    while waiting:
        ready = [r for r in waiting if r["parent"] is None or r["parent"] in keys]
        if not ready:
            name = waiting[0]["name"]
            raise BadEditError(f"The parent of “{name}” is not among the joints, or the joints hang in a circle.")
        for row in ready:
            if row["name"] in keys:
                raise BadEditError(f"There is a joint called “{row['name']}” already.")
            x, y = row["at"]
            parent = -1 if row["parent"] is None else keys[row["parent"]]
            low, high = row["range"]
            keys[row["name"]] = draft.add(
                row["name"], parent, np.array([x, -y, 0.0]), np.eye(3), flat_hinge(low, high)
            )  # fmt: skip
        waiting = [r for r in waiting if r not in ready]
    return draft.finish()


def _rows(told: object) -> list[dict[str, Any]]:
    if not isinstance(told, Sequence) or isinstance(told, str | bytes) or not told:
        raise BadEditError(FORM)
    rows: list[dict[str, Any]] = []
    for row in told:
        if not isinstance(row, Mapping) or not isinstance(row.get("name"), str) or not row["name"].strip():
            raise BadEditError(FORM)
        parent = row.get("parent")
        place, span = _numbers(row.get("at")), _numbers(row.get("range_deg", [-170, 170]))
        if place is None or span is None or not (parent is None or isinstance(parent, str)):
            raise BadEditError(f"The joint “{row['name']}” is not told in full. {FORM}")
        if not -360 < span[0] <= span[1] < 360 or span[1] - span[0] >= 360:
            raise BadEditError(f"The range of “{row['name']}” has to be less than a whole turn, low before high.")
        low, high = (math.radians(d) for d in span)
        rows.append({"name": row["name"].strip(), "parent": parent, "at": place, "range": (low, high)})
    return rows


def _numbers(told: object) -> tuple[float, float] | None:
    if not isinstance(told, Sequence) or isinstance(told, str | bytes) or len(told) != 2:
        return None
    if not all(isinstance(v, int | float) and not isinstance(v, bool) and math.isfinite(v) for v in told):
        return None
    return None if max(abs(float(v)) for v in told) > 1e7 else (float(told[0]), float(told[1]))
