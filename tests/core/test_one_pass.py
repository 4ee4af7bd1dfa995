"""A version of hinges and correctives alone goes from its pose to its bones in one compiled pass."""

import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation

from plethos.core.evaluate import ALL, NONE, Acting, Evaluator
from plethos.core.geometry.rotations import twist_angle
from plethos.core.rules.dials import Dial, Group
from plethos.core.rules.program import compiled
from plethos.core.rules.remedies import Corrective, Remedy, Target
from plethos.core.rules.response import Response
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.dial import DialTrigger
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.skeleton.kinematics import hinge_values
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.binding import Bones
from plethos.core.skin.shape import Shape
from tests.core.skeleton.test_kinematics import COUNT, random_skeleton
from tests.drawings import bar, laid, posed, svg

Z = (0.0, 0.0, 1.0)


def shape(name):
    return Shape(name, np.array([0], np.int32), np.ones((1, 3), np.float32))


def random_rules(generator) -> Rules:
    """Correctives with in-betweens on hinges, several to an angle, some off, in a group that is, or tied to nothing."""
    triggers, remedies = [], []
    # Axes of which any two differ in one number, and knots beyond half a turn, which move where an angle is cut.
    axes = [Z, (0.6, 0.0, 0.8), (-0.6, 0.0, 0.8), (0.6, 0.0, -0.8), (0.6, 0.8, 0.0), (0.6, -0.8, 0.0)]
    for k in range(12):
        inputs = np.cumsum(generator.uniform(0.2, 1.3, 3)) - 1
        response = Response(tuple(inputs.tolist()), tuple(np.sort(generator.uniform(0, 1, 3)).tolist()))
        joint, axis = int(generator.integers(0, 2)), axes[int(generator.integers(0, len(axes)))]
        triggers.append(HingeTrigger(joint, axis, response, id=f"t{k}"))
        at = (0.3, 0.55, 1.0)[int(generator.integers(0, 3)) :]
        body = Corrective(tuple(Target(shape(f"{k} {a}"), a) for a in at), eased=bool(generator.integers(0, 2)))
        remedies.append(
            Remedy(
                body, f"r{k}", id=f"r{k}", by=None if k == 5 else f"t{k}", amount=float(generator.uniform(0.2, 1.5)),
                on=k != 7, group={2: "half", 3: "out"}.get(k),
            )
        )  # fmt: skip
    groups = (Group("Half", 0.5, True, "half"), Group("Out", 1.0, False, "out"))
    return Rules(triggers=tuple(triggers), groups=groups, remedies=tuple(remedies))


def random_pose(generator) -> Pose:
    scales = np.full((COUNT, 3), np.nan)
    scales[3] = [1.5, 0.5, 2.0]
    return Pose(
        Rotation.random(COUNT, rng=generator).as_quat(),
        generator.normal(size=(COUNT, 3)) if generator.integers(0, 2) else None,
        scales if generator.integers(0, 2) else None,
    )


def activation(trigger, pose, skeleton):
    """By SciPy's swing-twist and monotone cubic."""
    x, y, z, w = pose.rotations[trigger.joint]
    angle = 2 * math.atan2(np.dot((x, y, z), trigger.axis), w)
    middle = trigger.middle(skeleton)
    angle -= 2 * math.pi * math.ceil((angle - middle - math.pi) / (2 * math.pi))
    curve = PchipInterpolator(trigger.response.inputs, trigger.response.values)
    return float(curve(np.clip(angle, trigger.response.inputs[0], trigger.response.inputs[-1])))


class OnePass(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 10**6), st.booleans())
    def test_it_gives_what_scipy_and_numpy_give_step_by_step(self, seed, alone):
        generator = np.random.default_rng(seed)
        skeleton, rules, pose = random_skeleton(generator, True), random_rules(generator), random_pose(generator)
        inverse = np.linalg.inv(skeleton.rest_global)
        joints = generator.permutation(COUNT).astype(np.int32)[:20]
        bones = Bones(joints, inverse[joints], np.zeros(20, np.int32))
        acting = Acting.these("r1", "r7") if alone else ALL
        moment = compiled(rules, skeleton).moment(pose, acting, bones)

        wanted = []
        for remedy, trigger in zip(rules.remedies, rules.triggers, strict=True):
            gain = remedy.amount * {"half": 0.5}.get(remedy.group, 1.0)
            off = remedy.id not in ("r1", "r7") if alone else remedy.id in ("r3", "r7")
            share = 0.0 if off or remedy.by is None else gain
            wanted += [share * w for w in remedy.body.weights(activation(trigger, pose, skeleton))]
        np.testing.assert_allclose(moment.weights, wanted, atol=1e-6)

        world = skeleton.global_matrices(pose)  # held to SciPy in `test_kinematics`
        np.testing.assert_allclose(moment.world, world, rtol=1e-12, atol=1e-12)
        columns = np.swapaxes((world[joints] @ inverse[joints])[:, :3, :], 1, 2)
        size = np.abs(columns).max()
        np.testing.assert_allclose(moment.columns.reshape(-1, 4, 4)[:, :, :3], columns, atol=1e-6 * size)

    def test_an_angle_is_read_anew_whatever_differs_between_two_hinges(self):
        turned = Rotation.random(2, rng=np.random.default_rng(5)).as_quat()
        first = (0, *Z, 0.0)
        others = [(1, *Z, 0.0), (0, 0, 0, -1, 0.0), (0, 1, 0, 1, 0.0), (0, 0, 1, 1, 0.0), (0, *Z, 5.0)]
        rows = np.array([(*pair[0:1], n, *pair[1:], 0, 2) for n, pair in enumerate(
            hinge for other in others for hinge in (first, first, other, first)
        )], float)  # fmt: skip
        knots, values = np.array([[-20.0, 20.0], [-20.0, 20.0], [1.0, 1.0]]), np.empty(len(rows))
        hinge_values(turned, rows, knots, values)
        wanted = [twist_angle(turned[int(r[0])], r[2:5], r[5]) for r in rows]
        np.testing.assert_allclose(values, wanted, atol=1e-12)
        self.assertEqual(len(set(values.round(9))), 1 + len(others))

    def test_a_trigger_of_another_kind_before_it_is_worked_out_first_and_one_after_it_ends_the_pass(self):
        skeleton = random_skeleton(np.random.default_rng(1))
        bones = Bones(np.zeros(1, np.int32), np.eye(4)[None], np.zeros(1, np.int32))
        response = Response((0.0, 1.0), (0.0, 1.0))
        dial, hinge = Dial("x", 0, 1, 0, "x"), HingeTrigger(1, Z, response, id="h")
        tied = Remedy(Corrective.of(shape("s")), "s", by="d", id="s")
        rules = Rules((dial,), triggers=(DialTrigger("x", response, id="d"), hinge), remedies=(tied,))
        program = compiled(rules, skeleton)
        pose = replace(skeleton.rest_pose(), dials={"x": 0.75})
        moment = program.moment(pose, ALL, bones)
        self.assertEqual([type(s).__name__ for s in program.steps], ["_Dials", "Hinges"])
        np.testing.assert_allclose(moment.weights, [0.75])
        # The other way round the last step is no hinge: nothing comes along, and whoever asks works it out.
        later = compiled(replace(rules, triggers=(hinge, DialTrigger("h", response, id="d"))), skeleton)
        self.assertIsNone(later.moment(pose, ALL, bones).weights)
        self.assertIsNone(program.moment(pose, ALL).columns, "nobody asked")


class Drawings(unittest.TestCase):
    """What a drawing's own kernel gives, against plain NumPy in float64."""

    def character(self, leaves=False, lifted=False, seed=3):
        generator = np.random.default_rng(seed)
        character, _ = laid(svg(bar(points=9)))
        if lifted:
            points = character.mesh.points.copy()
            points[4:9, 2] = 7.0
            character = replace(character, mesh=replace(character.mesh, points=points, rest=points.copy()))
        for k in range(4):
            moved = np.sort(generator.choice(len(character.mesh), 30, replace=False)).astype(np.int32)
            deltas = generator.normal(0, 5, (30, 3)).astype(np.float32) * np.float32([1, 1, float(leaves and k == 2)])
            lower = character.skeleton.find("lower")
            trigger = HingeTrigger(lower, Z, Response((0.0, 1.0), (0.0, 1.0)), id=f"t{k}")
            body = Corrective.of(Shape(f"s{k}", moved, deltas))
            character = character.with_remedy(Remedy(body, f"s{k}", by=trigger.id, id=f"r{k}"), trigger)
        return character

    def test_points_are_the_exact_ones_in_the_plane_and_out_of_it(self):
        for given_ in ({}, {"leaves": True}, {"lifted": True}):
            character = self.character(**given_)
            evaluator, rest = Evaluator.of(character), character.mesh.points.copy()
            for pose in (posed(character, lower=40), posed(character, lower=-70, end=25), self.tilted(character)):
                for acting in (ALL, NONE, Acting.these("r1", "r3")):
                    first = evaluator.pose(pose, acting)
                    self.assertEqual(first.points.shape, rest.shape)
                    made = evaluator.pose(pose, acting)
                    self.assertIsNotNone(made.moment.columns, "laid out by now, so it goes through in one pass")
                    np.testing.assert_allclose(first.points, made.points, atol=2e-5)
                    np.testing.assert_allclose(made.points, made.exact_points(), atol=2e-4, err_msg=str(given_))
            np.testing.assert_array_equal(character.mesh.points, rest)
            np.testing.assert_array_equal(evaluator.layout(ALL).points, rest, "the rest points stay as they are")

    def test_shapes_of_a_file_are_told_apart_from_those_of_correctives(self):
        character = self.character()
        own = Shape("own", np.array([1, 2], np.int32), np.full((2, 3), 3, np.float32) * np.float32([1, 1, 0]), 0.5)
        both = replace(character, mesh=replace(character.mesh, shapes=(own,)))
        pose = posed(both, lower=40)
        for given_ in (None, {0: -2.0}):
            evaluator = Evaluator.of(both)
            evaluator.layout(ALL)
            made = evaluator.pose(replace(pose, shape_weights=given_))
            self.assertIsNotNone(made.moment.columns)
            np.testing.assert_allclose(made.points, made.exact_points(), atol=2e-4)
            moved = made.points - Evaluator.of(character).pose(pose).points
            self.assertEqual(set(np.flatnonzero(np.linalg.norm(moved, axis=1) > 0.01)), {1, 2})

    def tilted(self, character):
        """Turned out of the plane too."""
        return posed(character, lower=30).with_rotation(
            character.skeleton.find("lower"), Rotation.from_euler("xyz", [0.3, -0.5, 0.4]).as_quat()
        )

    def test_in_the_plane_it_takes_the_short_way(self):
        for given_, controls, flat in (
            ({}, True, True),
            ({"leaves": True}, True, False),
            ({"lifted": True}, False, True),
        ):
            evaluator = Evaluator.of(self.character(**given_))
            lay = evaluator.layout(ALL)
            self.assertEqual((lay.controls, evaluator.table(lay).flat is not None), (controls, flat), given_)

    def test_what_nobody_looks_at_is_not_laid_out(self):
        character = self.character()
        evaluator = Evaluator.of(character)
        made = evaluator.pose(posed(character, lower=40))
        np.testing.assert_allclose(made.shape_weights, [math.radians(40)] * 4, atol=1e-6)
        self.assertEqual(made.world.shape, (len(character.skeleton), 4, 4))
        self.assertEqual(evaluator.layouts._layouts, {})
