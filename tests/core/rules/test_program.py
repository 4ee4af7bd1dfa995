"""Rules compiled: triggers of every kind, helper joints, and the order in which they are worked out."""

import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator, RBFInterpolator
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, NONE, Acting, Evaluator
from plethos.core.geometry import rotations
from plethos.core.measure.travel import bent
from plethos.core.rules.dials import Dial, Group
from plethos.core.rules.program import compiled
from plethos.core.rules.remedies import Corrective, Helper, Remedy, Share, Target
from plethos.core.rules.response import Response
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.dial import DialTrigger
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.rules.triggers.product import ProductTrigger
from plethos.core.rules.triggers.stored_pose import StoredPose
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.shape import Shape
from tests.core.skeleton.test_kinematics import random_skeleton
from tests.figures import tube, value_of

LINEAR = Response((0.0, 1.0), (0.0, 1.0))
X, Z = (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)


def bump(name="bump", at=(3, 4, 5), size=0.01) -> Shape:
    deltas = np.full((len(at), 3), size, np.float32) * np.array([1, 2, 3], np.float32)
    return Shape(name, np.array(at, np.int32), deltas)


def values(rules: Rules, skeleton, pose: Pose, acting=ALL) -> dict[str, float]:
    program = compiled(rules, skeleton)
    moment = program.moment(pose, acting)
    return {v: float(moment.values[k]) for v, k in program.places.values.items()}


class Angles(unittest.TestCase):
    """The twist about an axis against SciPy, and what happens at its cut."""

    @given(st.integers(0, 2**31), st.floats(-3, 3))
    @settings(max_examples=60, deadline=None)
    def test_the_hinge_reads_the_twist_that_scipy_finds_whatever_the_sign_of_q(self, seed, middle):
        generator = np.random.default_rng(seed)
        q, axis = Rotation.random(rng=generator), generator.normal(size=3)
        axis /= np.linalg.norm(axis)
        # SciPy: project the rotation's quaternion on the axis.
        along, w = float(q.as_quat()[:3] @ axis), float(q.as_quat()[3])
        twist = Rotation.from_quat([*(along * axis), w]).as_rotvec() @ axis
        for quaternion in (q.as_quat(), -q.as_quat()):
            found = float(rotations.twist_angle(quaternion, axis, middle))
            self.assertAlmostEqual((found - twist + math.pi) % (2 * math.pi), math.pi, places=6)
            self.assertTrue(middle - math.pi - 1e-9 <= found <= middle + math.pi + 1e-9)

    def test_at_half_a_turn_q_and_minus_q_are_the_same_angle(self):
        for axis in np.eye(3):
            q = np.append(axis, 0.0)
            for middle in (0.0, 0.3, -2.0):
                one, other = (float(rotations.twist_angle(s * q, axis, middle)) for s in (1, -1))
                self.assertAlmostEqual(one, other, places=12)
                self.assertAlmostEqual(abs(one), math.pi, places=12)

    def test_a_corrective_at_175_degrees_is_still_on_at_181(self):
        character = tube()
        hinges = (None, None, Hinge(Z, math.radians(-10), math.radians(200)))
        skeleton = replace(character.skeleton, hinges=hinges)
        trigger = HingeTrigger(2, Z, Response((0.0, math.radians(175)), (0.0, 1.0)))
        character = replace(character, skeleton=skeleton)
        for degrees, wanted in ((87.5, 0.5), (175, 1), (179.99, 1), (180, 1), (181, 1), (200, 1), (-10, 0), (-60, 0)):
            pose = bent(skeleton.rest_pose(), 2, Z, math.radians(degrees))
            self.assertAlmostEqual(value_of(character, trigger, pose), wanted, places=9, msg=degrees)
            minus = pose.with_rotation(2, -pose.rotations[2])
            self.assertAlmostEqual(value_of(character, trigger, minus), wanted, places=9, msg=degrees)

    def test_more_than_a_turn_cannot_be_told_and_is_refused(self):
        trigger = HingeTrigger(2, Z, Response((-3.5, 3.5), (0.0, 1.0)))
        with self.assertRaisesRegex(BadEditError, "more than a whole turn"):
            compiled(Rules(triggers=(trigger,)), tube().skeleton)


class Values(unittest.TestCase):
    def setUp(self):
        self.character = tube()
        self.skeleton = self.character.skeleton
        self.rest = self.skeleton.rest_pose()

    def test_a_dial_stands_at_its_start_is_set_by_name_and_keeps_its_limits(self):
        dial = Dial("Wet", -1, 2, 0.5, "wet")
        knots = ((-1.0, 0.0, 2.0), (0.0, 0.2, 1.0))
        rules = Rules((dial,), (DialTrigger("wet", Response(*knots), id="t"),))
        for given_, stands in ((None, 0.5), (1.5, 1.5), (9.0, 2.0), (-9.0, -1.0)):
            pose = self.rest if given_ is None else replace(self.rest, dials={"Wet": given_})
            told = values(rules, self.skeleton, pose)
            self.assertEqual(told["wet"], stands)
            # Source: scipy.interpolate.PchipInterpolator.
            self.assertAlmostEqual(told["t"], float(PchipInterpolator(*knots)(stands)), places=12)

    def test_products_clamp_what_they_read_and_may_read_products_and_groups(self):
        dials = tuple(Dial(n, -5, 5, s, n) for n, s in (("a", 0.5), ("b", 3.0), ("c", -2.0), ("d", 0.8)))
        rules = Rules(
            dials,
            # Listed before what it reads: the order of the list is not the order of working out.
            (ProductTrigger(("ab", "d", "g"), id="abd"), ProductTrigger(("a", "b"), id="ab"),
             ProductTrigger(("a", "c"), id="ac")),
            (Group("Weather", 0.5, True, "g"),),
        )  # fmt: skip
        told = values(rules, self.skeleton, self.rest)
        self.assertAlmostEqual(told["ab"], 0.5)
        self.assertAlmostEqual(told["ac"], 0.0)
        self.assertAlmostEqual(told["abd"], 0.5 * 0.8 * 0.5)

    def test_a_circle_and_two_writers_are_refused_by_name(self):
        circle = Rules(triggers=(ProductTrigger(("b", "c"), "Alpha", "a"), ProductTrigger(("a", "c"), "Beta", "b"),
                                 HingeTrigger(2, Z, LINEAR, id="c")))  # fmt: skip
        with self.assertRaisesRegex(BadEditError, "in a circle.*(Alpha.*Beta|Beta.*Alpha)"):
            compiled(circle, self.skeleton)
        itself = Remedy(Helper(2, (Share(2, 0.5),)), "Own tail", id="x")
        with self.assertRaisesRegex(BadEditError, "in a circle.*Own tail"):
            compiled(Rules(remedies=(itself,)), self.skeleton)
        two = tuple(Remedy(Helper(2, (Share(1, 0.5),)), n, id=n) for n in ("One", "Other"))
        with self.assertRaisesRegex(BadEditError, "One.*Other.*same joint"):
            compiled(Rules(remedies=two), self.skeleton)

    def test_names_ids_and_references_are_checked(self):
        twice = Rules((Dial("Wet", id="a"), Dial("Wet", id="b")))
        for rules, words in (
            (twice, "Wet.*one dial only"),
            (Rules((Dial("x", id="a"),), groups=(Group("y", id="a"),)), "id “a”"),
            (Rules(triggers=(DialTrigger("gone", LINEAR, "Reader"),)), "Reader.*not there"),
            (Rules(remedies=(Remedy(Corrective.of(bump()), "R", by="gone"),)), "“R” reads a value"),
            (Rules(remedies=(Remedy(Corrective.of(bump()), "R", group="gone"),)), "group that is not there"),
        ):
            with self.assertRaisesRegex(BadEditError, words):
                compiled(rules, self.skeleton)


class Trying(unittest.TestCase):
    """A trigger that is changed in the air: what it gives is what compiling all rules gives."""

    def setUp(self):
        self.skeleton = tube().skeleton
        self.hinge = HingeTrigger(2, Z, Response((0.0, 1.5), (0.0, 1.0)), id="bend")
        self.rules = Rules(
            dials=(Dial("effort", 0.0, 1.0, 0.5, "d"),),
            triggers=(
                HingeTrigger(1, Z, LINEAR, id="other"),
                self.hinge,
                HingeTrigger(2, Z, LINEAR, id="beside"),  # of the same angle
                ProductTrigger(("bend", "d"), id="both"),
                ProductTrigger(("both", "other", "beside"), id="all"),
            ),
        )

    @given(st.floats(0.05, 1.4), st.floats(0, 1), st.floats(-2.5, 2.5), st.integers(1, 2), st.sampled_from((Z, X)))
    @settings(max_examples=60, deadline=None)
    def test_everything_that_follows_it_follows_the_changed_one(self, knot, value, angle, joint, axis):
        changed = replace(self.hinge, axis=axis, response=Response((0.0, knot, 1.5), (0.0, value, 1.0)))
        pose = self.skeleton.rest_pose().with_rotation(joint, rotations.from_axis_angle(Z, angle))
        pose = pose.with_rotation(3 - joint, rotations.from_axis_angle(Z, 0.7))
        tried = compiled(self.rules, self.skeleton).trying(changed)
        whole = compiled(self.rules.with_trigger(changed), self.skeleton)
        np.testing.assert_array_equal(tried.moment(pose, ALL).values, whole.moment(pose, ALL).values)

    def test_what_reads_something_else_or_is_not_there_has_to_be_compiled(self):
        program = compiled(self.rules, self.skeleton)
        self.assertIsNone(program.trying(replace(self.hinge, joint=1)))
        self.assertIsNone(program.trying(replace(self.hinge, id="unknown")))

    def test_trying_leaves_the_program_as_it_was(self):
        program = compiled(self.rules, self.skeleton)
        pose = self.skeleton.rest_pose().with_rotation(2, rotations.from_axis_angle(Z, 0.6))
        before = program.moment(pose, ALL).values
        program.trying(replace(self.hinge, response=Response((0.0, 0.1), (0.0, 1.0)))).moment(pose, ALL)
        np.testing.assert_array_equal(program.moment(pose, ALL).values, before)


class EachItsOwn:
    """A map that does something else to each joint, so that none can stand in for another."""

    def joint(self, j):
        return j + 10

    def rotation(self, j, q):
        return np.roll(q, j)

    def offset(self, j, v):
        return tuple(np.roll(v, j).tolist())


class PoseSets(unittest.TestCase):
    def test_each_rotation_and_axis_is_carried_by_its_own_joint(self):
        turns = ((0.5, 0.5, 0.5, 0.5), (0.8, 0.0, 0.6, 0.0), (0.0, 0.6, 0.0, 0.8))
        axes = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.6, 0.8))
        whole = PoseSet((1, 2, 3), axes, (StoredPose(turns, "both", "p", "p"),), 0.8, "set", "s")
        there = whole.mapped(EachItsOwn(), {"p": "q"})
        self.assertEqual((there.joints, there.poses[0].id, there.id), ((11, 12, 13), "q", "s"))
        for j, (turn, axis) in enumerate(zip(turns, axes, strict=True), 1):
            np.testing.assert_allclose(np.abs(there.poses[0].rotations[j - 1]), np.abs(np.roll(turn, j)), atol=1e-12)
            np.testing.assert_allclose(there.axes[j - 1], np.roll(axis, j), atol=1e-12)

    def test_documents_keep_each_joints_own_axis(self):
        skeleton = random_skeleton(np.random.default_rng(3))
        axes = ((1.0, 0.0, 0.0), (0.0, 0.6, 0.8))
        turns = ((0.5, 0.5, 0.5, 0.5), (0.8, 0.0, 0.6, 0.0))
        made = PoseSet((3, 7), axes, (StoredPose(turns, "swing", "p", "p"),), 0.8, "set", "s")
        again = PoseSet.from_document(made.to_document(skeleton), skeleton)
        np.testing.assert_allclose(again.axes, axes)
        np.testing.assert_allclose(again.poses[0].rotations, turns, atol=1e-12)

    # Below: against scipy.interpolate.RBFInterpolator on points that SciPy's rotations give.

    def points(self, turns: list[Rotation], by: str, axis) -> np.ndarray:
        if by == "swing":
            return np.array([t.apply(axis) for t in turns])
        if by == "both":
            return np.array([t.as_matrix().ravel() / math.sqrt(2) for t in turns])
        out = []
        for t in turns:
            q = t.as_quat()
            angle = Rotation.from_quat([*(q[:3] @ axis * np.array(axis)), q[3]]).as_rotvec() @ axis
            # Swung by 150 to 170 degrees a twist fades to none: along a cubic of the cosine of half the swing.
            swing = math.acos(np.clip(t.apply(axis) @ np.array(axis), -1, 1))
            low, high = math.cos(math.radians(85)), math.cos(math.radians(75))
            sure = np.clip((math.cos(swing / 2) - low) / (high - low), 0, 1)
            sure = sure**2 * (3 - 2 * sure)
            out.append([1 - sure + sure * math.cos(angle), sure * math.sin(angle)])
        return np.array(out)

    @given(st.integers(0, 2**31), st.sampled_from(["swing", "twist", "both", "mixed"]), st.floats(4, 40), st.booleans())
    @settings(max_examples=60, deadline=None)
    def test_a_tenth_of_a_degree_changes_no_weight_of_a_set_that_was_built_by_more_than_a_twentieth(
        self, seed, by, gap, about_bone
    ):
        generator = np.random.default_rng(seed)
        skeleton, axis = random_skeleton(generator), np.eye(3)[1] if about_bone else generator.normal(size=3)
        made, kinds = None, ["swing", "twist", "both"] if by == "mixed" else [by]
        for k in range(4):
            turned = Rotation.from_rotvec(axis / np.linalg.norm(axis) * math.radians(25 + gap * k))
            pose = skeleton.rest_pose().with_rotation(3, turned.as_quat())
            try:
                held = kinds[k % len(kinds)]
                made = PoseSet.of_held(skeleton, [3], pose, held) if made is None else made.with_held(pose, held)
            except BadEditError:
                continue
        if made is None:
            return
        here = Rotation.random(500, rng=generator)
        # Half of them near the antipode of the bone, where a twist is no sure thing.
        away = Rotation.from_rotvec(
            np.cross(made.axes[0], [0.3, 0.5, 0.8]) / np.linalg.norm(np.cross(made.axes[0], [0.3, 0.5, 0.8])) * math.pi
        )
        here = Rotation.concatenate([here, away * Rotation.from_rotvec(generator.normal(0, 0.3, (500, 3)))])
        small = generator.normal(size=(1000, 3))
        small *= math.radians(0.1) / np.linalg.norm(small, axis=1, keepdims=True)
        then = here * Rotation.from_rotvec(small)
        change = np.abs(made.weights(here.as_quat()[:, None]) - made.weights(then.as_quat()[:, None])).max()
        self.assertLess(change, 0.05 * 1.1)  # it was looked for, not proved

    def test_a_pose_that_would_make_weights_jump_is_refused_by_name(self):
        skeleton = random_skeleton(np.random.default_rng(1))

        def rolled(degrees):
            turned = Rotation.from_rotvec(np.array(skeleton.bone_axis(3)) * math.radians(degrees))
            return skeleton.rest_pose().with_rotation(3, turned.as_quat())

        made = PoseSet.of_held(skeleton, [3], rolled(20), "twist", "twenty", math.radians(28))
        made = made.with_held(rolled(40), "twist", "forty").with_held(rolled(60), "twist", "sixty")
        close = PoseSet.of_held(skeleton, [3], rolled(30), "twist", "thirty", math.radians(28))
        close = close.with_held(rolled(70), "twist", "far")
        with self.assertRaisesRegex(BadEditError, "“thirty” and “close”.*a tenth of a degree would change"):
            close.with_held(rolled(35), "twist", "close")
        self.assertLessEqual(made.steepest, 0.05)

    @given(st.integers(0, 2**31), st.sampled_from(["swing", "twist", "both"]), st.integers(1, 5), st.integers(1, 2))
    @settings(max_examples=40, deadline=None)
    def test_weights_are_those_of_scipy_before_they_are_clamped(self, seed, by, count, joints):
        generator = np.random.default_rng(seed)
        skeleton = random_skeleton(generator)
        axes = [tuple(a / np.linalg.norm(a)) for a in generator.normal(size=(joints, 3))]
        turned = [[Rotation.random(rng=generator) for _ in range(joints)] for _ in range(count)]
        stored = tuple(
            StoredPose(tuple(tuple(r.as_quat().tolist()) for r in rs), by, f"p{k}", f"p{k}")
            for k, rs in enumerate(turned)
        )
        try:
            made = PoseSet((3, 7)[:joints], tuple(axes), stored, 0.8, "set", "s")
        except BadEditError:
            return  # too close to be told apart
        radius = 2 * math.sin(0.4)
        every = [[Rotation.identity()] * joints, *turned]
        sites = np.concatenate([self.points([p[m] for p in every], by, axes[m]) for m in range(joints)], axis=1)
        here = [Rotation.random(rng=generator) for _ in range(joints)]
        at = np.concatenate([self.points([here[m]], by, axes[m]) for m in range(joints)], axis=1)
        theirs = RBFInterpolator(sites, np.eye(len(every)), kernel="gaussian", epsilon=1 / radius, degree=-1)(at)[0]
        wanted = np.clip(theirs, 0, 1)[1:]
        wanted /= max(1.0, wanted.sum())
        pose = skeleton.rest_pose()
        for m in range(joints):
            # Whatever the sign of q.
            pose.rotations[(3, 7)[m]] = here[m].as_quat() * (-1) ** m
        told = values(Rules(triggers=(made,)), skeleton, pose)
        np.testing.assert_allclose([told[f"p{k}"] for k in range(count)], wanted, atol=1e-7)

    def test_each_stored_pose_gives_one_for_itself_and_nothing_for_the_others_also_when_kinds_are_mixed(self):
        skeleton = tube().skeleton
        turns = [Rotation.from_euler("xyz", a, degrees=True) for a in ([60, 0, 0], [0, 80, 0], [0, 20, 90])]
        stored = tuple(
            StoredPose((tuple(t.as_quat().tolist()),), by, by, by)
            for t, by in zip(turns, ("swing", "twist", "both"), strict=True)
        )
        rules = Rules(triggers=(PoseSet((2,), ((0.0, 1.0, 0.0),), stored, 0.6, "set", "s"),))
        for t, by in zip(turns, ("swing", "twist", "both"), strict=True):
            told = values(rules, skeleton, skeleton.rest_pose().with_rotation(2, t.as_quat()))
            self.assertEqual({k: round(v, 9) for k, v in told.items()}, {n: float(n == by) for n in told})
        self.assertLess(max(values(rules, skeleton, skeleton.rest_pose()).values()), 1e-12)

    def test_poses_about_one_hinge_work_and_between_them_nothing_jumps(self):
        skeleton = tube().skeleton
        stored = tuple(
            StoredPose((tuple(rotations.from_axis_angle(Z, math.radians(d)).tolist()),), "swing", f"{d}", f"{d}")
            for d in (-120, -60, 60, 120, 170)
        )
        rules = Rules(triggers=(PoseSet((2,), ((0.0, 1.0, 0.0),), stored, 0.7, "set", "s"),))
        program = compiled(rules, skeleton)
        rows = []
        for degrees in np.arange(-170, 170, 0.1):
            pose = bent(skeleton.rest_pose(), 2, Z, math.radians(degrees))
            rows.append(program.moment(pose, ALL).values.copy())
        rows = np.array(rows)
        self.assertTrue(((rows >= 0) & (rows <= 1)).all())
        self.assertLessEqual(rows.sum(axis=1).max(), 1 + 1e-12)
        self.assertLess(np.abs(np.diff(rows, axis=0)).max(), 0.05)

    def test_poses_that_cannot_be_told_apart_are_refused_by_name(self):
        near = tuple(
            StoredPose((tuple(rotations.from_axis_angle(Z, a).tolist()),), "swing", n)
            for a, n in ((1.0, "up"), (1.0001, "nearly up"))
        )
        with self.assertRaisesRegex(BadEditError, "up.*nearly up.*too close"):
            PoseSet((2,), ((0.0, 1.0, 0.0),), near, 0.7)


class Correctives(unittest.TestCase):
    def test_targets_are_hats_through_nothing_at_0(self):
        # Piecewise linear as UsdSkel.BlendShape's in-betweens: NumPy's interp through the targets.
        shapes = [bump(f"t{k}", (k,)) for k in range(3)]
        body = Corrective(tuple(Target(s, at) for s, at in zip(shapes, (0.25, 0.6, 1.0), strict=True)))
        dial = Dial("x", 0, 1, 0, "x")
        rules = Rules((dial,), remedies=(Remedy(body, "Three", by="x", amount=0.5, id="r"),))
        skeleton = tube().skeleton
        program = compiled(rules, skeleton)
        for a in np.linspace(0, 1, 41):
            pose = replace(skeleton.rest_pose(), dials={"x": float(a)})
            weights = program.target_weights(program.moment(pose, ALL), ALL)
            wanted = [np.interp(a, (0, 0.25, 0.6, 1.0), np.eye(4)[k + 1]) for k in range(3)]
            np.testing.assert_allclose(weights, 0.5 * np.array(wanted), atol=1e-7)
            np.testing.assert_allclose(body.weights(float(a)), wanted, atol=1e-12)
        eased = replace(body, eased=True)
        for a in np.linspace(0.25, 1, 31):
            weights = np.array(eased.weights(float(a)))
            self.assertAlmostEqual(weights.sum(), 1, places=12)
        for wrong in ((0.5,), (0.0, 1.0), (1.0, 0.5), (0.4, 0.4, 1.0)):
            with self.assertRaisesRegex(BadEditError, "different activations"):
                Corrective(tuple(Target(bump(), at) for at in wrong))

    def test_on_alone_amount_and_group_multiply_and_untied_is_off(self):
        character = tube()
        trigger = HingeTrigger(2, Z, LINEAR, id="t")
        rules = Rules(
            triggers=(trigger,),
            groups=(Group("G", 0.5, True, "g"), Group("H", 1.0, False, "h")),
            remedies=(
                Remedy(Corrective.of(bump()), "plain", by="t", id="plain"),
                Remedy(Corrective.of(bump()), "half", by="t", amount=0.4, group="g", id="half"),
                Remedy(Corrective.of(bump()), "off", by="t", on=False, id="off"),
                Remedy(Corrective.of(bump()), "group off", by="t", group="h", id="group off"),
                Remedy(Corrective.of(bump()), "untied", id="untied"),
            ),
        )
        evaluator = Evaluator.of(character.with_rules(rules))
        pose = bent(character.skeleton.rest_pose(), 2, Z, 0.6)
        for acting, wanted in (
            (ALL, [0.6, 0.6 * 0.4 * 0.5, 0, 0, 0]),
            (NONE, [0, 0, 0, 0, 0]),
            (Acting.these("off", "group off"), [0, 0, 0.6, 0.6, 0]),
        ):
            np.testing.assert_allclose(evaluator.pose(pose, acting).shape_weights, wanted, atol=1e-7)
        told = evaluator.program.activations(evaluator.pose(pose).moment)
        self.assertEqual(told, {"plain": 0.6, "half": 0.6, "off": 0.6, "group off": 0.6, "untied": 0.0})


class Helpers(unittest.TestCase):
    @given(st.integers(0, 2**31), st.floats(-1.5, 1.5), st.sampled_from(["all", "swing", "twist"]))
    @settings(max_examples=60, deadline=None)
    def test_a_share_is_that_much_of_the_rotation_seen_in_the_world_at_rest(self, seed, share, part):
        generator = np.random.default_rng(seed)
        skeleton = random_skeleton(generator)
        source, joint = 5, 9
        axis = generator.normal(size=3)
        axis /= np.linalg.norm(axis)
        # Within 100 degrees: no cut is near.
        turned = Rotation.from_rotvec(generator.uniform(-1, 1, 3))
        remedy = Remedy(Helper(joint, (Share(source, share, part, tuple(axis)),)), "Twist", id="h")
        pose = skeleton.rest_pose().with_rotation(source, -turned.as_quat())
        pose.rotations[joint] = Rotation.random(rng=generator).as_quat()
        program = compiled(Rules(remedies=(remedy,)), skeleton)
        got = Rotation.from_quat(program.moment(pose, ALL).rotations[joint])
        q = turned.as_quat()
        twist = Rotation.from_quat([*(q[:3] @ axis * axis), q[3]])
        chosen = {"all": turned, "twist": twist, "swing": turned * twist.inv()}[part]
        frames = [Rotation.from_matrix(skeleton.pose_frame(j)) for j in (source, joint)]
        wanted = (
            frames[1].inv() * frames[0] * Rotation.from_rotvec(share * chosen.as_rotvec()) * frames[0].inv() * frames[1]
        )
        self.assertLess((wanted.inv() * got).magnitude(), 1e-6)
        # What pose and clip give the joint counts again when the helper does not act.
        np.testing.assert_array_equal(program.moment(pose, NONE).rotations[joint], pose.rotations[joint])

    def test_a_chain_of_helpers_is_worked_out_in_its_own_order_and_scaled_by_what_it_is_tied_to(self):
        generator = np.random.default_rng(3)
        skeleton = random_skeleton(generator)
        skeleton = replace(skeleton, rest_rotation=np.tile(rotations.IDENTITY, (len(skeleton), 1)))
        dial = Dial("x", 0, 1, 1, "x")
        second = Remedy(Helper(12, (Share(9, 0.5),)), "second", id="2")
        first = Remedy(Helper(9, (Share(5, 0.5),)), "first", by="x", amount=0.8, id="1")
        program = compiled(Rules((dial,), remedies=(second, first)), skeleton)
        pose = skeleton.rest_pose().with_rotation(5, rotations.from_axis_angle(Z, 1.0))
        moment = program.moment(replace(pose, dials={"x": 0.5}), ALL)
        for joint, wanted in ((9, 0.5 * 0.8 * 0.5), (12, 0.25 * 0.8 * 0.5)):
            self.assertAlmostEqual(float(rotations.angle(moment.rotations[joint])), wanted, places=9)
