"""What must come out the same, or be just what something outside says: faults that no other test had caught."""

from __future__ import annotations

import itertools
import math
import unittest
from dataclasses import replace

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plethos.core.edits.split import split_across
from plethos.core.edits.twins import twinned
from plethos.core.evaluate import ALL, Acting, Evaluator, evaluate_exact
from plethos.core.formats.bvh import read_bvh
from plethos.core.formats.document import from_document, to_document
from plethos.core.formats.rules import InlineArrays
from plethos.core.geometry.topology import Topology
from plethos.core.joints.draft import Draft
from plethos.core.measure.girth import bone_directions
from plethos.core.measure.travel import bent
from plethos.core.motion.retarget import clip_of
from plethos.core.rules.dials import Dial
from plethos.core.rules.remedies import (
    Anchor,
    Corrective,
    Grow,
    Helper,
    Limit,
    Push,
    Remedy,
    Share,
    Slide,
    kernels,
)
from plethos.core.rules.remedies.body import Stage
from plethos.core.rules.response import Response
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.skeleton.clips import Track
from plethos.core.skin.mask import Mask
from plethos.core.skin.shape import Shape
from plethos.demo.catalogue import open_demo
from tests.core.motion.test_motion import stick
from tests.drawings import bar, laid, svg
from tests.figures import tube, tube_points
from tests.making import any_pose, everything

X, Y, Z = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))


def with_helper(*rules, amount: float = 1.0, by: str | None = None):
    """A tube whose top follows a helper joint of some rules, `made(helper, skeleton)` each."""
    draft = Draft(tube(softness=0.4))
    draft.add("cap", draft.character.skeleton.find("upper"), np.array([0.03, 0.8, 0.0]), np.eye(3), helper=True)
    character = draft.finish()
    skeleton, cap = character.skeleton, character.skeleton.find("cap")
    top = np.flatnonzero(character.mesh.points[:, 1] > 0.7).astype(np.int32)
    mask = Mask(top, np.full(len(top), 0.7, np.float32))
    helper = Helper(cap, tuple(made(cap, skeleton) for made in rules), mask)
    dials = (Dial("Wet", -1, 3, 0, "wet"),)
    return character.with_rules(Rules(dials, remedies=(Remedy(helper, "cap", amount=amount, by=by, id="h"),)))


def share(amount):
    return lambda cap, skeleton: Share(skeleton.find("upper"), amount, "twist", Z)


class Clamped(unittest.TestCase):
    def test_no_remedy_that_is_tied_to_a_raw_dial_does_more_than_at_one_or_less_than_at_nothing(self):
        base = everything(np.random.default_rng(5))
        dials = (Dial("Wet", -3, 4, 0.5, "wet"),)
        alone = {r.id: replace(r, by="wet", amount=0.9) for r in base.rules.remedies}
        pose = any_pose(np.random.default_rng(6), base.skeleton)
        for remedy in alone.values():
            rules = Rules(dials, base.rules.triggers[1:2], remedies=(remedy,))
            evaluator = Evaluator.of(base.with_rules(rules))
            low, nothing, half, one, high = (
                evaluator.pose(replace(pose, dials={"Wet": wet})).points for wet in (-2.0, 0.0, 0.5, 1.0, 3.5)
            )
            np.testing.assert_array_equal(high, one, err_msg=remedy.name)
            np.testing.assert_array_equal(low, nothing, err_msg=remedy.name)
            self.assertGreater(np.abs(half - one).max(), 1e-5, remedy.name)
            self.assertGreater(np.abs(half - nothing).max(), 1e-5, remedy.name)

    def test_a_limit_never_turns_a_helper_past_its_stop_however_much_of_it_acts(self):
        for amount, stop in itertools.product((0.5, 1.0, 1.7), (0.3, 0.9)):
            character = with_helper(share(1.0), lambda cap, skeleton, s=stop: Limit(Z, -s, s), amount=amount)
            skeleton = character.skeleton
            for angle in (-1.2, 0.2, 1.2):
                pose = bent(skeleton.rest_pose(), skeleton.find("upper"), Z, angle)
                told = Evaluator.of(character).pose(pose).moment.rotations[skeleton.find("cap")]
                turned = Rotation.from_quat(told).as_rotvec()[2]
                beyond = amount * angle - np.clip(amount * angle, -stop, stop)
                self.assertAlmostEqual(turned, amount * angle - min(amount, 1.0) * beyond, places=9)


class InOrder(unittest.TestCase):
    def test_deformers_act_one_after_the_other_in_the_order_of_the_list(self):
        base = everything(np.random.default_rng(8))
        relaxer, keeper = (r for r in base.rules.remedies if r.body.stage is Stage.AFTER)
        pose = replace(any_pose(np.random.default_rng(9), base.skeleton), dials={"Wet": 2.0})
        results = []
        for one, other in ((relaxer, keeper), (keeper, relaxer)):
            remedies = tuple(replace(r, by=None, amount=0.8) for r in (one, other))
            evaluator = Evaluator.of(base.with_rules(Rules(remedies=remedies)))
            by_hand = evaluator.pose(pose, Acting.these(one.id)).points.copy()
            other.body.ready(base.mesh).apply(by_hand, None, 0.8)
            results.append(evaluator.pose(pose, ALL).points)
            np.testing.assert_allclose(results[-1], by_hand, atol=1e-7)
        self.assertGreater(np.abs(results[0] - results[1]).max(), 1e-4)

    @given(st.permutations(range(6)), st.floats(-1.4, 1.4))
    @settings(max_examples=25, deadline=None)
    def test_helper_rules_act_in_their_own_order_however_they_are_stored(self, order, angle):
        rules = [
            lambda cap, s: Anchor.of(s, cap, s.find("lower"), s.find("upper")),
            share(0.8),
            lambda cap, s: Slide(s.find("upper"), Z, X, Response((-1.0, 1.0), (-0.05, 0.08))),
            lambda cap, s: Push("wet", Y, 0.05),
            lambda cap, s: Grow(s.find("upper"), Z, Response((-1.0, 1.0), (0.7, 1.5))),
            lambda cap, s: Limit(Z, -0.3, 0.4),
        ]
        one, other = with_helper(*rules), with_helper(*(rules[k] for k in order))
        pose = bent(one.skeleton.rest_pose(), one.skeleton.find("upper"), Z, angle)
        pose = replace(pose, dials={"Wet": 0.7})
        np.testing.assert_allclose(evaluate_exact(other, pose), evaluate_exact(one, pose), atol=1e-12)

    def test_a_relaxer_smooths_as_trimesh_does_for_any_number_of_steps(self):
        points, triangles = tube_points(rings=9, around=8)
        points = points.astype(np.float64) + np.random.default_rng(3).normal(0, 0.01, points.shape)
        beside = Topology(len(points), triangles).adjacency
        for steps in range(1, 6):
            ours = points.copy()
            kernels.smooth_out(ours, beside.indptr, beside.indices, steps, 0.5, np.empty_like(ours))
            theirs = trimesh.Trimesh(points, triangles, process=False)
            trimesh.smoothing.filter_laplacian(theirs, 0.5, steps, volume_constraint=False)
            np.testing.assert_allclose(ours, theirs.vertices, atol=1e-12)


class Drawn(unittest.TestCase):
    def test_widths_of_all_shapes_that_are_on_add_up(self):
        character, _ = laid(svg(bar(points=4)))
        count, draw = len(character.mesh), np.random.default_rng(4)
        chosen = [np.sort(draw.choice(count, 12, replace=False)).astype(np.int32) for _ in range(3)]
        more = [draw.uniform(0.1, 2, (12, 1)).astype(np.float32) for _ in range(3)]
        still = np.zeros((12, 3), np.float32)
        remedies = tuple(
            Remedy(Corrective.of(Shape(f"s{k}", v, still, channels=m)), f"r{k}", by="wet", amount=0.3 + 0.2 * k)
            for k, (v, m) in enumerate(zip(chosen, more, strict=True))
        )
        posed = Evaluator.of(character.with_rules(Rules((Dial("Wet", 0, 1, 1, "wet"),), remedies=remedies))).pose(
            character.skeleton.rest_pose()
        )
        wanted = character.mesh.channels.astype(np.float64)
        for k, (v, m) in enumerate(zip(chosen, more, strict=True)):
            wanted[v] += (0.3 + 0.2 * k) * m
        np.testing.assert_allclose(posed.channels, wanted, rtol=1e-5)

    def test_a_split_gives_new_points_the_width_that_lies_between(self):
        # The cut, at 100, goes through lines from 70 to 200 and from 60 to 200: not through their middles.
        path = '<path id="limb" d="M0 -10L70 -10L200 -10L200 10L60 10L0 10Z" fill="#cc8800" fill-rule="evenodd"/>'
        character, _ = laid(svg(path))
        widths = (1 + 0.03 * np.repeat(character.mesh.rest[::3, 0], 3))[:, None].astype(np.float32)
        split = split_across(replace(character, mesh=replace(character.mesh, channels=widths)),
                             character.skeleton.find("lower"))  # fmt: skip
        own, made = character.binding.joint_weights[::3], split.binding.joint_weights[::3]
        # A line is a cubic whose handles lie on its ends: 3 s^2 - 2 s^3 of the way at its parameter s.
        where = [next(r.real for r in np.roots([-2, 3, 0, -way]) if 0 <= r.real <= 1) for way in (0.3 / 1.3, 0.4 / 1.4)]
        ends = {-10: (1, 2, where[0]), 10: (4, 3, where[1])}
        cuts = [k for k, (x, _, _) in enumerate(split.mesh.rest[::3]) if abs(x - 100) < 1e-3]
        self.assertEqual(len(cuts), 4)
        for k in cuts:
            one, other, t = ends[-round(float(split.mesh.rest[3 * k, 1]))]
            np.testing.assert_allclose(made[k], (1 - t) * own[one] + t * own[other], atol=1e-4)
            wanted = (1 - t) * widths[3 * one] + t * widths[3 * other]
            np.testing.assert_allclose(split.mesh.channels[3 * k], wanted, rtol=1e-4)


class Elsewhere(unittest.TestCase):
    def test_a_twin_is_the_same_wherever_the_figure_stands(self):
        keeper = open_demo("lock-keeper-bare")[0]
        roots = keeper.skeleton.parents < 0
        moved = keeper.skeleton.rest_translation + np.where(roots[:, None], [3.0, 0, 0], 0)
        mesh = replace(keeper.mesh, rest=keeper.mesh.rest + np.float32([3, 0, 0]), mirror_x=keeper.mesh.mirror_x + 3)
        aside = replace(keeper, mesh=mesh, skeleton=replace(keeper.skeleton, rest_translation=moved))
        joint = keeper.skeleton.find("left_forearm")
        near = np.flatnonzero(keeper.binding.joint_weights[:, joint] > 0.3).astype(np.int32)
        shape = Shape("s", near, np.random.default_rng(1).normal(0, 0.01, (len(near), 3)).astype(np.float32))
        trigger = HingeTrigger(joint, keeper.skeleton.hinge(joint).axis, Response((0.0, 1.5), (0.0, 1.0)), id="t")
        made = [
            twinned(c.with_remedy(Remedy(Corrective.of(shape), "left elbow", by="t", id="r"), trigger), "r")
            for c in (keeper, aside)
        ]
        one, other = (c.rules.remedies[-1] for c in made)
        self.assertEqual(len(made[0].rules.remedies), 2)
        np.testing.assert_array_equal(one.body.targets[0].shape.vertices, other.body.targets[0].shape.vertices)
        np.testing.assert_allclose(one.body.targets[0].shape.deltas, other.body.targets[0].shape.deltas, atol=1e-6)
        self.assertEqual(made[0].rules.trigger_of(one).joint, made[1].rules.trigger_of(other).joint)

    def test_the_root_of_a_motion_goes_the_same_way_under_a_parent_that_is_turned(self):
        rows = [[x, 1 + y, z, *[0.0] * 6] for x, y, z in ((0, 0, 0), (2, 0.5, 1), (4, 0, -3))]
        motion = read_bvh(stick(*rows), "Stick").mapped({"Hips": "lower", "Chest": "upper"})
        ways = []
        for turn in (np.array([0.0, 0, 0, 1]), Rotation.from_euler("xyz", [50, 20, 70], degrees=True).as_quat()):
            # The figure stands as it stood, under a node that is turned: what hangs on that is turned back.
            character = tube()
            skeleton = character.skeleton
            root, lower = skeleton.find("root"), skeleton.find("lower")
            rest = skeleton.rest_rotation.copy()
            rest[root], rest[lower] = turn, Rotation.from_quat(turn).inv().as_quat()
            skeleton = replace(skeleton, rest_rotation=rest)
            clip = clip_of(motion, skeleton)
            places = np.array(
                [skeleton.global_matrices(clip.pose_at(skeleton, t))[lower, :3, 3] for t in (0, 0.04, 0.08)]
            )
            ways.append(places - places[0])
        np.testing.assert_allclose(ways[1], ways[0], atol=1e-6)
        np.testing.assert_allclose(ways[0] / np.abs(ways[0]).max(), np.array(rows)[:, :3] / 4 - [0, 0.25, 0], atol=1e-6)

    def test_the_bone_below_a_joint_is_the_longest_way_down(self):
        skeleton = tube().skeleton
        draft = Draft(tube())
        upper = skeleton.find("upper")
        for name, at in (("thumb", [0.2, 0.55, 0]), ("hand", [0.0, 1.2, 0.3]), ("spur", [-0.1, 0.6, 0])):
            draft.add(name, upper, np.array(at), np.eye(3))
        skeleton = draft.finish().skeleton
        before, after = bone_directions(skeleton, skeleton.find("upper"))
        np.testing.assert_allclose(before, Y, atol=1e-9)
        np.testing.assert_allclose(after, np.array([0, 0.7, 0.3]) / math.hypot(0.7, 0.3), atol=1e-9)


class ReadBack(unittest.TestCase):
    @given(st.sampled_from(["LINEAR", "STEP", "CUBICSPLINE"]), st.integers(0, 2**31))
    @settings(max_examples=20, deadline=None)
    def test_a_dials_track_plays_the_same_once_it_is_stored(self, how, seed):
        draw = np.random.default_rng(seed)
        character = everything(draw)
        times = np.cumsum(draw.uniform(0.1, 0.5, 4))
        values = draw.uniform(0, 2, (4, 3, 1) if how == "CUBICSPLINE" else (4, 1))
        clip = character.clips[0]
        clip = replace(clip, tracks=(*clip.tracks, Track("dial", -1, times, values, how, "Wet")))
        moving = replace(character, clips=(clip,))
        arrays = InlineArrays(moving)
        back = from_document(moving, to_document(moving, None, arrays), arrays)
        for time in draw.uniform(0, 2, 12):
            one, other = (c.clips[0].pose_at(c.skeleton, float(time)).dials["Wet"] for c in (moving, back))
            self.assertAlmostEqual(one, other, places=12)
