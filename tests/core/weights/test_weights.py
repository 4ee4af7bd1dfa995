"""Heat weights and their limit to a few influences; joining vertices along seams."""

import unittest
from dataclasses import replace

import igl
import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import sparse
from scipy.sparse import csgraph

from plethos.core.formats.weld import weld
from plethos.core.geometry.topology import Topology, extent
from plethos.core.skin.binding import Binding, Bones
from plethos.core.skin.shape import Shape
from plethos.core.weights.bone_distances import TIED, nearest_bones, segment_distances
from plethos.core.weights.bones import Segment
from plethos.core.weights.edit import seen_across
from plethos.core.weights.heat import heat_weights
from plethos.core.weights.heat_factor import COLD, HeatFactor
from plethos.core.weights.limit import limit_influences
from tests.figures import tube_points
from tests.models import load


class Heat(unittest.TestCase):
    def setUp(self):
        self.points, self.triangles = tube_points(rings=41)
        upper = self.points[:, 1] > 0.5
        nearest = np.stack([~upper, upper], axis=1).astype(float)
        nearest[np.abs(self.points[:, 1] - 0.5) < 1e-6] = 0.5
        distance = np.maximum(np.linalg.norm(self.points[:, [0, 2]], axis=1), 0.05)
        self.weights = heat_weights(self.points, self.triangles, nearest, distance)

    def test_they_sum_to_1_and_fall_evenly_from_one_bone_to_the_other(self):
        np.testing.assert_allclose(self.weights.sum(axis=1), 1, atol=1e-12)
        self.assertGreaterEqual(self.weights.min(), 0)
        rings = self.weights[: 41 * 24, 1].reshape(41, 24)
        self.assertTrue((np.diff(rings.mean(axis=1)) > 0).all())
        self.assertAlmostEqual(float(rings[20].mean()), 0.5, delta=0.01)

    def test_a_mirrored_tube_has_mirrored_weights(self):
        rings = self.weights[: 41 * 24].reshape(41, 24, 2)
        np.testing.assert_allclose(rings, rings[::-1, :, ::-1], atol=1e-6)

    @given(st.integers(0, 2**31), st.floats(0.2, 5))
    @settings(max_examples=8, deadline=None)
    def test_they_solve_the_equation_of_heat_with_libigls_matrices(self, seed, strength):
        # On a mesh that is Delaunay the Laplacian is the cotangent one: (L + A H) w = A H p, solved densely.
        draw = np.random.default_rng(seed)
        ball = trimesh.creation.icosphere(2, radius=0.4)
        points, t = np.asarray(ball.vertices) * [1, 1.1, 0.95], np.asarray(ball.faces, np.int64)
        nearest = np.eye(3)[draw.integers(0, 3, len(points))]
        nearest[:5] = 1 / 3
        distance = draw.uniform(0.1, 0.4, len(points))
        heat = np.diag(igl.massmatrix(points, t, igl.MASSMATRIX_TYPE_BARYCENTRIC).diagonal() * strength / distance**2)
        theirs = np.linalg.solve(heat - igl.cotmatrix(points, t).toarray(), heat @ nearest)
        ours = heat_weights(points, t.astype(np.int32), nearest, distance, strength)
        np.testing.assert_allclose(ours, theirs, atol=2e-6)

    @given(st.integers(0, 2**31), st.integers(2, 60), st.sampled_from([0.02, 0.2, 1.0, 50.0, 1e3]))
    @settings(max_examples=80, deadline=None)
    def test_what_one_source_warms_is_what_scipy_solves_where_it_is_warm(self, seed, size, heat):
        # The graph of anything: pieces, loops, single vertices.
        draw = np.random.default_rng(seed)
        ends = draw.integers(0, size, (2 * size, 2))
        graph = sparse.coo_matrix((draw.uniform(0.1, 3, len(ends)), (ends[:, 0], ends[:, 1])), (size, size))
        laplacian = csgraph.laplacian((graph + graph.T).tocsc())
        matrix = (laplacian + sparse.diags(heat * draw.uniform(0.5, 2, size))).tocsc()
        sources, given_heat = draw.choice(size, 2, replace=False), draw.uniform(0, 1, 2)
        whole = np.zeros(size)
        whole[sources] = given_heat
        wanted = np.linalg.solve(matrix.toarray(), whole)
        warm, heats = HeatFactor.of(matrix).warmed(sources, given_heat)
        told = np.zeros(size)
        told[warm] = heats
        self.assertEqual(len(np.unique(warm)), len(warm))
        np.testing.assert_allclose(told, wanted, atol=1.01 * COLD)

    def test_a_source_far_down_a_chain_warms_only_what_is_near(self):
        size = 4000
        chain = sparse.diags([np.full(size - 1, -1.0), np.full(size, 2.5), np.full(size - 1, -1.0)], [-1, 0, 1])
        warm, heats = HeatFactor.of(chain.tocsc()).warmed(np.array([1000]), np.array([1.0]))
        # The solution of an endless chain: falls by half from one to the next, and 2 / 3 at the source.
        self.assertEqual((warm.min(), warm.max()), (1000 - 19, 1000 + 19))
        np.testing.assert_allclose(heats, 2 / 3 * 0.5 ** np.abs(warm - 1000.0), atol=1.01 * COLD)

    @given(st.lists(st.integers(1, 9), min_size=1, max_size=7), st.integers(0, 2**31))
    @settings(max_examples=30, deadline=None)
    def test_pieces_warm_as_the_whole_solved_densely_and_none_warms_another(self, sizes, seed):
        draw = np.random.default_rng(seed)
        chains = [sparse.diags([-np.ones(n - 1), draw.uniform(2.1, 4, n), -np.ones(n - 1)], [-1, 0, 1]) for n in sizes]
        mixed_up = draw.permutation(sum(sizes))
        matrix = sparse.block_diag(chains).tocsc()[mixed_up][:, mixed_up]
        factor, dense = HeatFactor.of(matrix), np.linalg.inv(matrix.toarray())
        for source in range(len(mixed_up)):
            warm, heats = factor.warmed(np.array([source]), np.array([1.0]))
            told = np.zeros(len(mixed_up))
            told[warm] = heats
            np.testing.assert_allclose(told, dense[source], atol=1.01 * COLD)

    @given(st.integers(0, 2**31))
    @settings(max_examples=30, deadline=None)
    def test_the_nearest_bones_are_those_of_all_distances(self, seed):
        draw = np.random.default_rng(seed)
        points, normals = draw.normal(0, 1, (1500, 3)), draw.normal(0, 1, (1500, 3))
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        ends = draw.normal(0, 1, (9, 2, 3))
        bones = [Segment(k, a, b) for k, (a, b) in enumerate(ends)]
        bones.append(replace(bones[4], joint=9))  # as near as another everywhere
        if draw.random() < 0.3:
            bones = [bones[4]] * 90  # more pairs than one would think of
        distance = segment_distances(points, normals, bones)
        least, vertices, numbers = nearest_bones(points, normals, bones)
        np.testing.assert_allclose(least, np.maximum(distance.min(axis=1), 1e-3 * extent(points)), rtol=1e-9)
        told = np.zeros(distance.shape, bool)
        told[vertices, numbers] = True
        self.assertEqual(int(told.sum()), len(vertices))
        apart = distance / least[:, None]
        near = np.abs(apart - TIED) > 1e-9  # by a hair either way
        np.testing.assert_array_equal(told[near], (apart <= TIED)[near])

    def test_two_pieces_and_a_flat_triangle_work(self):
        points = np.vstack([self.points, self.points + np.float32(3)])
        flat = np.array([[5, 5 + 24, 5]], np.int32)  # no area at all
        triangles = np.vstack([self.triangles, self.triangles + len(self.points), flat])
        nearest = np.vstack([np.tile([1.0, 0.0], (len(self.points), 1)), np.tile([0.0, 1.0], (len(self.points), 1))])
        weights = heat_weights(points, triangles, nearest, np.full(len(points), 0.1))
        np.testing.assert_allclose(weights, nearest, atol=1e-9)

    def test_the_limit_keeps_the_sum_and_drops_the_smallest(self):
        dense = np.random.default_rng(2).dirichlet(np.ones(9), 300)
        slots, kept = limit_influences(dense, 4)
        self.assertEqual(slots.shape, (300, 4))
        np.testing.assert_allclose(kept.sum(axis=1), 1, atol=1e-6)
        largest = np.argsort(-dense, axis=1)[:, 0]
        np.testing.assert_array_equal(slots[:, 0], largest)

    def test_the_compiled_limit_is_its_plain_twin(self):
        random = np.random.default_rng(8)
        for joints, most, least in ((9, 4, 0.003), (30, 8, 0.0), (3, 4, 0.0), (4, 4, 0.0)):
            dense = random.dirichlet(np.full(joints, 0.3), 400)
            dense[:50, :2] = 0.2  # equals
            dense[dense < 0.01] = 0
            dense /= dense.sum(axis=1, keepdims=True)
            padded = np.pad(dense, ((0, 0), (0, max(0, most + 1 - joints))))
            first_out = np.sort(padded, axis=1)[:, ::-1][:, most : most + 1]
            kept = np.maximum(padded - np.maximum(first_out, least), 0)
            order = np.argsort(-kept, axis=1, kind="stable")[:, :most]
            wanted = np.take_along_axis(kept, order, axis=1)
            slots, weights = limit_influences(dense, most, least)
            np.testing.assert_allclose(weights, wanted / wanted.sum(axis=1, keepdims=True), atol=1e-6)
            np.testing.assert_array_equal(slots, np.where(wanted > 0, order, 0))
            for told, same in zip(
                limit_influences(sparse.csr_matrix(dense), most, least), (slots, weights), strict=True
            ):
                np.testing.assert_array_equal(told, same)

    @given(st.integers(0, 2**31))
    @settings(max_examples=30, deadline=None)
    def test_sparse_weights_are_the_dense_ones_through_several_bones_of_a_joint(self, seed):
        draw = np.random.default_rng(seed)
        bones = Bones(np.array([0, 1, 1, 3], np.int32), np.tile(np.eye(4), (4, 1, 1)), np.zeros(4, np.int32))
        weights = draw.dirichlet(np.ones(3), 40).astype(np.float32)
        weights[draw.random((40, 3)) < 0.3] = 0
        binding = Binding(bones, draw.integers(0, 4, (40, 3)).astype(np.int32), weights, 5)
        rows = binding.by_vertex
        np.testing.assert_allclose(rows.toarray(), binding.joint_weights, atol=6e-8)
        self.assertTrue((rows.data > 0).all() and rows.has_sorted_indices)
        np.testing.assert_array_equal(binding.weights, weights)  # nothing of the binding is summed up in place
        across = seen_across(rows, np.arange(40, dtype=np.int32)[::-1], np.array([0, 3, 2, 1, 4], np.int32))
        np.testing.assert_array_equal(across.toarray(), rows.toarray()[::-1][:, [0, 3, 2, 1, 4]])

    def test_what_hangs_on_a_joint_is_carried_by_it(self):
        character = load("fox/Fox.gltf")[0]
        skeleton, binding = character.skeleton, character.binding
        wanted = np.zeros((len(character.mesh), len(skeleton)))
        for joint in range(len(skeleton)):
            up = joint
            while up >= 0:
                wanted[:, up] += binding.joint_weights[:, joint]
                up = int(skeleton.parents[up])
        np.testing.assert_allclose(binding.carried(skeleton).toarray(), wanted, atol=1e-6)
        for joint in range(len(skeleton)):
            np.testing.assert_allclose(binding.subtree_weights(skeleton, joint), wanted[:, joint], atol=1e-6)

    def test_patches_are_scipys_connected_components(self):
        topology = Topology(len(self.points), self.triangles)
        mask = np.random.default_rng(9).random(len(self.points)) < 0.45
        inside = np.flatnonzero(mask)
        wanted, labels = csgraph.connected_components(topology.adjacency[inside][:, inside], directed=False)
        count, numbers = topology.patches(mask)
        self.assertEqual(count, wanted)
        self.assertGreater(count, 20)
        self.assertTrue((numbers[~mask] == -1).all())
        pairs = set(zip(labels.tolist(), numbers[inside].tolist(), strict=True))
        self.assertEqual(len(pairs), count)


class Weld(unittest.TestCase):
    def test_copies_join_whatever_the_order_of_their_influences(self):
        points = np.array([[0.0, 0, 0], [1, 0, 0], [0, 0, 0], [0, 0, 0]])
        slots = np.array([[0, 1], [0, 1], [1, 0], [0, 1]], np.int32)
        weights = np.array([[0.7, 0.3], [1, 0], [0.3, 0.7], [0.1, 0.9]])
        copies, kept = weld(points, slots, weights, [], 1e-6)
        # The last lies in the same place but follows the other bone: closed lips stay two lips.
        self.assertEqual(copies.tolist(), [0, 1, 0, 2])
        self.assertEqual(kept.tolist(), [0, 1, 3])

    def test_what_a_shape_moves_apart_stays_apart(self):
        points, slots, weights = np.zeros((2, 3)), np.zeros((2, 1), np.int32), np.ones((2, 1))
        target = Shape.from_dense("target", np.array([[0.0, 0.1, 0.0], [0.0, -0.1, 0.0]]), 0)
        self.assertEqual(len(weld(points, slots, weights, [target], 1e-6)[1]), 2)
        self.assertEqual(len(weld(points, slots, weights, [], 1e-6)[1]), 1)

    @given(st.integers(0, 2**31))
    @settings(max_examples=40, deadline=None)
    def test_any_copies_are_found_and_nothing_else(self, seed):
        draw = np.random.default_rng(seed)
        count, bones = 20, 5
        places, shape = draw.uniform(-1, 1, (count, 3)), draw.normal(size=(count, 3))
        # Two of them lie in one place and follow other bones, two are moved apart by a shape only.
        places[1], places[3], shape[1] = places[0], places[2], shape[0]
        slots = np.stack([draw.permutation(bones)[:3] for _ in range(count)]).astype(np.int32)
        weights = draw.dirichlet(np.ones(3), count)
        slots[0], slots[1], slots[3], weights[3] = [0, 1, 2], [3, 4, 2], slots[2], weights[2]
        copy_of = np.concatenate([np.arange(count), draw.integers(0, count, 60)])
        order = draw.permutation(len(copy_of))
        copy_of = copy_of[order]
        shuffled = draw.permuted(np.tile(np.arange(3), (len(order), 1)), axis=1)
        jitter = draw.uniform(-1, 1, (len(order), 3)) * 2e-8
        for cells_only in (False, True):
            # Within a cell there are no borders to tear them at.
            found, kept = weld(
                places[copy_of] + jitter * (not cells_only),
                np.take_along_axis(slots[copy_of], shuffled, 1),
                np.take_along_axis(weights[copy_of], shuffled, 1),
                [Shape.from_dense("shape", shape[copy_of], 0)],
                1e-6,
                cells_only,
            )
            self.assertEqual(len(kept), count)
            same, told = copy_of[:, None] == copy_of[None], found[:, None] == found[None]
            np.testing.assert_array_equal(told, same)
            np.testing.assert_array_equal(found[kept], np.arange(count))
            self.assertTrue((np.diff(kept) > 0).all())
