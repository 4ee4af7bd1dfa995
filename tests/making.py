"""What tests make at random from a seed: a character with one rule of each kind, and poses of it."""

from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from plethos.core.character import Character
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.joints.draft import Draft
from plethos.core.rules.dials import Dial
from plethos.core.rules.remedies import (
    Corrective,
    Helper,
    Relaxer,
    Remedy,
    Share,
    SkinBlend,
    Target,
    VolumeKeeper,
)
from plethos.core.rules.remedies.helper_rules.grow import Grow
from plethos.core.rules.remedies.helper_rules.push import Push
from plethos.core.rules.remedies.helper_rules.slide import Slide
from plethos.core.rules.response import Response
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.dial import DialTrigger
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.rules.triggers.product import ProductTrigger
from plethos.core.rules.triggers.stored_pose import StoredPose
from plethos.core.skin.mask import Mask
from plethos.core.skin.shape import Shape
from tests.figures import pair_file

Z = (0.0, 0.0, 1.0)
UP = (0.0, 1.0, 0.0)


def everything(generator: np.random.Generator, character: Character | None = None) -> Character:
    """A character with one of each kind of rule, all of them different for each seed."""
    character = character or read_character(parse(pair_file().pack()), "Pair")
    draft = Draft(character)
    upper = character.skeleton.find("upper")
    draft.add("pusher", upper, np.array([0.05, 0.6, 0.02]), np.eye(3), helper=True)
    character = draft.finish()
    skeleton, count = character.skeleton, len(character.mesh)

    def mask(share: float) -> Mask:
        chosen = np.sort(generator.choice(count, int(share * count), replace=False)).astype(np.int32)
        return Mask(chosen, generator.uniform(0, 1, len(chosen)).astype(np.float32))

    def ring() -> Mask:
        inside = np.flatnonzero(np.abs(character.mesh.points[:, 1] - 0.5) < 0.16).astype(np.int32)
        return Mask(inside, generator.uniform(0.2, 1, len(inside)).astype(np.float32))

    def shape(name: str) -> Shape:
        chosen = np.sort(generator.choice(count, count // 4, replace=False)).astype(np.int32)
        return Shape(name, chosen, generator.normal(0, 0.02, (len(chosen), 3)).astype(np.float32))

    helped = (
        Share(upper, 0.6, "twist", Z),
        Slide(upper, Z, (1.0, 0.0, 0.0), Response((-0.5, 1.5), (-0.01, 0.08))),
        Push("bend", (0.0, 1.0, 0.0), 0.03),
        Grow(upper, Z, Response((-1.0, 1.5), (0.8, 1.4))),
    )
    stored = StoredPose((tuple(Rotation.from_euler("x", 60, degrees=True).as_quat().tolist()),), "swing", "out", "out")
    rules = Rules(
        (Dial("Wet", 0, 2, 0.5, "wet"),),
        (
            DialTrigger("wet", Response((0.0, 2.0), (0.0, 1.0)), id="soaked"),
            HingeTrigger(upper, Z, Response((-0.5, 1.5), (0.0, 1.0)), id="bend"),
            ProductTrigger(("soaked", "bend"), "soggy", "soggy"),
            PoseSet((upper,), (UP,), (stored,), 0.9, "set", "set"),
        ),
        remedies=(
            Remedy(Corrective((Target(shape("early"), 0.4), Target(shape("late"), 1.0))), "late", by="bend", id="c"),
            Remedy(Corrective.of(shape("both")), "both", by="soggy", id="p"),
            Remedy(Corrective.of(shape("side")), "side", by="out", id="s"),
            Remedy(Helper(skeleton.find("pusher"), helped, mask(0.3)), "push", id="h"),
            Remedy(SkinBlend(mask(0.5)), "blend", amount=0.7, id="b"),
            Remedy(Relaxer(mask(0.4), 4), "relax", by="soaked", id="r"),
            Remedy(VolumeKeeper(ring(), 0.98), "keep", amount=0.8, id="k"),
        ),
    )
    return character.with_rules(rules)


def any_pose(generator: np.random.Generator, skeleton):
    pose = skeleton.rest_pose()
    pose.rotations[:] = Rotation.random(len(skeleton), rng=generator).as_quat()
    return replace(
        pose,
        translations=generator.normal(0, 0.02, (len(skeleton), 3)),
        dials={"Wet": float(generator.uniform(0, 2))},
    )
