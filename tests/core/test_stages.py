"""One of each stage of a pose: helper joints with masks, shapes, the skin blend, shapes after the skin, the relaxer."""

import math
import unittest
from dataclasses import replace

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plethos.core.character import Character
from plethos.core.edits.clip_loss import clip_loss
from plethos.core.edits.twins import twinned
from plethos.core.errors import BadEditError, JointNeededError
from plethos.core.evaluate import ALL, NONE, Acting, Evaluator, evaluate_exact
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.formats.rules import plain_rules, with_plain_rules
from plethos.core.geometry.outlines import Curve, Drawn, Fill, Outlines, Stroke
from plethos.core.geometry.topology import extent, outward_normals
from plethos.core.joints import edit
from plethos.core.joints.draft import Draft
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.region import region_of
from plethos.core.measure.travel import bent
from plethos.core.rules.dials import Dial
from plethos.core.rules.remedies import (
    Corrective,
    Helper,
    Relaxer,
    Remedy,
    Share,
    SkinBlend,
    VolumeKeeper,
    kernels,
)
from plethos.core.rules.response import Response
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.dial import DialTrigger
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.rules.triggers.product import ProductTrigger
from plethos.core.rules.triggers.stored_pose import StoredPose
from plethos.core.sculpt.solve import out_of_reach, solve_corrective
from plethos.core.skin.binding import Binding
from plethos.core.skin.layout import masked_binding
from plethos.core.skin.mask import Mask
from plethos.core.skin.mesh import Mesh, Part
from plethos.core.skin.shape import Shape
from plethos.demo.catalogue import open_demo
from tests.figures import only_with, pair_file, tube
from tests.making import any_pose, everything

Z = (0.0, 0.0, 1.0)
UP = (0.0, 1.0, 0.0)


class KernelAndTwin(unittest.TestCase):
    @given(st.integers(0, 2**31))
    @settings(max_examples=25, deadline=None)
    def test_the_kernels_equal_plain_numpy_whatever_acts_in_whatever_pose(self, seed):
        generator = np.random.default_rng(seed)
        character = everything(generator)
        evaluator, pose = Evaluator.of(character), any_pose(generator, character.skeleton)
        ids = [r.id for r in character.rules.remedies]
        some = Acting.these(*generator.choice(ids, 3, replace=False))
        rows = np.sort(generator.choice(len(character.mesh), 90, replace=False)).astype(np.int32)
        for acting in (ALL, NONE, some):
            posed = evaluator.pose(pose, acting)
            exact = posed.exact_points()
            np.testing.assert_allclose(posed.points, exact, atol=2e-5)
            # Only some of the vertices: the same, to the last bits of float32.
            part = Evaluator.of(character, None, rows).pose(pose, acting).points
            np.testing.assert_allclose(part, posed.points[rows], atol=2e-6)

    def test_what_needs_a_joint_gives_way_to_its_deletion_and_nothing_else_does(self):
        character = everything(np.random.default_rng(8))
        upper, pusher = character.skeleton.find("upper"), character.skeleton.find("pusher")
        with self.assertRaisesRegex(JointNeededError, "“late”, “set”, “push” need “upper”: untie or delete them first"):
            edit.removed(character, [upper])
        freed = character.with_rules(character.rules.without_joint(upper))
        # The bend, the product that reads it and the pose set go; shapes stay untied, in order; the helper goes.
        self.assertEqual([t.id for t in freed.rules.triggers], ["soaked"])
        self.assertEqual(
            [(r.id, r.by) for r in freed.rules.remedies],
            [("c", None), ("p", None), ("s", None), ("b", None), ("r", "soaked"), ("k", None)],
        )
        kept = {r.id: r.body for r in character.rules.remedies}
        self.assertTrue(all(r.body is kept[r.id] for r in freed.rules.remedies))
        self.assertEqual(len(edit.removed(freed, [upper]).skeleton), len(character.skeleton) - 1)
        # A helper's own joint: only its rules go.
        less = character.rules.without_joint(pusher)
        self.assertEqual([r.id for r in less.remedies], ["c", "p", "s", "b", "r", "k"])
        self.assertEqual(less.triggers, character.rules.triggers)

    def test_files_carry_every_kind_and_show_the_same(self):
        generator = np.random.default_rng(5)
        source = parse(pair_file().pack())
        character = everything(generator, read_character(source, "Pair"))
        data = write_glb(character, source)
        back = read_character(parse(data), "Pair")
        self.assertEqual([r.kind for r in back.rules.remedies], [r.kind for r in character.rules.remedies])
        self.assertEqual([t.id for t in back.rules.triggers], [t.id for t in character.rules.triggers])
        self.assertFalse(back.skeleton.is_joint[back.skeleton.find("pusher")])
        for _ in range(4):
            pose = any_pose(generator, character.skeleton)
            there = back.skeleton.rest_pose()
            moved = np.zeros((len(back.skeleton), 3))
            for j, name in enumerate(character.skeleton.names):
                there.rotations[back.skeleton.find(name)] = pose.rotations[j]
                moved[back.skeleton.find(name)] = pose.translations[j]
            there = replace(there, translations=moved, dials=pose.dials)
            for acting in (ALL, NONE):
                wanted, got = evaluate_exact(character, pose, acting), evaluate_exact(back, there, acting)
                np.testing.assert_allclose(
                    got[back.mesh.file_to_vertex], wanted[character.mesh.file_to_vertex], atol=2e-5
                )

    def test_the_plain_document_is_the_same_character_again(self):
        character = everything(np.random.default_rng(8))
        document = plain_rules(character)
        again = with_plain_rules(character.with_rules(Rules()), document)
        self.assertEqual(plain_rules(again), document)
        pose = any_pose(np.random.default_rng(1), character.skeleton)
        np.testing.assert_allclose(evaluate_exact(again, pose), evaluate_exact(character, pose), atol=1e-6)

    def test_a_baked_clip_shows_it_to_a_viewer_that_knows_no_rules(self):
        for target in (False, True):
            with self.subTest(shapes_of_the_file=target):
                self.shows_baked(parse(pair_file(target=target).pack()))

    def shows_baked(self, source):
        generator = np.random.default_rng(2)
        character = everything(generator, read_character(source, "Pair"))
        # What a plain viewer can show: shapes, and joints that turn; not blends and deformers.
        rules = character.rules
        character = character.with_rules(only_with(rules, [r for r in rules.remedies if r.id in "cpsh"]))
        baked = parse(write_glb(character, source, "bend"))
        del baked.document["extras"]["plethos"]
        plain = read_character(baked, "Plain")
        helper = character.skeleton.find("pusher")
        keyed = {t.channel for t in plain.clips[0].tracks if t.target == helper and t.channel != "weights"}
        self.assertEqual(keyed, {"rotation", "translation", "scale"})
        for time in (0.0, 0.5, 1.2):
            wanted = evaluate_exact(character, character.clips[0].pose_at(character.skeleton, time))
            got = evaluate_exact(plain, plain.clips[0].pose_at(plain.skeleton, time))
            np.testing.assert_allclose(got[plain.mesh.file_to_vertex], wanted[character.mesh.file_to_vertex], atol=2e-5)

    def test_what_no_key_carries_is_told_in_metres(self):
        source = parse(pair_file().pack())
        character = everything(np.random.default_rng(2), read_character(source, "Pair"))
        clip = character.clips[0]
        found = clip_loss(character, clip)
        self.assertEqual(found.remedies, ("blend", "relax", "keep"))
        baked = parse(write_glb(character, source, "bend"))
        del baked.document["extras"]["plethos"]
        plain = read_character(baked, "Plain")
        off = [
            np.linalg.norm(
                evaluate_exact(plain, plain.clips[0].pose_at(plain.skeleton, t))[plain.mesh.file_to_vertex]
                - evaluate_exact(character, clip.pose_at(character.skeleton, t))[character.mesh.file_to_vertex],
                axis=1,
            ).max()
            for t in (0.0, found.time, 0.6)
        ]
        self.assertAlmostEqual(off[1], found.metres, delta=1e-4)
        self.assertGreater(found.metres, 1e-3)
        self.assertLessEqual(max(off), found.metres + 1e-4)
        kept = only_with(character.rules, [r for r in character.rules.remedies if r.id in "cpsh"])
        held = clip_loss(character.with_rules(kept), clip)
        self.assertEqual((held.remedies, held.metres), ((), 0.0))


class HelperMasks(unittest.TestCase):
    def test_the_masked_skin_follows_the_helper_and_off_is_the_binding_again(self):
        character = tube()
        draft = Draft(character)
        draft.add("cap", character.skeleton.find("lower"), np.array([0.0, 0.9, 0.0]), np.eye(3), helper=True)
        character = draft.finish()
        top = np.flatnonzero(character.mesh.points[:, 1] > 0.95).astype(np.int32)
        shares = np.linspace(0.2, 1, len(top)).astype(np.float32)
        helper = Helper(
            character.skeleton.find("cap"), (Share(character.skeleton.find("upper"), 0.5),), Mask(top, shares)
        )
        mended = character.with_remedy(Remedy(helper, "Cap", id="h"))
        pose = bent(character.skeleton.rest_pose(), character.skeleton.find("upper"), Z, 1.0)
        plain, with_ = evaluate_exact(character, pose), evaluate_exact(mended, pose)
        np.testing.assert_array_equal(evaluate_exact(mended, pose, NONE), plain)
        # (1 - mask) * binding + mask * helper: half a turn about the cap's own place, by SciPy.
        rest = character.mesh.points[top].astype(float)
        turned = Rotation.from_rotvec([0, 0, 0.5]).apply(rest - [0, 0.9, 0]) + [0, 0.9, 0]
        np.testing.assert_allclose(with_[top], (1 - shares[:, None]) * plain[top] + shares[:, None] * turned, atol=1e-6)
        others = np.setdiff1d(np.arange(len(plain)), top)
        np.testing.assert_array_equal(with_[others], plain[others])
        np.testing.assert_allclose(
            evaluate_exact(mended, character.skeleton.rest_pose()), character.mesh.rest, atol=1e-6
        )

    @given(st.integers(0, 2**31))
    @settings(max_examples=15, deadline=None)
    def test_masks_lie_over_each_other_in_order_and_sums_stay_1(self, seed):
        generator = np.random.default_rng(seed)
        character = tube()
        draft, names = Draft(character), ("one", "two", "three")
        for name in names:
            draft.add(name, character.skeleton.find("upper"), generator.normal(size=3), np.eye(3), helper=True)
        character = draft.finish()
        helpers, count = [], len(character.mesh)
        dense = character.binding.joint_weights.astype(float)
        for name in names:
            chosen = np.sort(generator.choice(count, count // 2, replace=False)).astype(np.int32)
            mask = Mask(chosen, generator.uniform(0, 1, len(chosen)).astype(np.float32))
            helpers.append((character.skeleton.find(name), mask))
            share = mask.dense(count)[:, None].astype(float)
            dense = (1 - share) * dense + share * np.eye(len(character.skeleton))[helpers[-1][0]]
        bound = masked_binding(character.mesh, character.skeleton, character.binding, helpers)
        np.testing.assert_allclose(bound.joint_weights, dense, atol=1e-6)
        np.testing.assert_allclose(bound.weights.sum(axis=1), 1, atol=1e-6)
        bare = np.setdiff1d(np.arange(count), np.concatenate([mask.vertices for _, mask in helpers]))
        wide = character.binding.weights.shape[1]
        np.testing.assert_array_equal(bound.weights[bare, :wide], character.binding.weights[bare])
        np.testing.assert_array_equal(bound.influences[bare, :wide], character.binding.influences[bare])
        self.assertGreater(len(bare), 0)
        np.testing.assert_array_equal(bound.weights[bare, wide:], 0)
        under = np.setdiff1d(np.arange(count), bare)
        self.assertGreaterEqual(np.diff(-bound.weights[under], axis=1).min(), 0)  # the largest first
        # Never narrower than the binding: a stroke that is being painted needs the room.
        few = masked_binding(character.mesh, character.skeleton, character.binding, [(helpers[0][0], Mask(
            np.array([3], np.int32), np.array([0.5], np.float32)))])  # fmt: skip
        self.assertEqual(few.influences.shape, character.binding.influences.shape)

    def test_what_a_pose_or_a_clip_gives_a_helper_counts_for_nothing_while_it_acts(self):
        character = everything(np.random.default_rng(6))
        pusher, evaluator = character.skeleton.find("pusher"), Evaluator.of(character)
        pose = any_pose(np.random.default_rng(2), character.skeleton)
        moved = replace(
            pose, translations=pose.translations.copy(), scales=np.full((len(character.skeleton), 3), np.nan)
        )
        moved.translations[pusher] += 0.3
        moved.scales[pusher] = [1, 2, 3]
        np.testing.assert_array_equal(evaluator.pose(moved).points, evaluator.pose(pose).points)
        free = Acting.these("c")
        self.assertFalse(np.array_equal(evaluator.pose(moved, free).world, evaluator.pose(pose, free).world))

    def test_nobody_else_sees_a_helper_joint(self):
        character = everything(np.random.default_rng(1))
        plain = read_character(parse(pair_file().pack()), "Pair")
        helper = character.skeleton.find("pusher")
        self.assertNotIn(helper, character.skeleton.children(character.skeleton.find("upper")))
        np.testing.assert_array_equal(character.binding.weights, plain.binding.weights)
        one, other = (BendMeasure.of(c, c.skeleton.find("upper")).site for c in (character, plain))
        np.testing.assert_array_equal(one.region.vertices, other.region.vertices)
        with self.assertRaisesRegex(BadEditError, "“push” needs “pusher”"):
            draft = Draft(character)
            draft.remove(helper)
            draft.finish()


class Relaxing(unittest.TestCase):
    def test_it_is_smoothing_plus_the_rest_detail_in_frames_that_turn_along(self):
        # A float64 twin, written anew from the paper: smooth, read the rest detail in local frames, put it back.
        generator = np.random.default_rng(3)
        character = tube()
        inside = np.flatnonzero(np.abs(character.mesh.points[:, 1] - 0.5) < 0.21).astype(np.int32)
        shares = generator.uniform(0, 1, len(inside)).astype(np.float32)
        steps, amount = 6, 0.6
        relaxed = character.with_remedy(Remedy(Relaxer(Mask(inside, shares), steps), "R", amount=amount, id="r"))
        pose = bent(character.skeleton.rest_pose(), 2, Z, 1.7)
        base = evaluate_exact(character, pose)
        adjacency = character.mesh.topology.adjacency.astype(float)
        mean = adjacency.multiply(1 / np.asarray(adjacency.sum(axis=1)))
        triangles = character.mesh.topology.triangles

        def smooth(p):
            for _ in range(steps):
                p = p + 0.5 * (mean @ p - p)
            return p

        def frames(p):
            normal = np.zeros_like(p)
            for tri in triangles:
                normal[tri] += np.cross(p[tri[1]] - p[tri[0]], p[tri[2]] - p[tri[0]])
            out = []
            for v in range(len(p)):
                n = normal[v] / np.linalg.norm(normal[v])
                e = p[adjacency[[v]].indices.min()] - p[v]
                t = e - n * (e @ n)
                t /= np.linalg.norm(t)
                out.append(np.stack([n, t, np.cross(n, t)], axis=1))
            return np.array(out)

        rest = character.mesh.rest.astype(float)
        detail = np.einsum("vji,vj->vi", frames(smooth(rest)), rest - smooth(rest))
        target = smooth(base) + np.einsum("vij,vj->vi", frames(smooth(base)), detail)
        wanted = base.copy()
        wanted[inside] += amount * shares.astype(float)[:, None] * (target - base)[inside]
        np.testing.assert_allclose(evaluate_exact(relaxed, pose), wanted, atol=1e-9)
        # Turned and moved as a whole nothing changes.
        turned = replace(character.skeleton.rest_pose())
        turned.rotations[0] = Rotation.from_rotvec([0.4, 1.0, -0.3]).as_quat()
        np.testing.assert_allclose(evaluate_exact(relaxed, turned), evaluate_exact(character, turned), atol=1e-9)

    @given(st.integers(0, 2**31))
    @settings(max_examples=10, deadline=None)
    def test_one_over_another_gives_some_of_the_vertices_what_it_gives_all(self, seed):
        generator = np.random.default_rng(seed)
        character = tube()
        at = character.mesh.points[:, 1]
        for name, low in (("first", 0.3), ("second", 0.5), ("third", 0.62)):
            inside = np.flatnonzero((at > low) & (at < low + 0.25)).astype(np.int32)
            shares = generator.uniform(0.5, 1, len(inside)).astype(np.float32)
            character = character.with_remedy(Remedy(Relaxer(Mask(inside, shares), 3), name, id=name))
        pose = bent(character.skeleton.rest_pose(), character.skeleton.find("upper"), Z, 1.9)
        rows = np.flatnonzero((at > 0.7) & (at < 0.78)).astype(np.int32)
        whole = Evaluator.of(character).pose(pose).points
        some = Evaluator.of(character, rows=rows)
        np.testing.assert_allclose(some.pose(pose).points, whole[rows], atol=1e-6)
        self.assertLess(len(some.needed(ALL)), len(character.mesh))
        alone = Acting.these("second")
        np.testing.assert_allclose(
            some.pose(pose, alone).points, Evaluator.of(character).pose(pose, alone).points[rows], atol=1e-6
        )

    def test_a_sculpt_through_a_relaxer_comes_back(self):
        character = tube()
        everywhere = Mask.of(np.ones(len(character.mesh)))
        character = character.with_remedy(Remedy(Relaxer(everywhere, 5), "R", amount=0.5, id="r"))
        pose = bent(character.skeleton.rest_pose(), 2, Z, 1.4)
        posed = Evaluator.of(character).pose(pose)
        sculpt = posed.exact_points()
        near = np.abs(character.mesh.points[:, 1] - 0.5) < 0.1
        sculpt[near] += [0.01, 0.02, -0.005]
        trigger = HingeTrigger(2, Z, Response((0.0, 1.4), (0.0, 1.0)), id="t")
        shape, report = solve_corrective(posed, sculpt, "bulge", trigger=trigger)
        mended = character.with_remedy(Remedy(Corrective.of(shape), "bulge", by="t", id="c"), trigger)
        height = extent(character.mesh.rest)
        self.assertLess(np.abs(evaluate_exact(mended, pose) - sculpt).max(), 1e-5 * height)
        self.assertLess(report.round_trip_error, 1e-5 * height)


class KeepingVolume(unittest.TestCase):
    """Outside: trimesh's volume of the closed region, and the roots of the cubic through four of them."""

    def setUp(self):
        self.character = tube(rings=41)
        self.inside = np.abs(self.character.mesh.points[:, 1] - 0.5) < 0.2
        fade = np.clip((0.2 - np.abs(self.character.mesh.points[:, 1] - 0.5)) / 0.1, 0, 1)
        self.mask = Mask.of(np.where(self.inside, np.maximum(fade, 0.05), 0))
        self.region = region_of(self.character, self.inside)

    def kept(self, pose, amount=1.0, **body):
        remedy = Remedy(VolumeKeeper(self.mask, **body), "K", amount=amount, id="k")
        return evaluate_exact(self.character.with_remedy(remedy), pose)

    def closed(self, points):
        """The region with its two ends closed, as trimesh sees it."""
        own = points[self.region.vertices]
        faces, places = [self.region.triangles], [own]
        for k, loop in enumerate(self.region.loops):
            middle = np.full(len(loop), len(own) + k)
            faces.append(np.stack([np.roll(loop, -1), loop, middle], axis=1))
            places.append(own[loop].mean(axis=0)[None])
        return trimesh.Trimesh(np.vstack(places), np.vstack(faces), process=False)

    def bent(self, angle):
        return bent(self.character.skeleton.rest_pose(), 2, Z, angle)

    def test_the_volume_is_the_target_wherever_a_root_lies_within_bounds(self):
        rest = self.closed(self.character.mesh.rest.astype(float)).volume
        for angle in (0.0, 0.8, 1.5, 2.1):
            pose = self.bent(angle)
            self.assertLess(abs(self.closed(evaluate_exact(self.character, pose)).volume / rest - 1), 0.5)
            for share in (0.95, 1.0, 1.05):
                now = self.closed(self.kept(pose, share=share))
                self.assertTrue(now.is_watertight)
                self.assertAlmostEqual(now.volume / rest, share, delta=1e-9)
        np.testing.assert_allclose(self.kept(self.bent(0.0)), self.character.mesh.rest, atol=1e-7)

    def test_the_nearest_root_of_the_cubic_is_taken_and_a_bound_where_none_is_near(self):
        pose = self.bent(1.9)
        base = evaluate_exact(self.character, pose)
        way = self.kept(pose, share=1.2, most=1e-3) - base  # bounded: goes exactly that far
        own = np.linalg.norm(way[self.inside], axis=1)
        np.testing.assert_allclose(own, 1e-3 * self.mask.dense(len(base))[self.inside], rtol=1e-5)
        steps = np.array([0.0, 0.01, 0.02, 0.03])
        volumes = [self.closed(base + s / 1e-3 * way).volume for s in steps]
        rest = self.closed(self.character.mesh.rest.astype(float)).volume
        cubic = np.polyfit(steps, np.array(volumes) - rest, 3)
        roots = np.roots(cubic)
        nearest = min(roots.real[np.abs(roots.imag) < 1e-9], key=abs)
        went = self.kept(pose) - base
        np.testing.assert_allclose(went, nearest / 1e-3 * way, atol=1e-6)
        ready = VolumeKeeper(self.mask, most=1e-3).ready(self.character.mesh)
        self.assertAlmostEqual(ready.reached(base), (cubic @ [1e-9, 1e-6, 1e-3, 1] + rest) / rest, delta=1e-6)
        self.assertAlmostEqual(VolumeKeeper(self.mask).ready(self.character.mesh).reached(base), 1.0, delta=1e-9)

    @given(st.integers(0, 2**31))
    @settings(max_examples=200, deadline=None)
    def test_the_root_is_the_one_that_numpy_finds(self, seed):
        generator = np.random.default_rng(seed)
        cubic = generator.normal(0, 1, 4) * np.array([0.1, 1, 10, 100])
        cubic[3] *= generator.integers(0, 2)
        target, most = float(generator.normal(0, 0.1)), 0.3
        roots = np.roots([*cubic[:0:-1], cubic[0] - target])
        real = roots.real[(np.abs(roots.imag) < 1e-9) & (np.abs(roots.real) < most - 1e-9)]
        found = kernels.nearest_root(cubic, target, most)
        if len(real):
            self.assertAlmostEqual(abs(found), float(np.abs(real).min()), places=7)
        elif not np.isnan(found):
            self.assertAlmostEqual(float(np.polyval(cubic[::-1], found)), target, places=6)

    def test_amount_lets_it_go_part_of_the_way_and_size_of_the_character_does_not_matter(self):
        pose = self.bent(1.5)
        base = evaluate_exact(self.character, pose)
        np.testing.assert_allclose(self.kept(pose, 0.4) - base, 0.4 * (self.kept(pose) - base), atol=1e-12)

    def test_what_it_holds_is_the_share_of_rest_that_trimesh_finds(self):
        for share, most in ((1.0, 0.05), (0.9, 0.05), (1.0, 1e-3)):
            body = VolumeKeeper(self.mask, share=share, most=most)
            points = self.kept(self.bent(1.9), share=share, most=most)
            ready = body.ready(self.character.mesh)
            wanted = self.closed(points).volume / self.closed(self.character.mesh.rest.astype(float)).volume
            self.assertAlmostEqual(ready.holds(points), wanted, delta=1e-5)
        nothing = VolumeKeeper(Mask.of(self.mask.dense(len(self.character.mesh)) * 0)).ready(self.character.mesh)
        self.assertIsNone(nothing.holds(points))

    def test_a_sculpt_stays_off_by_what_the_keeper_takes_back_and_by_nothing_elsewhere(self):
        pose = self.bent(1.2)
        mended = self.character.with_remedy(Remedy(VolumeKeeper(self.mask), "K", id="k"))
        for character, held in ((self.character, False), (mended, True)):
            posed = Evaluator.of(character).pose(pose)
            base = posed.exact_points()
            sculpt = base.copy()
            sculpt[self.inside] += 0.01 * outward_normals(base, character.mesh.topology)[self.inside]
            off = out_of_reach(posed, sculpt)
            if not held:
                np.testing.assert_array_equal(off, 0)
                continue
            # The keeper lets no volume be added: most of a blow-up is held back, outside of its mask nothing is.
            self.assertGreater(off[self.inside].max(), 0.004)
            self.assertLess(off[~self.inside].max(), 1e-9)
            with self.assertRaisesRegex(BadEditError, "takes all of this sculpt back"):
                solve_corrective(posed, sculpt, "blown up")

    def test_an_open_sheet_is_left_as_it_is(self):
        pose = self.bent(1.5)
        patch = (self.character.mesh.points[:, 0] > 0.098) & self.inside
        ready = VolumeKeeper(Mask.of(patch.astype(float))).ready(self.character.mesh)
        self.assertEqual((ready.target, ready.reached(self.character.mesh.rest)), (0, 0))
        sheet = self.character.with_remedy(Remedy(VolumeKeeper(Mask.of(patch.astype(float))), "K", id="k"))
        np.testing.assert_array_equal(evaluate_exact(sheet, pose), evaluate_exact(self.character, pose))


class Blending(unittest.TestCase):
    def test_a_blend_of_ours_is_file_plus_amount_times_ours_minus_file(self):
        character = tube()
        file = np.full(len(character.mesh), 0.25, np.float32)
        own = replace(character, binding=replace(character.binding, blend=file))
        mask = Mask.of(np.linspace(0.01, 1, len(character.mesh)))
        pose = bent(character.skeleton.rest_pose(), 2, UP, 1.8)

        def at(blend):
            return evaluate_exact(replace(character, binding=replace(character.binding, blend=blend)), pose)

        for amount in (0.0, 0.4, 1.0):
            blended = own.with_remedy(Remedy(SkinBlend(mask), "B", amount=amount, id="b"))
            wanted = file + np.float32(amount) * (mask.dense(len(file)) - file)
            np.testing.assert_allclose(evaluate_exact(blended, pose), at(wanted), atol=1e-7)
            np.testing.assert_allclose(evaluate_exact(blended, pose, NONE), at(file), atol=1e-12)


class Reuse(unittest.TestCase):
    def test_a_dragged_knot_lays_nothing_out_and_a_painted_weight_does(self):
        character = everything(np.random.default_rng(4))
        pose = any_pose(np.random.default_rng(0), character.skeleton)
        before = Evaluator.of(character)
        _ = before.pose(pose).points
        trigger = replace(character.rules.triggers[1], response=Response((-0.5, 1.0), (0.0, 1.0)))
        dragged = character.with_rules(character.rules.with_trigger(trigger))
        after = Evaluator.of(dragged, before)
        self.assertIs(after.pose(pose).layout, before.pose(pose).layout)
        self.assertIs(after.table(after.layout(ALL)).deltas, before.table(before.layout(ALL)).deltas)
        tried = before.trying(trigger)
        self.assertIs(tried.pose(pose).layout, before.pose(pose).layout)
        np.testing.assert_array_equal(tried.pose(pose).points, after.pose(pose).points)
        np.testing.assert_allclose(after.pose(pose).points, Evaluator.of(dragged).pose(pose).points, atol=0)
        binding = character.binding
        other = Binding(binding.bones, binding.influences, binding.weights[:, ::-1].copy(), binding.joints)
        painted = Evaluator.of(replace(character, binding=other), before)
        self.assertIsNot(painted.pose(pose).layout, before.pose(pose).layout)

    def test_fewer_influences_than_there_were_leave_nothing_of_the_others(self):
        character = tube(influences=8)
        own = replace(
            character.binding, influences=character.binding.influences.copy(), weights=character.binding.weights.copy()
        )
        character = replace(character, binding=own)
        evaluator, pose = Evaluator.of(character), bent(character.skeleton.rest_pose(), 2, (0, 0, 1), 1.2)
        evaluator.pose(pose).points  # noqa: B018 - lays the skin out
        middle = np.flatnonzero(np.abs(character.mesh.points[:, 1] - 0.5) < 0.1).astype(np.int32)
        rows = np.repeat(own.influences[middle][:, :1], 1, axis=1)
        evaluator.reweigh(middle, rows, np.ones((len(middle), 1), np.float32))
        np.testing.assert_allclose(own.weights.sum(axis=1), 1, atol=1e-6)
        fresh = Evaluator.of(replace(character, binding=replace(own)))
        np.testing.assert_allclose(evaluator.pose(pose).points, fresh.pose(pose).points, atol=1e-6)

    @given(st.integers(0, 2**31))
    @settings(max_examples=10, deadline=None)
    def test_vertices_reweighed_in_place_are_posed_as_those_of_a_character_bound_so(self, seed):
        generator = np.random.default_rng(seed)
        base = everything(generator)
        own = base.binding
        roomy = replace(own, influences=own.influences.copy(), weights=own.weights.copy())
        evaluator = Evaluator.of(replace(base, binding=roomy))
        pose, alone = any_pose(generator, base.skeleton), Acting.these("c", "b")
        _ = evaluator.pose(pose).points, evaluator.pose(pose, alone).points
        chosen = np.sort(generator.choice(len(base.mesh), 80, replace=False)).astype(np.int32)
        rows = np.stack([generator.permutation(len(own.bones.joint))[:2] for _ in chosen]).astype(np.int32)
        shares = -np.sort(-generator.dirichlet(np.ones(2), len(chosen)), axis=1).astype(np.float32)
        evaluator.reweigh(chosen, rows, shares)
        influences, weights = own.influences.copy(), own.weights.copy()
        influences[chosen, :2], weights[chosen, :2], weights[chosen, 2:] = rows, shares, 0
        bound = Evaluator.of(replace(base, binding=replace(own, influences=influences, weights=weights)))
        np.testing.assert_allclose(
            evaluator.pose(pose, alone).points, bound.pose(pose, alone).points, atol=1e-5
        )  # fmt: skip
        # What lies under the mask of a helper that acts is shown as it was; none of it is read by anything else here.
        some = Acting.these("c", "b", "h")
        under = base.rules.helpers[0][1].mask.vertices
        before = Evaluator.of(base).pose(pose, some).points
        # Who acts for the first time since is laid out with what was painted.
        late = Acting.these("h")
        np.testing.assert_allclose(evaluator.pose(pose, late).points, bound.pose(pose, late).points, atol=1e-5)
        got, wanted = evaluator.pose(pose, some).points, bound.pose(pose, some).points
        free = np.setdiff1d(np.arange(len(base.mesh)), under)
        np.testing.assert_allclose(got[free], wanted[free], atol=1e-5)
        np.testing.assert_allclose(got[under], before[under], atol=1e-5)


class Carried(unittest.TestCase):
    @given(st.integers(0, 2**31))
    @settings(max_examples=10, deadline=None)
    def test_rules_of_every_kind_mean_the_same_when_the_frame_they_read_is_turned(self, seed):
        draw = np.random.default_rng(seed)
        character = everything(draw)
        upper, turn = character.skeleton.find("upper"), Rotation.random(rng=draw)
        edited = edit.turned(character, upper, turn.as_quat())
        self.assertEqual(edited.skeleton.names, character.skeleton.names)
        for _ in range(4):
            # Within reach: where an angle is unwrapped follows the hinge of the joint, which is said in its frame.
            q = Rotation.from_rotvec(1.6 * draw.uniform(-1, 1, 3) / np.sqrt(3))
            wet = {"Wet": float(draw.uniform(0, 2))}
            shown = []
            # The same motion, said in the frame of before and in the turned one: D^-1 R D.
            for c, r in ((character, q), (edited, turn.inv() * q * turn)):
                pose = c.skeleton.rest_pose().with_rotation(upper, r.as_quat())
                shown.append(Evaluator.of(c).pose(replace(pose, dials=wet)))
            for remedy in character.rules.remedies:
                one, two = (s.activation(remedy.id) for s in shown)
                self.assertAlmostEqual(one, two, delta=2e-4, msg=remedy.name)
            np.testing.assert_allclose(shown[1].points, shown[0].points, atol=3e-5)

    def test_rules_go_with_their_joint_when_the_numbers_change(self):
        character = everything(np.random.default_rng(3))
        upper = character.skeleton.find("upper")
        lower = character.skeleton.find("lower")
        grown = edit.made(character, "tail", lower, [0.0, 0.3, 0.0])
        hung = edit.reparented(grown, grown.skeleton.find("upper"), grown.skeleton.find("tail"))
        self.assertNotEqual(hung.skeleton.find("upper"), upper)
        for edited in (grown, hung):
            there = edited.skeleton.find("upper")
            for degrees in (-40, 35, 100):
                q = Rotation.from_euler("XYZ", [20, 10, degrees], degrees=True).as_quat()
                one = Evaluator.of(character).pose(character.skeleton.rest_pose().with_rotation(upper, q))
                two = Evaluator.of(edited).pose(edited.skeleton.rest_pose().with_rotation(there, q))
                for remedy in character.rules.remedies:
                    self.assertEqual(one.activation(remedy.id), two.activation(remedy.id), remedy.name)
                np.testing.assert_allclose(two.points, one.points, atol=2e-6)


class Afterwards(unittest.TestCase):
    def test_a_shape_after_the_skin_does_not_turn_with_the_joint(self):
        character = tube()
        moved = np.arange(400, 410, dtype=np.int32)
        deltas = np.tile(np.float32([0.1, 0, 0]), (10, 1))
        pose = bent(character.skeleton.rest_pose(), 2, Z, math.pi / 2)
        plain = evaluate_exact(character, pose)
        for after, weight, way in ((False, 1.0, [0, 0.1, 0]), (True, 1.0, [0.1, 0, 0]), (True, 0.4, [0.04, 0, 0])):
            shape = Shape("s", moved, deltas, weight, after_skin=after)
            shaped = replace(character, mesh=replace(character.mesh, shapes=(shape,)))
            np.testing.assert_allclose(
                evaluate_exact(shaped, pose)[moved] - plain[moved], np.tile(way, (10, 1)), atol=1e-6
            )
            np.testing.assert_allclose(Evaluator.of(shaped).pose(pose).points, evaluate_exact(shaped, pose), atol=1e-6)


class OutlinesInACharacter(unittest.TestCase):
    def drawn(self) -> Character:
        """A circle of four cubic arcs round the tube's upper joint, as a part of its own beside it."""
        character = tube()
        k = 4 / 3 * (math.sqrt(2) - 1)
        points = []
        for n in range(4):
            a = n * math.pi / 2
            at, along = np.array([math.cos(a), math.sin(a), 0]), np.array([-math.sin(a), math.cos(a), 0])
            points += [at, at - k * along, at + k * along]
        points = (0.2 * np.array(points) + [0, 0.5, 0]).astype(np.float32)
        old, count = character.mesh, len(character.mesh)
        part = Part(
            "sign", (count, count + 12), (len(old.file_to_vertex), len(old.file_to_vertex) + 12),
            Outlines((Curve(0, 4),), (Drawn("sign", (0,), Fill("#ff8800"), Stroke("#000000")),)),
        )  # fmt: skip
        mesh = Mesh(
            (*old.parts, part), np.vstack([old.points, points]), np.vstack([old.rest, points]),
            np.append(old.file_to_vertex, np.arange(count, count + 12, dtype=np.int32)),
            channels=np.full((count + 12, 1), 0.01, np.float32),
        )  # fmt: skip
        follows = np.zeros((12, 4), np.int32) + character.skeleton.find("upper") - 1
        whole = np.zeros((12, 4), np.float32)
        whole[:, 0] = 1
        binding = replace(
            character.binding,
            influences=np.vstack([character.binding.influences, follows]),
            weights=np.vstack([character.binding.weights, whole]),
        )
        return replace(character, mesh=mesh, binding=binding)

    def test_a_part_of_outlines_is_skinned_and_shaped_width_and_all(self):
        character = self.drawn()
        part = character.mesh.part("sign")
        own = slice(*part.vertices)
        circle = part.surface.curves[0]
        # Closed form: four cubic arcs with this handle enclose 0.027 % more than the circle.
        area = part.surface.area(circle, character.mesh.rest[own])
        self.assertAlmostEqual(area / (math.pi * 0.04), 1.00027, places=4)
        pose = bent(character.skeleton.rest_pose(), character.skeleton.find("upper"), Z, 1.1)
        turned = Evaluator.of(character).pose(pose).points[own]
        np.testing.assert_allclose(
            turned,
            Rotation.from_rotvec([0, 0, 1.1]).apply(character.mesh.rest[own] - [0, 0.5, 0]) + [0, 0.5, 0],
            atol=1e-6,
        )
        self.assertAlmostEqual(part.surface.area(circle, turned), area, places=7)
        first = part.vertices[0]
        shape = Shape("wide", np.array([first], np.int32), np.zeros((1, 3), np.float32), channels=np.float32([[0.03]]))
        trigger = HingeTrigger(character.skeleton.find("upper"), Z, Response((0.0, 1.1), (0.0, 1.0)), id="t")
        shaped = character.with_remedy(Remedy(Corrective.of(shape), "wide", by="t"), trigger)
        half = bent(character.skeleton.rest_pose(), character.skeleton.find("upper"), Z, 0.55)
        widths = Evaluator.of(shaped).pose(half).channels[:, 0]
        self.assertAlmostEqual(float(widths[first]), 0.01 + 0.5 * 0.03, places=6)
        self.assertAlmostEqual(float(widths[first + 1]), 0.01, places=6)


class Twins(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.keeper, _ = open_demo("lock-keeper-half-done")

    def test_the_twin_is_the_mirror_image_in_the_mirrored_pose_and_its_twin_is_itself(self):
        keeper = self.keeper
        elbow = next(
            r
            for r in keeper.rules.remedies
            if "forearm" in str(keeper.skeleton.names[min(keeper.rules.joints_read(r))])
        )
        both = twinned(keeper, elbow.id)
        other = both.rules.remedy(both.rules.remedy(elbow.id).twin)
        self.assertEqual((other.name, other.twin), (elbow.name.replace("Left", "Right"), elbow.id))
        pose = bent(keeper.skeleton.rest_pose(), keeper.skeleton.find("left_forearm"), Z, 1.9)
        mirrored = keeper.skeleton.rest_pose()
        for j, there in enumerate(keeper.joint_pairs.tolist()):
            mirrored.rotations[there] = keeper.mirror.rotation(j, pose.rotations[j])
        twin = keeper.mesh.pairs
        rows = np.flatnonzero(twin >= 0)
        here = evaluate_exact(both, pose, Acting.these(elbow.id))
        there = evaluate_exact(both, mirrored, Acting.these(other.id))
        # Vertices are paired to a ten thousandth of the height; what the shapes do is compared.
        here, there = here - evaluate_exact(both, pose, NONE), there - evaluate_exact(both, mirrored, NONE)
        np.testing.assert_allclose(there[twin[rows]], here[rows] * [-1, 1, 1], atol=2e-5)
        self.assertGreater(np.abs(here).max(), 0.005)
        # Back again: shape and trigger are the first ones.
        back = twinned(both, other.id)
        self.assertEqual(len(back.rules.remedies), len(both.rules.remedies))
        again, trigger = back.rules.remedy(elbow.id), back.rules.trigger_of(back.rules.remedy(elbow.id))
        first = keeper.rules.trigger_of(elbow)
        np.testing.assert_allclose(trigger.axis, first.axis, atol=1e-9)
        self.assertEqual((trigger.joint, trigger.response), (first.joint, first.response))
        dense = [r.body.shapes[0].dense(len(keeper.mesh)) for r in (elbow, again)]
        paired = np.flatnonzero((twin >= 0) & (np.abs(dense[0]).max(axis=1) > 0))
        np.testing.assert_allclose(dense[1][paired], dense[0][paired], atol=1e-6)

    def test_a_set_of_poses_of_two_joints_a_dial_and_a_product_are_mirrored_with_what_they_switch_on(self):
        keeper = self.keeper.with_rules(Rules())
        skeleton = keeper.skeleton
        arm, elbow, neck = (skeleton.find(n) for n in ("left_upper_arm", "left_forearm", "neck"))
        draw = np.random.default_rng(8)
        turns = Rotation.from_rotvec(draw.normal(0, 0.6, (4, 3))).as_quat().reshape(2, 2, 4)
        poses = tuple(
            StoredPose(tuple(map(tuple, t.tolist())), by, by, by)
            for t, by in zip(turns, ("both", "swing"), strict=True)
        )
        reach = PoseSet((arm, elbow), (UP, UP), poses, 1.5, "Reach", "reach")
        nod = HingeTrigger(neck, Z, Response((0.0, 1.0), (0.0, 1.0)), id="nod")
        wet = DialTrigger("wet", Response((0.0, 1.0), (0.2, 1.0)), id="soaked")
        chosen = np.flatnonzero(keeper.binding.subtree_weights(skeleton, elbow) > 0.5)[::7].astype(np.int32)
        shape = Shape("s", chosen, draw.normal(0, 0.02, (len(chosen), 3)).astype(np.float32))
        rules = Rules(
            (Dial("Wet", id="wet"),), (reach, nod, wet, ProductTrigger(("both", "swing", "soaked", "nod"), id="p"))
        )
        one = Remedy(Corrective.of(shape), "Left reach", by="p", id="r")
        both = twinned(keeper.with_rules(rules).with_remedy(one.noted("Look again.")), "r")
        other = both.rules.remedy(both.rules.remedy("r").twin)
        self.assertEqual((other.name, other.notes), ("Right reach", ()))  # what was noted of one is not of the other
        # What both sides share is not doubled: the nod and the dial; their own are.
        self.assertEqual(
            sorted(t.kind for t in both.rules.triggers), sorted(["pose_set", "product"] * 2 + ["hinge", "dial"])
        )
        evaluator, most = Evaluator.of(both), 0.0
        for seed in range(6):
            draw = np.random.default_rng(seed)
            pose = skeleton.rest_pose()
            pose.rotations[[arm, elbow]] = [
                (Rotation.from_quat(q) * Rotation.from_rotvec(draw.normal(0, 0.2, 3))).as_quat()
                for q in turns[seed % 2]
            ]
            pose.rotations[neck] = Rotation.from_rotvec([0, 0, 0.7]).as_quat()
            mirrored = skeleton.rest_pose()
            for j, there in enumerate(keeper.joint_pairs.tolist()):
                mirrored.rotations[there] = keeper.mirror.rotation(j, pose.rotations[j])
            here, there = (evaluator.pose(replace(p, dials={"Wet": 0.9})) for p in (pose, mirrored))
            self.assertAlmostEqual(here.activation("r"), there.activation(other.id), delta=2e-4)
            self.assertAlmostEqual(here.activation(other.id), there.activation("r"), delta=2e-4)
            most = max(most, here.activation("r"))
        self.assertGreater(most, 0.02)
        # Made again after a change it takes the change over and adds nothing.
        changed = both.rules.with_trigger(replace(reach, radius=1.2))
        again = twinned(both.with_rules(changed), "r")
        self.assertEqual(len(again.rules.triggers), len(both.rules.triggers))
        self.assertEqual([t.radius for t in again.rules.triggers if t.kind == "pose_set"], [1.2, 1.2])
        self.assertEqual(again.rules.remedy("r").twin, other.id)
        # Tied to something else it leaves nothing behind on the other side that nobody reads.
        bend = HingeTrigger(elbow, Z, Response((0.0, 1.0), (0.0, 1.0)), id="bend")
        plain = twinned(again.with_rules(again.rules.tied("r", bend)), "r")
        self.assertEqual([t.kind for t in plain.rules.triggers if not t.name].count("product"), 0)
        across = plain.rules.trigger_of(plain.rules.remedy(other.id))
        self.assertEqual((across.kind, across.joint), ("hinge", skeleton.find("right_forearm")))

    def test_helpers_twist_the_other_way_and_what_lies_in_the_middle_has_no_twin(self):
        keeper = self.keeper.with_rules(Rules())
        hand, forearm = (keeper.skeleton.find(f"left_{n}") for n in ("hand", "forearm"))
        share = Helper(forearm, (Share(hand, 0.5, "twist", UP),))
        both = twinned(keeper.with_remedy(Remedy(share, "Left roll", id="h")), "h")
        pose = bent(keeper.skeleton.rest_pose(), hand, UP, 0.8)
        mirrored = keeper.skeleton.rest_pose()
        for j, there in enumerate(keeper.joint_pairs.tolist()):
            mirrored.rotations[there] = keeper.mirror.rotation(j, pose.rotations[j])
        here, there = evaluate_exact(both, pose), evaluate_exact(both, mirrored)
        rows = np.flatnonzero(keeper.mesh.pairs >= 0)
        # Weights of the demo differ by a hair between the sides at three vertices.
        off = np.abs(there[keeper.mesh.pairs[rows]] - here[rows] * [-1, 1, 1]).max(axis=1)
        self.assertLess(np.quantile(off, 0.999), 2e-4)
        neck = HingeTrigger(keeper.skeleton.find("neck"), Z, Response((0.0, 1.0), (0.0, 1.0)), id="t")
        shape = Shape("s", np.array([1], np.int32), np.ones((1, 3), np.float32))
        middle = keeper.with_remedy(Remedy(Corrective.of(shape), "Nod", by="t", id="n"), neck)
        with self.assertRaisesRegex(BadEditError, "lies in the middle"):
            twinned(middle, "n")
