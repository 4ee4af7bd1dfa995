"""Heat weights and their limit to a few influences; joining vertices along seams."""

import unittest

import numpy as np
from scipy.sparse import csgraph

from plethos.core.topology import Topology
from plethos.core.weights.heat import heat_weights
from plethos.core.weights.limit import limit_influences
from plethos.core.weld import weld
from tests.figures import tube_points


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
        target = np.array([[0.0, 0.1, 0.0], [0.0, -0.1, 0.0]])
        self.assertEqual(len(weld(points, slots, weights, [target], 1e-6)[1]), 2)
        self.assertEqual(len(weld(points, slots, weights, [], 1e-6)[1]), 1)
