"""Picked regions: loops on quads, pieces, borders; what they limit and what they measure."""

import unittest
from functools import cache

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.measure.picked import PickedPatch
from plethos.core.measure.travel import bent
from plethos.core.regions import pick
from plethos.core.regions.loops import QuadEdges
from plethos.core.skeleton.symmetry import vertex_mirror
from plethos.core.skin.picked import PICKED, PickedRegion
from plethos.demo.catalogue import open_demo
from tests.figures import tube

AROUND = 24  # vertices in a ring of the tube


@cache
def keeper():
    character, _ = open_demo("lock-keeper-bare")
    return character, Evaluator.of(character).rest()


class Loops(unittest.TestCase):
    def setUp(self):
        self.character = tube()
        self.points = self.character.mesh.points
        self.edges = QuadEdges(self.character.mesh.topology, self.points)

    def test_an_edge_round_the_tube_gives_its_ring_and_one_along_it_goes_from_end_to_end(self):
        ring = self.edges.loop(5 * AROUND + 3, 5 * AROUND + 4)
        self.assertEqual(sorted(ring.tolist()), list(range(5 * AROUND, 6 * AROUND)))
        along = self.edges.loop(5 * AROUND + 3, 6 * AROUND + 3)
        # It ends at the caps, where more than four edges meet.
        self.assertEqual(sorted(along.tolist())[:21], [r * AROUND + 3 for r in range(21)])
        self.assertLessEqual(len(along), 23)

    def test_the_nearest_edge_is_never_the_cut_through_a_quad(self):
        t = self.character.mesh.topology.triangles
        for triangle in (100, 101, 333):
            middle = self.points[t[triangle]].mean(axis=0)
            a, b = self.edges.nearest(triangle, middle, self.points)
            along = abs(int(a) // AROUND - int(b) // AROUND)
            self.assertIn((along, (a - b) % AROUND), [(0, 1), (0, AROUND - 1), (1, 0)])
        with self.assertRaisesRegex(BadEditError, "does not lie"):
            self.edges.nearest(10**6, self.points[0], self.points)

    def test_a_border_is_followed_along_it(self):
        character, rest = keeper()
        # The waist of the trousers is open: its rim is a loop of border edges.
        part = next(p for p in character.mesh.parts if p.name == "trousers")
        edges = QuadEdges(character.mesh.topology, rest)
        borders = [divmod(k, edges.size) for k in edges._borders]
        inside = [e for e in borders if part.vertices[0] <= e[0] < part.vertices[1]]
        top = max(inside, key=lambda e: rest[e[0], 1])
        loop = edges.loop(*top)
        self.assertGreater(len(loop), 20)
        self.assertLess(float(np.ptp(rest[loop, 1])), 0.1)

    def test_a_loop_round_the_knee_goes_round_once_and_closes(self):
        character, rest = keeper()
        body = character.mesh.parts[0]
        t = character.mesh.topology.triangles
        at = rest[t].mean(axis=1)
        own = (t[:, 0] < body.vertices[1]) & (at[:, 0] > 0)
        knee = character.skeleton.rest_global[character.skeleton.find("left_shin"), :3, 3]
        triangle = int(np.argmin(np.where(own, np.linalg.norm(at - knee - [0, 0, 0.06], axis=1), np.inf)))
        edges = QuadEdges(character.mesh.topology, rest)
        corners = t[triangle]
        level = min(
            ((a, b) for a in corners for b in corners if a < b), key=lambda e: abs(rest[e[0], 1] - rest[e[1], 1])
        )
        loop = edges.loop(int(level[0]), int(level[1]))
        self.assertLess(float(np.ptp(rest[loop, 1])), 0.06)
        angles = np.unwrap(np.arctan2(rest[loop, 0] - knee[0], rest[loop, 2] - knee[2]))
        self.assertAlmostEqual(abs(angles[-1] - angles[0]), 2 * np.pi, delta=0.6)


class Picking(unittest.TestCase):
    def test_pieces_parts_and_what_follows_a_joint(self):
        character, _ = keeper()
        part = next(p for p in character.mesh.parts if p.name == "cap")
        whole = pick.by_part(character, "cap")
        self.assertEqual(int(whole.sum()), part.vertices[1] - part.vertices[0])
        piece = pick.by_piece(character.mesh.topology, part.vertices[0])
        self.assertTrue((piece <= whole).all())
        follows = pick.by_joint(character, character.skeleton.find("head"), 0.6)
        np.testing.assert_array_equal(
            follows > 0, character.binding.joint_weights[:, character.skeleton.find("head")] >= 0.6
        )
        with self.assertRaisesRegex(BadEditError, "no part called"):
            pick.by_part(character, "crown")

    def test_add_take_and_only(self):
        old, new = np.array([1, 0.5, 0], np.float32), np.array([0, 1, 1], np.float32)
        np.testing.assert_array_equal(pick.combined(old, new, "add"), [1, 1, 1])
        np.testing.assert_array_equal(pick.combined(old, new, "take"), [1, 0, 0])
        np.testing.assert_array_equal(pick.combined(old, new, "only"), new)
        with self.assertRaisesRegex(BadEditError, "no way to pick"):
            pick.combined(old, new, "xor")

    def test_growing_takes_the_greatest_of_the_neighbours_and_goes_no_further(self):
        topology = tube().mesh.topology
        shares = np.random.default_rng(4).random(topology.count).astype(np.float32) ** 8
        wanted = shares.copy()
        for a, b in topology.edges.tolist():
            wanted[a], wanted[b] = max(wanted[a], shares[b]), max(wanted[b], shares[a])
        np.testing.assert_array_equal(pick.grown(topology, shares, 1), wanted)

    def test_growing_and_shrinking_go_ring_by_ring(self):
        character = tube()
        ring = pick.of_vertices(len(character.mesh.points), np.arange(8 * AROUND, 9 * AROUND))
        grown = pick.grown(character.mesh.topology, ring, 2)
        self.assertEqual(np.flatnonzero(grown).tolist(), list(range(6 * AROUND, 11 * AROUND)))
        np.testing.assert_array_equal(pick.shrunk(character.mesh.topology, grown, 2), ring)

    def test_a_soft_border_falls_evenly_over_its_width_and_half_way_at_the_border(self):
        character = tube()
        points = character.mesh.points
        upper = (points[:, 1] >= 0.5).astype(np.float32)
        soft = pick.softened(character.mesh.topology, points, upper, 0.2)
        rings = soft[: 21 * AROUND].reshape(21, AROUND)
        self.assertTrue((np.diff(rings.mean(axis=1)) >= -1e-6).all())
        np.testing.assert_allclose(np.ptp(rings, axis=1), 0, atol=1e-5)
        heights = np.linspace(0, 1, 21)
        np.testing.assert_array_equal(rings[heights < 0.39, 0], 0)
        np.testing.assert_array_equal(rings[heights > 0.61, 0], 1)
        between = rings[(heights > 0.41) & (heights < 0.59), 0]
        self.assertTrue(((between > 0) & (between < 1)).all())
        with self.assertRaisesRegex(BadEditError, "Nothing is picked"):
            pick.softened(character.mesh.topology, points, np.zeros_like(upper), 0.2)
        for width in (0, -1, float("nan")):
            with self.assertRaisesRegex(BadEditError, "width above 0"):
                pick.softened(character.mesh.topology, points, upper, width)
        whole = np.ones_like(upper)
        np.testing.assert_array_equal(pick.softened(character.mesh.topology, points, whole, 0.2), whole)
        with self.assertRaisesRegex(BadEditError, "no vertex 506"):
            pick.by_piece(character.mesh.topology, 506)
        with self.assertRaisesRegex(BadEditError, "no vertex -1"):
            pick.by_piece(character.mesh.topology, -1)
        self.assertEqual(pick.by_piece(character.mesh.topology, 0)[0], 1)

    def test_the_mirror_image_is_picked_too(self):
        character, rest = keeper()
        twin = vertex_mirror(rest)
        one = pick.by_joint(character, character.skeleton.find("left_shin"), 0.5)
        both = pick.mirrored_too(one, twin)
        paired = twin >= 0
        np.testing.assert_array_equal(both[paired], both[twin[paired]])
        self.assertGreater(both.sum(), 1.9 * one.sum())
        np.testing.assert_array_equal(both, np.maximum(one, np.where(paired, one[twin], one)))
        np.testing.assert_array_equal(pick.mirrored_too(both, twin), both)

    def test_regions_are_kept_by_name_and_an_empty_one_is_none(self):
        character = tube()
        shares = np.linspace(0, 1, len(character.mesh.points)).astype(np.float32)
        kept = character.with_region("upper half", shares).with_region(PICKED, 1 - shares)
        np.testing.assert_allclose(kept.region("upper half"), shares, atol=1.1e-3)
        self.assertEqual([r.name for r in kept.regions], ["upper half", PICKED])
        self.assertEqual([r.name for r in kept.with_region(PICKED, 0 * shares).regions], ["upper half"])
        np.testing.assert_array_equal(character.region(), 0)
        with self.assertRaisesRegex(BadEditError, "no region called"):
            character.region("lower half")
        region = PickedRegion.of("x", np.array([0, 0.5, 1e-5, 2]))
        self.assertEqual((region.vertices.tolist(), region.shares.tolist()), ([1, 3], [0.5, 1.0]))


class Used(unittest.TestCase):
    def test_the_volume_of_a_region_is_measured_against_rest(self):
        character = tube()
        upper = character.skeleton.find("upper")
        rest = Evaluator.of(character).rest()
        marked = character.with_region(PICKED, np.ones(len(rest), np.float32))
        patch = PickedPatch.of(marked, rest)
        # A prism of 24 sides, by its closed form.
        area = 0.5 * AROUND * 0.1**2 * np.sin(2 * np.pi / AROUND)
        self.assertAlmostEqual(patch.volume, area * 1.0, places=6)
        self.assertAlmostEqual(patch.volume_percent(rest), 100, places=4)
        bend = (
            Evaluator.of(character).pose(bent(character.skeleton.rest_pose(), upper, (0, 0, 1), np.radians(100))).points
        )
        self.assertLess(patch.volume_percent(bend), 99)
        # One flat triangle holds nothing.
        flat = character.with_region(PICKED, pick.of_vertices(len(rest), character.mesh.topology.triangles[50]))
        self.assertIsNone(PickedPatch.of(flat, rest).volume_percent(rest))
        # Nor do vertices without a triangle between them, or nothing at all.
        for lone in ([7], []):
            patch = PickedPatch.of(character.with_region(PICKED, pick.of_vertices(len(rest), lone)), rest)
            self.assertEqual((patch.volume, patch.volume_percent(rest)), (0.0, None))
