"""The rules of helper joints, against matrices worked out anew, SciPy and usd-core."""

import math
import unittest
from dataclasses import replace
from functools import cache

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from pxr import Gf, UsdSkel, Vt
from scipy.spatial.transform import Rotation

from plethos.core.edits.twins import twinned
from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, NONE, Acting, Evaluator
from plethos.core.measure.helper_path import helper_path
from plethos.core.measure.travel import bent
from plethos.core.rules.dials import Dial
from plethos.core.rules.program import compiled
from plethos.core.rules.remedies import Anchor, Grow, Helper, Limit, Push, Remedy, Share, SkinBlend, Slide
from plethos.core.rules.response import Response
from plethos.core.rules.rules import Rules
from plethos.core.skeleton.mapping import MirrorMap
from plethos.core.skeleton.symmetry import MIRROR
from plethos.core.skin.mask import Mask
from plethos.demo.catalogue import open_demo
from tests.figures import tube

X, Y, Z = np.eye(3)
THIGH, SHIN, KNEE = "left_thigh", "left_shin", "left_shin_twist_1"  # the twist joint stands for a helper


@cache
def bare():
    return open_demo("lock-keeper-bare")[0]


def joint(name):
    return bare().skeleton.find(name)


def helper(*rules, on=KNEE, **more):
    return Remedy(Helper(joint(on), tuple(rules)), "helper", id="h", **more)


def moment(pose, *remedies, acting=ALL, dials=()):
    return compiled(Rules(dials=tuple(dials), remedies=remedies), bare().skeleton).moment(pose, acting)


def world(pose, *remedies, **more):
    m = moment(pose, *remedies, **more)
    return bare().skeleton.world(m.rotations, m.translations, m.scales)


def posed(**degrees):
    pose = bare().skeleton.rest_pose()
    for name, angles in degrees.items():
        pose.rotations[joint(name)] = Rotation.from_euler("XYZ", angles, degrees=True).as_quat()
    return pose


def any_pose(seed, small=1.0):
    generator = np.random.default_rng(seed)
    pose = bare().skeleton.rest_pose()
    pose.rotations[:] = (Rotation.random(len(bare().skeleton), rng=generator) ** small).as_quat()
    return pose


def rigid(matrix):
    out = np.eye(4)
    out[:3, :3], out[:3, 3] = Rotation.from_matrix(matrix[:3, :3]).as_matrix(), matrix[:3, 3]
    return out


class Slides(unittest.TestCase):
    def test_worked_case_3_a_slide_stops_at_both_ends(self):
        # Common practice, no source: clamp(0.1 x angle, -0.0025, 0.09).
        low, high = -0.025, 0.9
        slide = Slide(joint(THIGH), tuple(Z), tuple(Y), Response((low, high), (0.1 * low, 0.1 * high)))
        at = joint(KNEE)
        way = bare().skeleton.pose_frame(at) @ Y
        for angle in (-0.7, -0.025, -0.01, 0.0, 0.3, 0.9, 1.6):
            pose = posed(left_thigh=[0, 0, math.degrees(angle)])
            # Seen from the parent, so that the thigh's own turn does not count.
            back = np.linalg.inv(world(pose)[joint(SHIN)] @ np.linalg.inv(bare().skeleton.rest_global[joint(SHIN)]))
            moved = (back @ world(pose, helper(slide))[at] - back @ world(pose)[at])[:3, 3]
            wanted = np.clip(0.1 * angle, -0.0025, 0.09)
            np.testing.assert_allclose(moved, wanted * way / np.linalg.norm(way), atol=1e-12)

    def test_pelvis_pair_takes_all_and_0_53_of_the_flexion_and_none_of_the_roll(self):
        # Common practice, no source. SciPy's rotation vector says what a share of a swing is.
        for share in (1.0, 0.53):
            rule = Share(joint(THIGH), share, "swing", tuple(Y))
            on = "left_upper_arm_twist_1"
            flexed, rolled = posed(left_thigh=[70, 0, 0]), posed(left_thigh=[0, 40, 0])
            turn = moment(flexed, helper(rule, on=on)).rotations[joint(on)]
            self.assertAlmostEqual(math.degrees(Rotation.from_quat(turn).magnitude()), 70 * share)
            np.testing.assert_allclose(
                moment(rolled, helper(rule, on=on)).rotations[joint(on)], [0, 0, 0, 1], atol=1e-12
            )

    def test_a_push_follows_any_value(self):
        dial = Dial("wet", 0, 2, 0.5, "w")
        push = Push("w", tuple(X), 0.02)
        for dials, wanted in (({}, 0.01), ({"wet": 2.0}, 0.04)):
            pose = posed()
            pose = type(pose)(pose.rotations, dials=dials)
            moved = world(pose, helper(push), dials=[dial])[joint(KNEE)] - world(pose)[joint(KNEE)]
            self.assertAlmostEqual(float(np.linalg.norm(moved[:3, 3])), wanted)
        with self.assertRaisesRegex(BadEditError, "reads a value"):
            moment(posed(), helper(push))

    def test_metres_are_metres_below_a_scaled_root(self):
        character = tube(root={"scale": [50.0, 50.0, 50.0]})
        skeleton = character.skeleton
        upper = skeleton.find("upper")
        remedy = Remedy(Helper(upper, (Push("w", tuple(X), 0.3),)), "helper", id="h")
        rules = Rules(dials=(Dial("wet", 0, 1, 1.0, "w"),), remedies=(remedy,))
        m = compiled(rules, skeleton).moment(skeleton.rest_pose(), ALL)
        now = skeleton.world(m.rotations, m.translations, m.scales)
        self.assertAlmostEqual(float(np.linalg.norm((now - skeleton.rest_global)[upper, :3, 3])), 0.3)

    def test_it_grows_by_the_response_and_by_no_more_than_it_acts(self):
        grow = Grow(joint(SHIN), tuple(Z), Response((0.0, math.radians(90)), (1.0, 1.5)))
        for degrees, amount, factor in ((0, 1, 1.0), (90, 1, 1.5), (120, 1, 1.5), (45, 1, 1.25), (90, 0.5, 1.25)):
            made = world(posed(left_shin=[0, 0, degrees]), helper(grow, amount=amount))[joint(KNEE), :3, :3]
            plain = world(posed(left_shin=[0, 0, degrees]))[joint(KNEE), :3, :3]
            np.testing.assert_allclose(made, factor * plain, atol=1e-9)


class Paths(unittest.TestCase):
    """Where a helper goes and where its stops stand, against poses of the whole character."""

    def setUp(self):
        low, high = -0.3, 0.9
        self.slide = Slide(joint(THIGH), tuple(Z), tuple(Y), Response((low, high), (-0.01, 0.09)))
        half = Share(joint(THIGH), 0.5, "all", tuple(Z))
        self.remedy = helper(half, self.slide, amount=0.5)
        self.character = bare().with_remedy(self.remedy)
        self.held = posed(left_shin=[0, 0, 40], chest=[10, 20, 0])

    def place(self, character, angle):
        pose = bent(self.held, joint(THIGH), Z, angle)
        return Evaluator.of(character).pose(pose).world[joint(KNEE)][:3, 3]

    def test_it_goes_where_the_helper_is_at_each_angle_whatever_else_is_held(self):
        angles = np.linspace(-0.5, 1.2, 5)
        path = helper_path(Evaluator.of(self.character), "h", self.held, joint(THIGH), tuple(Z), angles)
        np.testing.assert_allclose(path.places, [self.place(self.character, a) for a in angles], atol=1e-9)
        self.assertGreater(np.linalg.norm(np.diff(path.places, axis=0), axis=1).min(), 0.01)

    def test_each_knot_of_a_slide_is_a_stop_and_goes_as_far_as_it_says(self):
        path = helper_path(Evaluator.of(self.character), "h", self.held, joint(THIGH), tuple(Z), [0.0])
        self.assertEqual([(s.rule, s.knot) for s in path.stops], [(1, 0), (1, 1)])
        for stop in path.stops:
            angle = self.slide.response.inputs[stop.knot]
            np.testing.assert_allclose(stop.at, self.place(self.character, angle), atol=1e-9)
            values = list(self.slide.response.values)
            values[stop.knot] += 0.005
            further = replace(self.slide, response=Response(self.slide.response.inputs, tuple(values)))
            rules = (self.remedy.body.rules[0], further)
            other = self.character.with_remedy(replace(self.remedy, body=replace(self.remedy.body, rules=rules)))
            moved = self.place(other, angle) - self.place(self.character, angle)
            np.testing.assert_allclose(moved, 0.005 * stop.along, atol=1e-9)
            self.assertGreater(np.linalg.norm(moved), 1e-3)

    def test_what_is_no_helper_has_no_path(self):
        blend = Remedy(SkinBlend(Mask.of(np.ones(len(bare().mesh)))), "blend", id="b")
        with self.assertRaisesRegex(BadEditError, "no helper joint"):
            evaluator = Evaluator.of(bare().with_remedy(blend))
            helper_path(evaluator, "b", self.held, joint(THIGH), tuple(Z), [0.0])


class Shares(unittest.TestCase):
    @given(st.integers(0, 2**31), st.floats(-1, 1), st.booleans())
    @settings(max_examples=25, deadline=None)
    def test_chosen_axes_take_those_components_of_scipys_rotation_vector(self, seed, share, two):
        pose, axes = any_pose(seed), Rotation.random(rng=np.random.default_rng(seed)).as_matrix()[: 2 if two else 1]
        rule = Share(joint(THIGH), share, "axes", axes=tuple(map(tuple, axes)))
        skeleton, at = bare().skeleton, joint(KNEE)
        vector = Rotation.from_quat(pose.rotations[joint(THIGH)]).as_rotvec()
        wanted = share * (axes.T @ (axes @ vector))
        # The turn stays about the same lines of the world at rest.
        made = Rotation.from_quat(moment(pose, helper(rule)).rotations[at]).as_rotvec()
        seen = [skeleton.pose_frame(j) @ v for j, v in ((at, made), (joint(THIGH), wanted))]
        np.testing.assert_allclose(*seen, atol=1e-9)

    def test_axes_that_say_nothing_are_refused(self):
        skew = tuple(np.array([1.0, 1.0, 0.0]) / math.sqrt(2))
        for axes in ((), (tuple(X), tuple(Y), tuple(Z)), (tuple(X), skew)):
            with self.assertRaises(BadEditError):
                Share(joint(THIGH), 0.5, "axes", axes=axes)


class Anchors(unittest.TestCase):
    @given(st.integers(0, 2**31))
    @settings(max_examples=25, deadline=None)
    def test_place_from_one_joint_turn_from_another_in_any_pose(self, seed):
        skeleton, pose = bare().skeleton, any_pose(seed)
        names = ("left_hand", THIGH, "neck", SHIN, "pelvis", "right_forearm")
        generator = np.random.default_rng(seed)
        if seed % 2:
            # Clips move joints too: an anchor follows, and rest stays rest.
            pose = replace(pose, translations=0.1 * generator.normal(size=(len(skeleton), 3)))
        place, turn = (joint(n) for n in generator.choice(names, 2))
        anchor = Anchor.of(skeleton, joint(KNEE), place, turn)
        made, plain, rest = world(pose, helper(anchor)), world(pose), skeleton.rest_global
        moved = [rigid(plain[j]) @ np.linalg.inv(rigid(rest[j])) for j in (place, turn)]
        here = rigid(rest[joint(KNEE)])
        np.testing.assert_allclose(made[joint(KNEE), :3, 3], (moved[0] @ here)[:3, 3], atol=1e-9)
        np.testing.assert_allclose(made[joint(KNEE), :3, :3], (moved[1] @ here)[:3, :3], atol=1e-9)

    def test_its_local_transform_is_the_one_that_usd_core_works_out(self):
        # Outside: UsdSkel.ComputeJointLocalTransforms of the world transforms that an anchor asks for.
        skeleton, pose = bare().skeleton, any_pose(7)
        m = moment(pose, helper(Anchor.of(skeleton, joint(KNEE), joint(THIGH), joint(SHIN))))
        globals_ = [rigid(g) for g in skeleton.world(m.rotations, m.translations, m.scales)]
        topology = UsdSkel.Topology(Vt.IntArray(np.asarray(skeleton.parents).tolist()))
        told = Vt.Matrix4dArray([Gf.Matrix4d(*g.T.ravel().tolist()) for g in globals_])
        back = Vt.Matrix4dArray([g.GetInverse() for g in told])
        local = Vt.Matrix4dArray(len(told))
        self.assertTrue(UsdSkel.ComputeJointLocalTransforms(topology, told, back, local))
        theirs = np.array(local[joint(KNEE)]).T
        turn = Rotation.from_quat(skeleton.rest_rotation[joint(KNEE)]) * Rotation.from_quat(m.rotations[joint(KNEE)])
        np.testing.assert_allclose(theirs[:3, :3], turn.as_matrix(), atol=1e-9)
        np.testing.assert_allclose(
            theirs[:3, 3], skeleton.rest_translation[joint(KNEE)] + m.translations[joint(KNEE)], atol=1e-9
        )

    def test_worked_case_4_a_knee_helper_never_bends_forward(self):
        skeleton = bare().skeleton
        rules = (
            Anchor.of(skeleton, joint(KNEE), joint(THIGH), joint(SHIN)),
            Limit(tuple(Z), -math.inf, math.radians(60)),
        )
        for thigh, knee in ((0, 30), (40, 90), (-20, -25), (80, 130)):
            pose = posed(left_thigh=[0, 0, thigh], left_shin=[0, 0, knee])
            m = moment(pose, helper(*rules))
            angle = 2 * math.degrees(math.atan2(m.rotations[joint(KNEE), 2], m.rotations[joint(KNEE), 3]))
            again = Limit.from_document(rules[1].to_document(skeleton), skeleton, joint(KNEE))
            np.testing.assert_allclose(moment(pose, helper(rules[0], again)).rotations, m.rotations, atol=1e-9)
            free = moment(pose, helper(rules[0]))
            asked = 2 * math.degrees(math.atan2(free.rotations[joint(KNEE), 2], free.rotations[joint(KNEE), 3]))
            self.assertAlmostEqual(angle, min(asked, 60), places=6)

    def test_it_cannot_hang_on_itself_and_circles_are_named(self):
        skeleton = bare().skeleton
        with self.assertRaisesRegex(BadEditError, "to itself"):
            Anchor.of(skeleton, joint(SHIN), joint("left_foot"), joint(THIGH))
        one = Remedy(Helper(joint("left_shin_twist_1"), (Share(joint("left_shin_twist_2"), 0.5),)), "one", id="1")
        two = Remedy(Helper(joint("left_shin_twist_2"), (Share(joint("left_shin_twist_1"), 0.5),)), "two", id="2")
        with self.assertRaisesRegex(BadEditError, "circle: .*one.*two|circle: .*two.*one"):
            moment(posed(), one, two)


class AllTogether(unittest.TestCase):
    def rules(self):
        skeleton = bare().skeleton
        return (
            Limit(tuple(Z), math.radians(-20), math.radians(35)),
            Grow(joint(SHIN), tuple(Z), Response((0.0, 1.0), (1.0, 1.4))),
            Slide(joint(THIGH), tuple(Z), (0.6, 0.0, 0.8), Response((-0.2, 0.0, 1.0), (-0.01, 0.0, 0.08))),
            Share(joint(SHIN), 0.4, "twist", tuple(Y)),
            Push("w", tuple(Y), 0.03),
            Share(joint(THIGH), -0.3),
            Share(joint(THIGH), 0.4, "axes", axes=(tuple(X), tuple(Z))),
            Anchor.of(skeleton, joint(KNEE), joint(THIGH), joint(SHIN)),
        )

    def character(self):
        remedy = helper(*self.rules(), amount=0.8)
        return bare().with_rules(Rules(dials=(Dial("wet", 0, 1, 0.7, "w"),), remedies=(remedy,)))

    def world(self, character, pose):
        m = compiled(character.rules, character.skeleton).moment(pose, ALL)
        return character.skeleton.world(m.rotations, m.translations, m.scales)

    @given(st.integers(0, 2**31))
    @settings(max_examples=20, deadline=None)
    def test_a_twin_does_in_the_mirrored_pose_what_the_helper_does(self, seed):
        character, pose = twinned(self.character(), "h"), any_pose(seed, 0.5)
        skeleton, mirror = character.skeleton, character.mirror
        self.assertIsInstance(mirror, MirrorMap)
        other = skeleton.rest_pose()
        for j in range(len(skeleton)):
            other.rotations[mirror.joint(j)] = mirror.rotation(j, pose.rotations[j])
        left, right = self.world(character, pose)[joint(KNEE)], self.world(character, other)
        there = right[mirror.joint(joint(KNEE))]
        np.testing.assert_allclose(there[:3, 3], MIRROR * left[:3, 3], atol=1e-6)
        sizes = [np.linalg.norm(m[:3, :3], axis=0) for m in (left, there)]
        np.testing.assert_allclose(*sizes, atol=1e-6)

    def test_off_or_alone_elsewhere_leaves_the_joint_as_posed(self):
        pose, remedy = any_pose(5), helper(*self.rules())
        dials = [Dial("wet", 0, 1, 0.7, "w")]
        plain = world(pose)
        for acting in (NONE, Acting.these("another")):
            np.testing.assert_array_equal(world(pose, remedy, acting=acting, dials=dials), plain)
        nothing = helper(*self.rules()[1:], amount=0.0)
        rest = pose.with_rotation(joint(KNEE), np.array([0.0, 0, 0, 1]))
        np.testing.assert_allclose(world(pose, nothing, dials=dials), world(rest), atol=1e-9)

    def test_what_is_out_of_range_is_refused(self):
        for make in (
            lambda: Limit(tuple(Z), 1.0, 0.5),
            lambda: Limit(tuple(Z), math.nan),
            lambda: Grow(3, tuple(Z), Response((0.0, 1.0), (1.0, 0.0))),
            lambda: Grow(3, tuple(Z), Response((0.0, 1.0), (1.0, 101.0))),
            lambda: Push("w", tuple(X), math.inf),
        ):
            with self.assertRaises(BadEditError):
                make()
