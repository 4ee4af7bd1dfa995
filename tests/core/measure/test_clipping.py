"""Stretch, folds and clipping of skin, against closed forms, trimesh and libigl's signed distance by normals."""

import unittest

import igl
import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plethos.core.measure.clipping import Crossings
from plethos.core.measure.signed_distance import Shell
from plethos.core.measure.skin_fields import SkinFields
from plethos.core.measure.strain import Strain
from plethos.core.skin.mesh import Mesh, Part, Triangles
from tests.figures import tube_points


def mesh_of(*solids):
    """A mesh of parts, one a solid of trimesh or points and triangles; inside-out where the triangles are."""
    parts, points, start = [], [], 0
    for number, solid in enumerate(solids):
        p, t = (solid.vertices, solid.faces) if hasattr(solid, "faces") else solid
        span = (start, start + len(p))
        parts.append(Part(f"part {number}", span, span, Triangles(np.asarray(t, np.int32))))
        points.append(np.asarray(p, np.float32))
        start += len(p)
    every = np.concatenate(points)
    return Mesh(tuple(parts), every, every, np.arange(len(every), dtype=np.int32))


def deepest(mesh, points, near=None):
    posed = Crossings(mesh).posed(points)
    return posed.deepest(posed.fresh[~posed.within_a_part], near)


class Strained(unittest.TestCase):
    triangles = np.array([[0, 1, 2], [1, 0, 3]], np.int32)

    def wing(self, degrees):
        """Two triangles at an edge of 2 along X, the second turned up to so many degrees from the first."""
        a = np.radians(degrees)
        return np.array([[-1, 0, 0], [1, 0, 0], [0, 1, 0], [0, np.cos(a), np.sin(a)]], float)

    def test_an_edge_is_folded_under_30_degrees_if_it_was_over_90(self):
        share = 100 * 2 / (2 + 4 * np.sqrt(2))
        for before, after, told in ((180, 29, share), (91, 29, share), (180, 31, 0), (89, 29, 0), (180, 331, share)):
            strain = Strain.of(self.triangles, self.wing(before))
            self.assertAlmostEqual(strain.fold(self.wing(after)), told, msg=f"{before} to {after}")
        self.assertIn(Strain.of(self.triangles, self.wing(180)).worst(self.wing(10), "fold"), (0, 1))

    def test_what_is_told_of_the_stretch_leaves_a_thousandth_of_the_length_out(self):
        points = np.array([[0, 0, 0], [1000, 0, 0], [0, 1, 0]], float)
        strain = Strain.of(np.array([[0, 1, 2]], np.int32), points)
        moved = points + [[0, 0, 0], [0, 0, 0], [0, 2, 0]]  # the edge of 1 is three times as long, one in 2001 of all
        self.assertAlmostEqual(strain.stretch(moved), 1.0, places=4)
        self.assertAlmostEqual(strain.ratios(moved).max(), 3)
        small = Strain.of(np.array([[0, 1, 2]], np.int32), points / (1000, 1, 1))
        self.assertAlmostEqual(small.stretch(moved / (1000, 1, 1)), 3)
        self.assertIn(small.worst(moved / (1000, 1, 1), "stretch"), (0, 2))

    @given(st.floats(0.2, 4), st.integers(0, 1000))
    @settings(max_examples=20, deadline=None)
    def test_turning_changes_nothing_and_growing_stretches_by_as_much(self, size, seed):
        points, triangles = tube_points()
        strain = Strain.of(triangles, points)
        moved = size * Rotation.random(random_state=seed).apply(points) + 7
        self.assertAlmostEqual(strain.stretch(moved), size, places=5)
        self.assertEqual(strain.fold(moved), 0)

    def test_nothing_has_neither(self):
        strain = Strain.of(np.zeros((0, 3), np.int32), np.zeros((0, 3)))
        self.assertEqual((strain.stretch(np.zeros((0, 3))), strain.fold(np.zeros((0, 3)))), (1, 0))


class Depth(unittest.TestCase):
    ball, slab = trimesh.creation.icosphere(3, 0.3), trimesh.creation.box((4, 1, 4))

    def sunk(self, mesh, by):
        """The first part lowered by so much."""
        points = mesh.rest.copy()
        points[slice(*mesh.parts[0].vertices), 1] -= by
        return deepest(mesh, points), points

    def test_distances_are_those_of_a_ball_and_of_libigl_by_normals(self):
        shell = Shell.of(np.asarray(self.ball.faces, np.int32))
        places = np.random.default_rng(3).uniform(-0.5, 0.5, (300, 3))
        found = shell.posed(self.ball.vertices).distances(places)
        np.testing.assert_allclose(found, np.linalg.norm(places, axis=1) - 0.3, atol=0.005)
        by_normals = igl.signed_distance(
            places, self.ball.vertices, self.ball.faces, igl.SIGNED_DISTANCE_TYPE_PSEUDONORMAL
        )
        np.testing.assert_allclose(found, by_normals[0], atol=1e-9)
        inside = places[found < 0]
        near = shell.posed(self.ball.vertices).distances_near(inside, self.ball.vertices[:1])
        np.testing.assert_allclose(near, found[found < 0], atol=1e-9)

    def test_a_ball_in_a_slab_is_as_deep_as_it_was_let_down(self):
        for faces in (self.slab.faces, self.slab.faces[:, ::-1]):  # also a slab that is wound inside out
            mesh = mesh_of((self.ball.vertices + (0, 1.0, 0), self.ball.faces), (self.slab.vertices, faces))
            for by in (0.25, 0.35):
                clipped, points = self.sunk(mesh, by)
                self.assertAlmostEqual(clipped.depth, by - 0.2, places=5)
                lowest = points[:, 1][: len(self.ball.vertices)].min()
                self.assertEqual(points[clipped.vertex, 1], lowest)
            self.assertIsNone(self.sunk(mesh, 0.15)[0])

    def test_what_touched_at_rest_counts_by_how_much_deeper_it_is(self):
        mesh = mesh_of((self.ball.vertices + (0, 0.75, 0), self.ball.faces), self.slab)
        clipped, _ = self.sunk(mesh, 0.1)
        self.assertAlmostEqual(clipped.depth, 0.1, places=5)

    def test_a_limb_in_a_sleeve_counts_where_it_comes_out_and_not_by_how_deep_it_is_in(self):
        (inner, t), (outer, s) = tube_points(radius=0.1), tube_points(radius=0.13)
        around = np.abs(outer[:, 1] - 0.5) < 0.31
        sleeve = s[around[s].all(axis=1)]
        mesh = mesh_of((inner, t), (outer, sleeve))
        points = mesh.rest.copy()
        points[: len(inner), 0] += 0.05
        clipped = deepest(mesh, points)
        # It goes 0.02 through the sleeve: the sleeve's skin lies so deep in it, the limb's nowhere where it did not.
        self.assertAlmostEqual(clipped.depth, 0.02, delta=0.001)
        self.assertGreaterEqual(clipped.vertex, len(inner))

    def test_only_what_is_near_counts(self):
        mesh = mesh_of((self.ball.vertices + (0, 1.0, 0), self.ball.faces), self.slab)
        points = mesh.rest.copy()
        points[: len(self.ball.vertices), 1] -= 0.3
        self.assertIsNone(deepest(mesh, points, np.zeros(len(mesh), bool)))
        self.assertAlmostEqual(deepest(mesh, points, mesh.rest[:, 1] < 0.72).depth, 0.1, places=5)

    def test_nothing_moved_crosses_nothing(self):
        mesh = mesh_of(self.ball, self.slab)
        self.assertEqual(len(Crossings(mesh).posed(mesh.rest).fresh), 0)
        self.assertIsNone(deepest(mesh, mesh.rest))


class Fields(unittest.TestCase):
    def test_each_field_is_where_its_measure_is(self):
        ball, slab = trimesh.creation.icosphere(3, 0.3), trimesh.creation.box((4, 1, 4))
        mesh = mesh_of((ball.vertices + (0, 1.0, 0), ball.faces), slab)
        fields, own = SkinFields(Crossings(mesh)), len(ball.vertices)
        points = mesh.rest.copy()
        points[:own, 1] -= 0.3
        depth = fields.at("clipping", points)
        # 0.1 of a height of 4 units in all.
        np.testing.assert_allclose(depth[:own].max(), 100 * 0.1 / 4, atol=1e-3)
        np.testing.assert_allclose(depth[:own], 25 * np.maximum(0.5 - points[:own, 1], 0), atol=1e-3)
        self.assertEqual(fields.at("contacts", points).max(), 0)
        np.testing.assert_allclose(fields.at("stretch", points), 0, atol=1e-5)
        np.testing.assert_allclose(fields.at("stretch", 1.5 * mesh.rest), 0.5, atol=1e-5)
        points[:own, 1] = mesh.rest[:own, 1].mean()  # flat as a coin: its rim is folded, edges along Y are gone
        self.assertGreater(fields.at("fold", points)[:own].sum(), 10)
        self.assertLess(fields.at("stretch", points)[:own].min(), -0.5)

    def test_skin_that_crosses_itself_is_told_from_two_parts_that_cross(self):
        points, triangles = tube_points()
        both = np.vstack([points, points + (0.5, 0, 0)])
        mesh = mesh_of((both, np.vstack([triangles, triangles + len(points)])))
        moved = mesh.rest.copy()
        moved[len(points) :, 0] -= 0.4
        fields = SkinFields(Crossings(mesh))
        self.assertGreater(fields.at("contacts", moved).sum(), 20)
        self.assertEqual(fields.at("clipping", moved).max(), 0)
