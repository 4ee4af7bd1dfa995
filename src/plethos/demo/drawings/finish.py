"""What is done to the demo's drawings: joints, weights, what mends them, and what they do."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from scipy.interpolate import PchipInterpolator

from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.formats.svg_file import SvgFile, parse_svg
from plethos.core.formats.svg_read import read_drawing
from plethos.core.geometry import rotations
from plethos.core.joints.flat import laid_flat
from plethos.core.propose.flat_mend import width_kept
from plethos.core.rules.dials import Dial
from plethos.core.rules.remedies import Corrective, Remedy, Target
from plethos.core.rules.remedies.corrective import target_name
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.dial import DialTrigger
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.sculpt.solve import solve_corrective
from plethos.core.skeleton.clips import Clip, Track
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_to_json
from plethos.core.skin.shape import Shape
from plethos.core.weights.assign import DELIVERED, with_joint_weights
from plethos.core.weights.bind import bound_automatically

Z = (0.0, 0.0, 1.0)
RATE = 30.0
Keys = Sequence[tuple[float, Mapping[str, float]]]


@dataclass(frozen=True)
class DemoBend:
    """A corrective that keeps the width of a joint: degrees that it is bent to, and in-betweens at shares of them."""

    joint: str
    degrees: float
    name: str
    between: tuple[float, ...] = ()


@dataclass(frozen=True)
class Grown:
    """A dial that lets part of an outline grow: how far (in units), from where (a place in user units), how wide."""

    dial: str
    name: str
    at: tuple[float, float]
    reach: float
    way: tuple[float, float]


def laid(drawing: str, joints: list[dict[str, Any]], rigid: Mapping[str, str], title: str) -> tuple[Character, SvgFile]:
    """A drawing with joints and weights.

    Parameters
    ----------
    rigid
        Things that follow one joint, by their names.
    """
    file = parse_svg(drawing.encode())
    character = bound_automatically(laid_flat(read_drawing(file, title), joints), DELIVERED)
    dense = character.binding.joint_weights.astype(np.float64)
    for part, surface in character.mesh.outlines():
        for thing in surface.drawn:
            joint = rigid.get(thing.name) or rigid.get(part.name)
            if joint is not None:
                for n in thing.curves:
                    curve = surface.curves[n]
                    start = part.vertices[0] + 3 * curve.first
                    dense[start : start + 3 * curve.count] = 0
                    dense[start : start + 3 * curve.count, character.skeleton.find(joint)] = 1
    return with_joint_weights(character, dense, DELIVERED), file


def turned(character: Character, degrees: Mapping[str, float]) -> Pose:
    """A pose by degrees about z."""
    pose = character.skeleton.rest_pose()
    for name, angle in degrees.items():
        pose.rotations[character.skeleton.find(name)] = rotations.from_axis_angle(Z, math.radians(angle))
    return pose


def with_bend(character: Character, bend: DemoBend) -> Character:
    """The character with that corrective, solved at each of its angles."""
    joint = character.skeleton.find(bend.joint)
    angles = [math.radians(bend.degrees * s) for s in (*bend.between, 1.0)]
    full = angles[-1]
    inputs, values = ((full, 0.0), (1.0, 0.0)) if full < 0 else ((0.0, full), (0.0, 1.0))
    trigger = HingeTrigger(joint, Z, Response(inputs, values), id=f"{bend.joint}-{bend.degrees:+.0f}")
    targets = []
    for angle in angles:
        pose = turned(character, {bend.joint: math.degrees(angle)})
        at = abs(angle / full)
        label = bend.name if at == 1 else target_name(bend.name, at)
        shape, report = solve_corrective(
            Evaluator.of(character).pose(pose), width_kept(character, joint, pose), label, 1.0, trigger
        )  # fmt: skip
        targets.append(Target(shape, at, pose_to_json(character.skeleton, pose), report.to_json()))
    return character.with_remedy(Remedy(Corrective(tuple(targets)), bend.name, by=trigger.id), trigger)


def with_growth(character: Character, grown: Grown) -> Character:
    """The character with a dial from 0 to 1 and what it sizes."""
    dial = Dial(grown.dial, id=grown.dial.replace(" ", "-"))
    rest = character.mesh.rest
    away = np.linalg.norm(rest[:, :2] - np.array([grown.at[0], -grown.at[1]]), axis=1)
    share = np.where(away < grown.reach, (1 - (away / grown.reach) ** 2) ** 2, 0.0)
    share = character.mesh.of_controls(share)
    moved = np.flatnonzero(share > 1e-3).astype(np.int32)
    deltas = (share[moved, None] * [grown.way[0], -grown.way[1], 0.0]).astype(np.float32)
    trigger = DialTrigger(dial.id, Response((0.0, 1.0), (0.0, 1.0)), id=f"{dial.id}-trigger")
    fresh = character.with_rules(replace(character.rules, dials=(*character.rules.dials, dial)))
    body = Corrective.of(Shape(grown.name, moved, deltas))
    return fresh.with_remedy(Remedy(body, grown.name, by=trigger.id), trigger)


def with_clip(
    character: Character, name: str, keys: Keys, lift: Callable[[float], tuple[float, float]] | None = None
) -> Character:
    """The character with a motion: degrees about z by joint at each key, eased; `lift` moves the root."""
    at = np.array([k for k, _ in keys])
    times = np.arange(0, at[-1] + 1e-9, 1 / RATE)
    joints = sorted({j for _, pose in keys for j in pose})
    tracks = []
    for joint in joints:
        angles = PchipInterpolator(at, [pose.get(joint, 0.0) for _, pose in keys])(times)
        number = character.skeleton.find(joint)
        turns = np.array([rotations.from_axis_angle(Z, math.radians(a)) for a in angles])
        rest = character.skeleton.rest_rotation[number]
        tracks.append(Track("rotation", number, times, np.array([rotations.multiply(rest, q) for q in turns])))
    if lift is not None:
        root = int(np.flatnonzero(character.skeleton.is_joint)[0])
        moved = np.array([[x, -y, 0.0] for x, y in map(lift, times)])
        tracks.append(Track("translation", root, times, character.skeleton.rest_translation[root] + moved))
    return replace(character, clips=(*character.clips, Clip(name, float(times[-1]), tuple(tracks))))
