"""Small made-up drawings for the tests."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.formats.svg_file import SvgFile, parse_svg
from plethos.core.formats.svg_read import read_drawing
from plethos.core.joints.flat import laid_flat
from plethos.core.skeleton.pose import Pose
from plethos.core.weights.area import rigid
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.bind import bound_automatically
from plethos.demo.drawings.finish import turned

Z = (0.0, 0.0, 1.0)
ARM = [
    {"name": "upper", "parent": None, "at": [0, 0]},
    {"name": "lower", "parent": "upper", "at": [100, 0]},
    {"name": "end", "parent": "lower", "at": [200, 0]},
]


def svg(*shapes: str, view: str = "-60 -160 320 320") -> bytes:
    """A document of these shapes."""
    body = "\n".join(shapes)
    return f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{view}">{body}</svg>'.encode()


def bar(half: float = 10, points: int = 2, rule: str = "evenodd", name: str = "limb") -> str:
    """A straight limb along x from 0 to 200, of so many points on each half of each side, joined by straight lines.

    With an even number of halves no point lies at the joint, 100.
    """
    x = np.concatenate([np.linspace(0, 99.9999, points), np.linspace(100.0001, 200, points)])
    along = [f"{a:.4f} {-half}" for a in x] + [f"{a:.4f} {half}" for a in x[::-1]]
    return f'<path id="{name}" d="M{" L".join(along)} Z" fill="#cc8800" fill-rule="{rule}" stroke="#000000"/>'


def laid(data: bytes, joints: list[dict[str, Any]] = ARM, stiff: bool = False) -> tuple[Character, SvgFile]:
    """A drawing with joints and automatic weights, or each point wholly on one joint."""
    file = parse_svg(data)
    character = bound_automatically(laid_flat(read_drawing(file, "drawing"), joints), 4)
    if stiff:
        character = with_joint_weights(character, rigid(character.binding.joint_weights), 1)
    return character, file


def posed(character: Character, **degrees: float) -> Pose:
    """A pose by degrees about z."""
    return turned(character, degrees)


def opened(radius: float, angle: float) -> float:
    """What a straight limb of rigid halves, bent by an angle, opens of its even-odd fill: the triangle in which its two
    halves lie over each other beyond both joint lines. Checked by integration in `test_flat`."""
    return radius**2 * (math.tan(angle / 2) - math.sin(angle) / 2)
