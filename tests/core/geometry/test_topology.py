"""Meshes and their topology against libigl, trimesh and SciPy."""

import unittest
from dataclasses import replace

import igl
import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import csgraph, csr_matrix

from plethos.core.geometry.outlines import Outlines
from plethos.core.geometry.topology import (
    FARTHEST,
    Topology,
    boundary_loops,
    distance_over_surface,
    extent,
    is_somewhere,
    outward_normals,
    triangle_edges,
    vertex_normals,
)
from plethos.core.skin.mesh import Mesh, Part, Triangles
from tests.figures import tube_points


def torn(seed: int):
    """A bumpy ball from which some triangles were taken, its vertices renumbered: several holes, maybe pieces."""
    generator = np.random.default_rng(seed)
    ball = trimesh.creation.icosphere(2)
    kept = ball.faces[generator.random(len(ball.faces)) < 0.9]
    place = generator.permutation(len(ball.vertices))
    points = np.empty_like(ball.vertices)
    points[place] = ball.vertices * generator.uniform(0.8, 1.2, (len(ball.vertices), 1))
    return np.asarray(points), place[kept].astype(np.int32)


class AgainstOthers(unittest.TestCase):
    @given(st.integers(0, 2**31))
    @settings(max_examples=15, deadline=None)
    def test_edges_neighbours_and_pieces(self, seed):
        points, triangles = torn(seed)
        topology = Topology(len(points), triangles)
        theirs = trimesh.Trimesh(points, triangles, process=False)
        self.assertEqual(
            set(map(tuple, topology.edges.tolist())), set(map(tuple, np.sort(theirs.edges_unique, axis=1)))
        )
        adjacency = igl.adjacency_matrix(triangles.astype(np.int64))
        size = adjacency.shape[0]
        self.assertEqual(abs(topology.adjacency[:size, :size] - adjacency).max(), 0)
        offsets, around = topology.vertex_triangles
        for v in range(0, len(points), 7):
            own = set(around[offsets[v] : offsets[v + 1]].tolist())
            self.assertEqual(own, set(np.flatnonzero((triangles == v).any(axis=1)).tolist()))
        # Pieces may hang together by a single vertex.
        numbers = igl.vertex_components(triangles.astype(np.int64))
        used = np.unique(triangles)
        both = set(zip(topology.pieces[used].tolist(), numbers[used].tolist(), strict=True))
        self.assertEqual(len(both), len({a for a, _ in both}))
        self.assertEqual(len(both), len({b for _, b in both}))

    @given(st.integers(0, 2**31))
    @settings(max_examples=15, deadline=None)
    def test_borders_are_closed_loops_that_run_as_their_triangles_do(self, seed):
        _, triangles = torn(seed)
        directed = set(map(tuple, triangle_edges(triangles).tolist()))
        open_ones = {(a, b) for a, b in directed if (b, a) not in directed}
        loops = [loop.tolist() for loop in boundary_loops(triangles)]
        walked = [(a, b) for loop in loops for a, b in zip(loop, loop[1:] + loop[:1], strict=True)]
        self.assertEqual(len(walked), len(set(walked)))
        # Where two holes touch at a vertex a walk may go either way; all edges are walked once.
        self.assertEqual(set(walked), open_ones)

    def test_a_border_is_the_one_that_libigl_finds(self):
        ball = trimesh.creation.icosphere(2)
        cap = ball.faces[ball.triangles_center[:, 1] > 0.2].astype(np.int32)
        (ours,) = boundary_loops(cap)
        theirs = igl.boundary_loop(cap.astype(np.int64)).tolist()
        start = theirs.index(ours[0])
        self.assertIn(ours.tolist(), (theirs[start:] + theirs[:start], (theirs[start:] + theirs[:start])[::-1]))
        self.assertEqual(boundary_loops(ball.faces.astype(np.int32)), [])
        self.assertEqual(boundary_loops(np.zeros((0, 3), np.int32)), [])

    @given(st.integers(0, 2**31))
    @settings(max_examples=15, deadline=None)
    def test_normals_are_libigls_weighted_by_area(self, seed):
        points, triangles = torn(seed)
        used = np.unique(triangles)
        theirs = igl.per_vertex_normals(
            points, triangles.astype(np.int64), igl.PER_VERTEX_NORMALS_WEIGHTING_TYPE_AREA
        )  # fmt: skip
        ours = vertex_normals(points, triangles)
        np.testing.assert_allclose(ours[used], theirs[used], atol=1e-9)
        self.assertFalse(ours[np.setdiff1d(np.arange(len(points)), used)].any())

    def test_a_vertex_alone_has_no_normal_and_a_piece_inside_out_points_outwards(self):
        ball, far = trimesh.creation.icosphere(2), trimesh.creation.icosphere(1, radius=0.5)
        n = len(ball.vertices)
        points = np.vstack([ball.vertices, far.vertices + [5, 0, 0], [[9, 9, 9]]])
        inside_out = far.faces[:, ::-1] + n
        topology = Topology(len(points), np.vstack([ball.faces, inside_out]).astype(np.int32))
        normals = outward_normals(points, topology)
        self.assertGreater((normals[:n] * ball.vertices).sum(axis=1).min(), 0.9)
        self.assertGreater((normals[n:-1] * far.vertices).sum(axis=1).min(), 0.9 * 0.5)
        self.assertFalse(normals[-1].any())

    @given(st.integers(0, 2**31), st.floats(0.1, 2.0))
    @settings(max_examples=15, deadline=None)
    def test_distances_along_edges_are_those_of_bellman_and_ford(self, seed, limit):
        points, triangles = torn(seed)
        topology = Topology(len(points), triangles)
        seeds = np.zeros(len(points), bool)
        seeds[np.random.default_rng(seed).choice(triangles.ravel(), 3)] = True
        a, b = topology.edges.T
        graph = csr_matrix((np.linalg.norm(points[a] - points[b], axis=1), (a, b)), (len(points),) * 2)
        theirs = csgraph.bellman_ford(graph, directed=False, indices=np.flatnonzero(seeds)).min(axis=0)
        theirs[theirs > limit] = np.inf
        np.testing.assert_allclose(distance_over_surface(topology, points, seeds, limit), theirs, atol=1e-12)

    def test_the_mean_beside_is_trimeshs(self):
        ball = trimesh.creation.icosphere(2)
        topology = Topology(len(ball.vertices), np.asarray(ball.faces, np.int32))
        chosen = np.array([3, 17, 100])
        wanted = [ball.vertices[ball.vertex_neighbors[v]].mean(axis=0) for v in chosen]
        np.testing.assert_allclose(topology.mean_beside(np.asarray(ball.vertices), chosen), wanted, atol=1e-12)

    def test_pieces_and_growing(self):
        points, triangles = tube_points()
        both = np.vstack([triangles, triangles + len(points)]).astype(np.int32)
        topology = Topology(2 * len(points), both)
        self.assertEqual(topology.pieces.max(), 1)
        mask = np.zeros(2 * len(points), bool)
        mask[0] = True
        grown = topology.grow(mask, 50)
        self.assertEqual(grown.sum(), len(points))

    def test_what_is_too_far_away_or_no_number_is_nowhere(self):
        for value, there in (
            (0, True),
            (0.99 * FARTHEST, True),
            (-1.01 * FARTHEST, False),
            (np.nan, False),
            (np.inf, False),
        ):
            self.assertEqual(is_somewhere(np.array([[0.0, value, 1.0]])), there, value)
        self.assertTrue(is_somewhere(np.zeros((0, 3))))

    def test_the_extent_is_the_longest_side(self):
        self.assertEqual(extent(np.array([[0, 0, 0], [1, -2, 0.5], [0.3, 1, 0]])), 3)
        self.assertEqual(extent(np.zeros((0, 3))), 0)


class Meshes(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        """A ball, a box that lies mirrored, and outlines, of which the ball has two copies of some vertices."""
        ball, box = trimesh.creation.icosphere(1), trimesh.creation.box()
        n, m = len(ball.vertices), len(box.vertices)
        # Vertices 0 and 1 of the ball have a copy each at its end.
        faces = ball.faces.copy()
        faces[:5][faces[:5] == 0] = n
        faces[:5][faces[:5] == 1] = n + 1
        copies = np.concatenate([np.arange(n), [0, 1], n + np.arange(m), n + m + np.arange(6)]).astype(np.int32)
        points = np.vstack([ball.vertices, box.vertices * [-1, 1, 1] + [4, 0, 0], np.zeros((6, 3))]).astype(np.float32)
        cls.ball, cls.box, cls.n, cls.m = ball, box, n, m
        cls.mesh = Mesh(
            (
                Part("ball", (0, n), (0, n + 2), Triangles(faces.astype(np.int32))),
                Part("box", (n, n + m), (n + 2, n + 2 + m), Triangles(box.faces.astype(np.int32), True)),
                Part("lines", (n + m, n + m + 6), (n + m + 2, n + m + 8), Outlines(())),
            ),
            points,
            points,
            copies,
        )

    def test_triangles_join_at_copies_and_are_wound_as_seen_in_the_world(self):
        mesh, n = self.mesh, self.n
        whole = trimesh.Trimesh(mesh.rest, mesh.topology.triangles, process=False)
        self.assertTrue(whole.is_watertight and whole.is_winding_consistent)
        self.assertGreater(whole.volume, self.ball.volume + 0.9)
        self.assertEqual(mesh.topology.triangles.shape, (len(self.ball.faces) + 12, 3))
        # What is written is as the file has it: copies apart, nothing turned over.
        written = mesh.file_triangles
        np.testing.assert_array_equal(written[len(self.ball.faces) :], self.box.faces + n + 2)
        self.assertTrue((written[:5] >= n).any())
        np.testing.assert_array_equal(mesh.first_copies[[0, 1, n]], [0, 1, n + 2])

    def test_parts_know_their_vertices_and_triangles(self):
        mesh, n, m = self.mesh, self.n, self.m
        np.testing.assert_array_equal(np.bincount(mesh.part_numbers), [n, m, 6])
        own = mesh.triangles_of(mesh.part("box"))
        self.assertEqual(set(map(frozenset, own.tolist())), set(map(frozenset, self.box.faces.tolist())))
        self.assertEqual(len(mesh.triangles_of(mesh.part("lines"))), 0)
        self.assertEqual(len(mesh), n + m + 6)

    def test_areas_are_libigls_lumped_masses(self):
        mesh = self.mesh
        t = mesh.topology.triangles.astype(np.int64)
        theirs = igl.massmatrix(mesh.rest.astype(float), t, igl.MASSMATRIX_TYPE_BARYCENTRIC).diagonal()
        np.testing.assert_allclose(mesh.areas, np.pad(theirs, (0, len(mesh) - len(theirs))), atol=1e-12)

    def test_triangles_that_name_a_vertex_twice_are_left_out(self):
        mesh = self.mesh
        corners = np.array([[0, 2, self.n], [2, 3, 4]], np.int32)  # the copy of 0 is its third corner
        part = replace(mesh.parts[0], surface=Triangles(corners))
        joined = replace(mesh, parts=(part, *mesh.parts[1:]))
        self.assertEqual(len(joined.topology.triangles), 1 + 12)
        self.assertEqual(len(joined.file_triangles), 2 + 12)
