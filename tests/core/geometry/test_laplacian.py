"""The Laplacian of a skin, beside the package of the paper's author and what every Laplacian has to hold."""

import unittest

import numpy as np
import robust_laplacian
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import Delaunay

from plethos.core.geometry.laplacian import laplacian_of
from tests.figures import tube_points

# Three leaves at one edge; two triangles that go along their edge in one direction.
LEAVES = np.array([[0, 1, 2], [1, 0, 3], [0, 1, 4]], np.int32)
TURNED = np.array([[0, 1, 2], [0, 1, 3]], np.int32)


class Laplacians(unittest.TestCase):
    def holds(self, points, triangles):
        """Symmetric, rows that sum to 0, nothing positive beside the diagonal, some area everywhere."""
        laplacian, areas = laplacian_of(points, triangles)
        dense = laplacian.toarray()
        size = np.abs(dense).max()
        np.testing.assert_allclose(dense, dense.T, atol=1e-9 * size)
        np.testing.assert_allclose(dense.sum(axis=1), 0, atol=1e-9 * size)
        self.assertLessEqual((dense - np.diag(np.diag(dense))).max(), 0)
        self.assertGreater(areas.min(), 0)
        return dense, areas

    def agrees(self, points, triangles, within):
        dense, areas = self.holds(points, triangles)
        theirs, mass = robust_laplacian.mesh_laplacian(points, triangles)
        np.testing.assert_allclose(dense, theirs.toarray(), atol=within * np.abs(dense).max())
        return areas, mass.diagonal()

    def test_surfaces_agree_with_robust_laplacian(self):
        ball = trimesh.creation.icosphere(2, 0.7)
        points, faces = np.array(ball.vertices), np.array(ball.faces)
        areas, _ = self.agrees(points, faces, 1e-4)
        thirds = np.zeros(len(points))
        np.add.at(thirds, faces.ravel(), np.repeat(ball.area_faces / 3, 3))
        np.testing.assert_allclose(areas, thirds, rtol=1e-4)
        for rings, around in ((6, 8), (25, 5)):  # long triangles, open ends
            self.agrees(*tube_points(rings, around), 1e-4)
        self.agrees(np.vstack([points, points + 3]), np.vstack([faces, faces + len(points)]), 1e-4)

    def test_edges_of_three_leaves_and_triangles_turned_against_each_other_agree_too(self):
        points = np.random.default_rng(3).normal(0, 1, (5, 3))
        for some in (LEAVES, TURNED):
            areas, theirs = self.agrees(points[: some.max() + 1], some, 1e-9)
            np.testing.assert_allclose(areas, theirs)

    @given(st.integers(0, 10_000))
    @settings(max_examples=30, deadline=None)
    def test_a_plane_bears_straight_slopes_and_turned_edges(self, seed):
        # A linear function is harmonic, whatever the triangles: Pinkall and Polthier 1993 (from memory).
        generator = np.random.default_rng(seed)
        flat = generator.uniform(0, 1, (40, 2)) * [1, 4]  # stretched after: triangles that are not Delaunay
        triangles = Delaunay(flat).simplices.astype(np.int32)
        a, b, c = flat[triangles].transpose(1, 0, 2)
        upside = np.cross(np.c_[b - a, 0 * a[:, :1]], np.c_[c - a, 0 * a[:, :1]])[:, 2] < 0
        triangles[upside] = triangles[upside][:, ::-1]
        points = np.c_[flat * [1, 0.2], np.zeros(len(flat))]
        dense, _ = self.holds(points, triangles)
        hull = set(Delaunay(flat).convex_hull.ravel())
        inner = [v for v in range(len(points)) if v not in hull]
        rows = np.abs(dense[inner]).sum(axis=1)
        off = np.abs(dense[inner] @ points).max(axis=1) / rows
        self.assertLess(np.median(off), 1e-5)

    @given(st.integers(0, 10_000))
    @settings(max_examples=30, deadline=None)
    def test_an_edge_that_cannot_be_turned_is_left_out(self, seed):
        # All corners of a tetrahedron are joined already; a flat one has edges that ought to be turned.
        points = np.random.default_rng(seed).normal(0, 1, (4, 3)) * [1, 1, 0.05]
        self.holds(points, np.array([[0, 1, 2], [0, 3, 1], [1, 3, 2], [2, 3, 0]], np.int32))

    def test_triangles_without_area_get_some(self):
        points = np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0], [1, 1, 0]], float)
        dense, areas = self.holds(points, np.array([[0, 1, 3], [1, 2, 3], [0, 2, 1]], np.int32))
        self.assertTrue(np.isfinite(dense).all())
        self.assertAlmostEqual(areas.sum(), 1.0, delta=0.01)

    def test_a_lone_point_has_none(self):
        laplacian, areas = laplacian_of(np.eye(4, 3), np.array([[0, 1, 2]], np.int32))
        self.assertEqual(np.abs(laplacian[3].toarray()).max(), 0)
        self.assertEqual(areas[3], 0)
