"""One level of subdivision, against trimesh's own, and what it must keep."""

import unittest

import numpy as np
import trimesh

from plethos.core.geometry.subdivide import subdivided
from plethos.core.geometry.topology import Topology
from plethos.demo.catalogue import open_demo
from tests.core.sculpt.test_brushes import ball, sheet


class Loop(unittest.TestCase):
    def test_points_are_those_of_trimesh(self):
        points, triangles = ball([0.1, 0.2, 0.3])
        rng = np.random.default_rng(2)
        points = points + 0.01 * rng.standard_normal(points.shape)
        fine = subdivided(Topology(len(points), triangles.astype(np.int32)))
        theirs, faces = trimesh.remesh.subdivide_loop(points, triangles, iterations=1)
        ours = fine.weights @ points
        self.assertEqual((len(ours), len(fine.triangles)), (len(theirs), len(faces)))
        # In another order: each point of one is a point of the other.
        order, other = (np.lexsort(np.round(p, 9).T) for p in (ours, theirs))
        np.testing.assert_allclose(ours[order], theirs[other], atol=1e-9)

    def test_borders_are_those_of_trimesh_too(self):
        s = sheet(lambda x, z: 0.02 * np.sin(40 * x) * np.cos(30 * z))
        fine = subdivided(s.topology)
        theirs, _ = trimesh.remesh.subdivide_loop(s.points, s.topology.triangles, iterations=1)
        ours = fine.weights @ s.points
        inside = np.abs(ours[:, [0, 2]]).max(axis=1) < 0.0999
        theirs = theirs[np.abs(theirs[:, [0, 2]]).max(axis=1) < 0.0999]
        order, other = (np.lexsort(np.round(p, 9).T) for p in (ours[inside], theirs))
        np.testing.assert_allclose(ours[inside][order], theirs[other], atol=1e-9)
        # A border stays in its plane.
        border = np.isclose(ours[:, 0], -0.1)
        self.assertGreater(border.sum(), 30)

    def test_on_the_keeper_every_point_is_a_mean_and_the_skin_stays_closed_and_near(self):
        mesh = open_demo("lock-keeper-bare")[0].mesh
        fine = subdivided(mesh.topology)
        np.testing.assert_allclose(np.asarray(fine.weights.sum(axis=1)).ravel(), 1, atol=1e-12)
        self.assertGreaterEqual(fine.weights.data.min(), 0)
        self.assertEqual(len(fine.triangles), 4 * len(mesh.topology.triangles))
        points = fine.weights @ mesh.rest.astype(float)
        coarse = trimesh.Trimesh(mesh.rest, mesh.topology.triangles, process=False)
        smooth = trimesh.Trimesh(points, fine.triangles, process=False)
        self.assertLess(abs(smooth.volume / coarse.volume - 1), 0.02)
        self.assertEqual(coarse.is_winding_consistent, smooth.is_winding_consistent)

    def test_a_lone_vertex_stays(self):
        fine = subdivided(Topology(4, np.array([[0, 1, 2]], np.int32)))
        points = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [5, 5, 5]])
        np.testing.assert_allclose((fine.weights @ points)[3], [5, 5, 5])
        np.testing.assert_allclose((fine.weights @ points)[4:], [[0.5, 0, 0], [0, 0.5, 0], [0.5, 0.5, 0]])
