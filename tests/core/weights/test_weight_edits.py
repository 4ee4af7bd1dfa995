"""Edits of weights that are not strokes: given to a joint, copied, mended, one side carried over to the other."""

import unittest

import numpy as np
import trimesh
from scipy.spatial import cKDTree

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.measure.travel import bent
from plethos.core.regions import pick
from plethos.core.skeleton.symmetry import joint_mirror, vertex_mirror
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.carry import carried_over
from plethos.core.weights.check import check_weights
from plethos.core.weights.edit import eased, given_to, like_part, like_vertex, mirrored_from
from plethos.demo.catalogue import open_demo
from tests.figures import tube


class Giving(unittest.TestCase):
    def test_the_chosen_follow_one_joint_and_the_others_stay(self):
        character = tube()
        upper = character.skeleton.find("upper")
        chosen = character.mesh.points[:, 1] < 0.3
        weights = given_to(character, chosen, upper)
        np.testing.assert_array_equal(weights[chosen, upper], 1)
        np.testing.assert_allclose(weights.sum(axis=1), 1, atol=1e-6)
        np.testing.assert_array_equal(weights[~chosen], character.binding.joint_weights[~chosen])

    def test_nothing_chosen_is_told(self):
        character = tube()
        with self.assertRaisesRegex(BadEditError, "No vertex"):
            given_to(character, np.zeros(len(character.mesh.points), bool), 1)


class Copying(unittest.TestCase):
    def test_a_garment_takes_the_weights_of_the_body_under_it(self):
        keeper, _ = open_demo("lock-keeper-bare")
        garment = pick.by_part(keeper, "trousers")
        spoiled = with_joint_weights(keeper, given_to(keeper, garment, keeper.skeleton.find("pelvis")))
        dense = like_part(spoiled, garment, spoiled.mesh.part("body"))
        mended = with_joint_weights(spoiled, dense)
        np.testing.assert_allclose(mended.binding.weights.sum(axis=1), 1, atol=1e-6)
        # With the knee bent, the cloth goes where the leg under it goes: no further from it than at rest and a bit.
        shin = keeper.skeleton.find("left_shin")
        pose = bent(keeper.skeleton.rest_pose(), shin, (0, 0, 1), np.radians(60))
        rest, body = Evaluator.of(keeper).rest(), slice(*keeper.mesh.part("body").vertices)
        cloth = np.flatnonzero(garment > 0)
        tree = cKDTree(rest[body])
        gap, under = tree.query(rest[cloth])
        for character, alike in ((spoiled, False), (mended, True)):
            posed = Evaluator.of(character).pose(pose).points
            apart = np.linalg.norm(posed[cloth] - posed[body][under], axis=1) - gap
            self.assertEqual(float(apart.max()) < 0.03, alike)
        np.testing.assert_array_equal(dense[body], spoiled.binding.joint_weights[body])
        # Chosen or not, the part itself stays to the last bit; alone there is nothing to do.
        everywhere = like_part(spoiled, np.ones_like(garment), spoiled.mesh.part("body"))
        np.testing.assert_array_equal(everywhere[body], spoiled.binding.joint_weights[body])
        with self.assertRaisesRegex(BadEditError, "outside of “body”"):
            like_part(spoiled, pick.by_part(spoiled, "body"), spoiled.mesh.part("body"))

    def test_vertices_follow_what_one_vertex_follows_by_their_share(self):
        character = tube()
        shares = np.zeros(len(character.mesh.points))
        shares[[10, 20]] = 1, 0.5
        source = 12 * 24
        weights = like_vertex(character, shares, source)
        row, before = character.binding.joint_weights[source], character.binding.joint_weights
        np.testing.assert_allclose(weights[10], row)
        np.testing.assert_allclose(weights[20], 0.5 * row + 0.5 * before[20])
        np.testing.assert_allclose(weights[30], before[30])
        with self.assertRaisesRegex(BadEditError, "no vertex 9999"):
            like_vertex(character, shares, 9999)

    def test_the_closest_surface_is_found_as_by_brute_force_and_between_vertices(self):
        # trimesh takes every triangle in turn: slow, and sure.
        generator = np.random.default_rng(7)
        character = tube()
        points, t = character.mesh.points.astype(float), character.mesh.topology.triangles
        queries = points[generator.integers(0, len(points), 40)] + generator.normal(scale=0.02, size=(40, 3))
        rows = generator.dirichlet(np.ones(3), len(points))
        got = carried_over(points, t, rows, queries)
        corners = points[t]
        for q, row in zip(queries, got, strict=True):
            at = trimesh.triangles.closest_point(corners, np.tile(q, (len(t), 1)))
            best = int(np.argmin(np.linalg.norm(at - q, axis=1)))
            share = trimesh.triangles.points_to_barycentric(corners[best][None], at[best][None])[0]
            np.testing.assert_allclose(row, share @ rows[t[best]], atol=1e-6)

    def test_triangles_without_area_and_lonely_vertices_carry_weights_too(self):
        line = np.array([[0.0, 0, 0], [1, 0, 0], [0.5, 0, 0]])
        rows = np.eye(3)
        flat = carried_over(line, np.array([[0, 1, 2]]), rows, np.array([[0.25, 0.3, 0]]))
        np.testing.assert_allclose(flat.sum(), 1)
        np.testing.assert_allclose(flat[0] @ line, [0.25, 0, 0], atol=1e-9)
        np.testing.assert_allclose(
            carried_over(line, np.zeros((0, 3), int), rows, np.array([[0.9, 0, 0]])), [[0, 1, 0]]
        )


class Mending(unittest.TestCase):
    def test_a_hard_step_is_eased_on_both_sides_and_sums_stay(self):
        keeper, _ = open_demo("lock-keeper-bare")
        dense = keeper.binding.joint_weights.astype(float)
        s = keeper.skeleton
        for side in ("left", "right"):
            thigh, shin = s.find(f"{side}_thigh"), s.find(f"{side}_shin")
            knee = s.rest_global[shin, :3, 3]
            rest = Evaluator.of(keeper).rest()
            near = (np.abs(rest[:, 1] - knee[1]) < 0.12) & (rest[:, 0] * knee[0] > 0)
            dense[near] = 0
            dense[near, np.where(rest[near, 1] > knee[1], thigh, shin)] = 1
        hard = with_joint_weights(keeper, dense)
        steps = [f for f in check_weights(hard) if f.kind == "hard_step"]
        self.assertEqual(len(steps), 4)
        mended = with_joint_weights(hard, eased(hard, np.concatenate([f.vertices for f in steps])))
        self.assertFalse(
            [f for f in check_weights(mended) if f.kind == "hard_step" and s.names[f.joint].endswith("shin")]
        )
        np.testing.assert_allclose(mended.binding.weights.sum(axis=1), 1, atol=1e-6)
        # Easing makes no new difference between the sides.
        apart = [
            max((f.worst for f in check_weights(c) if f.kind == "unmirrored"), default=0.0) for c in (hard, mended)
        ]
        self.assertLessEqual(apart[1], apart[0] + 0.01)


class Carrying(unittest.TestCase):
    def setUp(self):
        self.keeper, _ = open_demo("lock-keeper-bare")
        self.rest = Evaluator.of(self.keeper).rest()
        self.twin, self.other = vertex_mirror(self.rest), joint_mirror(self.keeper.skeleton)
        dense = self.keeper.binding.joint_weights.astype(float)
        arm = self.keeper.skeleton.find("left_forearm")
        spoiled = (self.rest[:, 0] > 0.3) & (dense[:, arm] > 0.1)
        dense[spoiled, arm] *= 0.5
        self.spoiled = with_joint_weights(self.keeper, dense / dense.sum(axis=1, keepdims=True))

    def test_each_direction_brings_the_sides_together_from_its_own_side(self):
        start, stop = self.keeper.mesh.parts[0].vertices
        body = np.arange(start, stop)
        body = body[self.twin[body] >= 0]
        for side in (1.0, -1.0):
            weights = mirrored_from(self.spoiled, side)
            np.testing.assert_allclose(weights[body], weights[self.twin[body]][:, self.other], atol=1e-6)
            kept = body[self.rest[body, 0] * side > 1e-4]
            np.testing.assert_allclose(weights[kept], self.spoiled.binding.joint_weights[kept], atol=1e-6)

    def test_on_the_plane_both_sides_count_by_half(self):
        middle = np.flatnonzero(self.twin == np.arange(len(self.twin)))[:50]
        left = self.keeper.skeleton.find("left_thigh")
        right = int(self.other[left])
        dense = self.keeper.binding.joint_weights.astype(float)
        dense[middle] = 0
        dense[middle, left], dense[middle, self.keeper.skeleton.find("pelvis")] = 0.6, 0.4
        weights = mirrored_from(with_joint_weights(self.keeper, dense), 1.0)
        np.testing.assert_allclose(weights[middle][:, [left, right]], 0.3, atol=1e-6)
        np.testing.assert_allclose(weights[middle].sum(axis=1), 1, atol=1e-6)

    def test_from_the_good_side_the_character_is_as_before(self):
        mended = mirrored_from(self.spoiled, -1.0)
        paired = self.twin >= 0
        np.testing.assert_allclose(mended[paired], self.keeper.binding.joint_weights[paired], atol=0.13)
        stop = self.keeper.mesh.parts[0].vertices[1]
        body = paired & (np.arange(len(paired)) < stop)
        np.testing.assert_allclose(mended[body], self.keeper.binding.joint_weights[body], atol=2e-3)

    def test_a_character_without_sides_is_told(self):
        with self.assertRaisesRegex(BadEditError, "mirror images"):
            mirrored_from(tube(), 1.0)
