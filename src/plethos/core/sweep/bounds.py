"""Bounds of a sweep: of a character, and of single joints where a lead has set them otherwise."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from plethos.core.errors import BadEditError
from plethos.core.measure.badness import AT_REST, BOUNDS, Bounds

FORM = 'Bounds are told as {"volume_loss": [5, 40], …, "joints": {"NAME": {"volume_loss": [8, 40]}}}.'


@dataclass(frozen=True)
class SweepBounds:
    """Bounds.

    Parameters
    ----------
    general
        Of all joints.
    joints
        By the name of a joint, those that differ there.
    """

    general: Bounds
    joints: Mapping[str, Bounds]

    def of(self, joint: str) -> Bounds:
        """Those of a joint."""
        return {**self.general, **self.joints.get(joint, {})}

    def to_json(self) -> dict[str, Any]:
        """As `bounds_from_json` reads them."""
        plain: dict[str, Any] = _plain(self.general)
        if self.joints:
            plain["joints"] = {name: _plain(own) for name, own in self.joints.items()}
        return plain


SHIPPED = SweepBounds(BOUNDS, {})


def bounds_from_json(told: object) -> SweepBounds:
    """Bounds of a file: those that it leaves out are the shipped ones.

    Raises
    ------
    BadEditError
        For another form, measures that there are not, and bounds below what there is at rest or over what ruins.
    """
    if not isinstance(told, Mapping) or not isinstance(told.get("joints", {}), Mapping):
        raise BadEditError(FORM)
    joints = {str(name): _checked(own, f" of “{name}”") for name, own in told.get("joints", {}).items()}
    general = _checked({k: v for k, v in told.items() if k != "joints"}, "")
    return SweepBounds({**BOUNDS, **general}, joints)


def bounds_from_text(text: str | bytes) -> SweepBounds:
    """The same of JSON text."""
    try:
        told = json.loads(text)
    except (ValueError, RecursionError):
        raise BadEditError(FORM) from None
    return bounds_from_json(told)


def _checked(told: object, whose: str) -> Bounds:
    if not isinstance(told, Mapping):
        raise BadEditError(FORM)
    out = {}
    for name, pair in told.items():
        if name not in BOUNDS:
            raise BadEditError(f"There is no measure called “{name}”; there are {', '.join(BOUNDS)}.")
        numbers = isinstance(pair, list | tuple) and len(pair) == 2
        if not numbers or not all(_is_number(x) for x in pair):
            raise BadEditError(f"The bound on {name}{whose} has to be two numbers: the bound, and what ruins the limb.")
        bound, ruined = (float(x) for x in pair)
        rest = AT_REST.get(name, 0.0)
        if bound <= rest:
            raise BadEditError(f"The bound on {name}{whose} has to be over {rest:g}, which is what there is at rest.")
        if bound >= ruined:
            raise BadEditError(f"The bound on {name}{whose} has to be under what ruins the limb, {ruined:g}.")
        out[name] = (bound, ruined)
    return out


def _is_number(x: object) -> bool:
    return isinstance(x, int | float) and not isinstance(x, bool) and math.isfinite(x)


def _plain(bounds: Bounds) -> dict[str, Any]:
    return {name: list(pair) for name, pair in bounds.items()}
