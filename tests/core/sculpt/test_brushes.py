"""Brushes beyond the first four: what they keep, what they move, and that crossing skin comes apart."""

import unittest
from dataclasses import replace

import igl
import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.geometry import rotations
from plethos.core.geometry.borders import border_vertices
from plethos.core.geometry.rotations import from_axis_angle
from plethos.core.geometry.topology import Topology
from plethos.core.measure.contact import fresh_pairs, intersecting_pairs
from plethos.core.measure.region import joint_region
from plethos.core.measure.travel import bent
from plethos.core.sculpt import BRUSHES, DRAGS
from plethos.core.sculpt.even_loop import _under as under_the_brush
from plethos.core.sculpt.even_loop import evenly
from plethos.core.sculpt.mirrored import PosedMirror
from plethos.core.sculpt.push_apart import pushed_apart
from plethos.core.sculpt.session import Dab, SculptSurface
from plethos.core.skeleton.symmetry import vertex_mirror
from tests.figures import tube, tube_points

SIDE = 0.1  # of the sheet: from -SIDE to SIDE


def sheet(height=lambda x, z: 0 * x, n: int = 21) -> SculptSurface:
    """A square sheet of quads, facing up, in the plane y = 0 unless bent up by `height`."""
    at = np.linspace(-SIDE, SIDE, n)
    x, z = (g.reshape(-1) for g in np.meshgrid(at, at, indexing="ij"))
    points = np.stack([x, height(x, z), z], axis=1)
    first = (np.arange(n - 1)[:, None] * n + np.arange(n - 1)).reshape(-1)
    triangles = np.concatenate([
        np.stack([first, first + 1, first + n + 1], axis=1), np.stack([first, first + n + 1, first + n], axis=1)
    ])  # fmt: skip
    return SculptSurface(Topology(len(points), triangles.astype(np.int32)), points.copy(), points)


def ball(middle, radius: float = 0.1) -> tuple[np.ndarray, np.ndarray]:
    found = trimesh.creation.icosphere(subdivisions=3, radius=radius)
    return np.asarray(found.vertices) + middle, np.asarray(found.faces)


def dab_at(s: SculptSurface, place, radius=0.05, strength=1.0, drag=(0.0, 0.0, 0.0)) -> Dab:
    middle = s.points[s.topology.triangles].mean(axis=1)
    triangle = int(np.argmin(np.linalg.norm(middle - place, axis=1)))
    return Dab(triangle, tuple(middle[triangle]), radius, strength, drag)


class EveryBrush(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(
        st.sampled_from(sorted(BRUSHES)),
        st.floats(-0.08, 0.08),
        st.floats(-0.08, 0.08),
        st.floats(0.01, 0.08),
        st.floats(-1, 1),
        st.integers(0, 2**31),
    )
    def test_stays_within_its_reach_and_its_region_and_says_what_it_moved(self, name, x, z, radius, strength, seed):
        rng = np.random.default_rng(seed)
        s = sheet(lambda a, b: 0.01 * np.sin(30 * a) * np.cos(25 * b))
        s.points[:] += 0.001 * rng.standard_normal(s.points.shape)
        s.within = (rng.random(len(s.points)) < 0.7).astype(np.float32)
        before = s.points.copy()
        dab = dab_at(s, [x, 0, z], radius, strength, tuple(0.02 * rng.standard_normal(3)))
        under = set(s.touch(dab).vertices.tolist())
        said = set(BRUSHES[name](s, dab).tolist())
        moved = set(np.flatnonzero((s.points != before).any(axis=1)).tolist())
        self.assertLessEqual(moved, said)
        self.assertLessEqual(moved, under)
        self.assertTrue((s.within[list(moved)] > 0).all())
        self.assertTrue(np.isfinite(s.points).all())

    def test_what_is_dragged_goes_by_the_whole_way_however_many_touches_there_were(self):
        for name in sorted(DRAGS):
            with self.subTest(name):
                one, many = sheet(lambda a, b: a * a), sheet(lambda a, b: a * a)
                last = dab_at(one, [0, 0, 0], drag=(0.01, 0.005, 0.0))
                BRUSHES[name](one, last)
                for part in (0.2, 0.5, 1.7, 1.0):
                    BRUSHES[name](many, replace(last, drag=tuple(part * np.array(last.drag))))
                np.testing.assert_allclose(many.points, one.points, atol=1e-12)
                self.assertGreater(np.abs(one.points - one.start).max(), 1e-3)


class Flatten(unittest.TestCase):
    def test_a_bump_goes_into_its_plane_and_turned_over_it_grows(self):
        for strength, more in ((1.0, False), (-0.5, True)):
            s = sheet(lambda a, b: 0.01 * np.exp(-(a**2 + b**2) / 0.0008))
            before = np.ptp(s.points[:, 1])
            BRUSHES["flatten"](s, dab_at(s, [0, 0.01, 0], 0.08, strength))
            self.assertEqual(np.ptp(s.points[:, 1]) > before, more)

    def test_a_plane_stays_to_the_bit_of_rounding_whichever_way_it_faces(self):
        s = sheet()
        turn = from_axis_angle([1.0, 2.0, 0.5], 1.1)
        s.points[:] = s.points @ rotations.to_matrix(turn).T
        before = s.points.copy()
        for _ in range(10):
            BRUSHES["flatten"](s, dab_at(s, [0, 0, 0], 0.06))
        np.testing.assert_allclose(s.points, before, atol=1e-12)


class DrawTogether(unittest.TestCase):
    def test_the_skin_gathers_in_its_plane_and_spreads_turned_over(self):
        for strength, less in ((0.8, True), (-0.8, False)):
            s = sheet()
            dab = dab_at(s, [0, 0, 0], 0.06, strength)
            under = s.touch(dab).vertices
            away = np.linalg.norm(s.points[under] - dab.at, axis=1).sum()
            BRUSHES["draw_together"](s, dab)
            self.assertEqual(np.linalg.norm(s.points[under] - dab.at, axis=1).sum() < away, less)
            np.testing.assert_allclose(s.points[:, 1], 0, atol=1e-12)

    def test_on_a_round_skin_each_vertex_stays_in_its_own_tangent_plane(self):
        points, triangles = ball([0, 0, 0])
        s = SculptSurface(Topology(len(points), triangles.astype(np.int32)), points.copy(), points)
        dab = dab_at(s, [0, 0.1, 0], 0.09, 1.0)
        under = s.touch(dab).vertices
        normals = s.normals(under)
        BRUSHES["draw_together"](s, dab)
        moved = s.points[under] - points[under]
        self.assertGreater(np.abs(moved).max(), 2e-3)
        np.testing.assert_allclose(np.einsum("nc,nc->n", moved, normals), 0, atol=1e-12)


class Slide(unittest.TestCase):
    def test_a_ball_stays_a_ball_while_its_edges_move(self):
        points, triangles = ball([0, 0, 0])
        s = SculptSurface(Topology(len(points), triangles.astype(np.int32)), points.copy(), points)
        volume = trimesh.Trimesh(points, triangles, process=False).volume
        BRUSHES["slide"](s, dab_at(s, [0, 0.1, 0], 0.07, 1.0, (0.02, 0.0, 0.0)))
        moved = np.linalg.norm(s.points - points, axis=1)
        self.assertGreater(moved.max(), 0.015)
        # Each place lies on the faceted ball of before (libigl's distance says so).
        off = igl.point_mesh_squared_distance(s.points, points, triangles.astype(np.int64))[0]
        self.assertLess(off.max(), 1e-18)
        now = trimesh.Trimesh(s.points, triangles, process=False).volume
        self.assertLess(abs(now / volume - 1), 2e-3)

    def test_dragged_off_along_the_normal_nothing_moves(self):
        s = sheet()
        BRUSHES["slide"](s, dab_at(s, [0, 0, 0], 0.05, 1.0, (0.0, 0.05, 0.0)))
        np.testing.assert_allclose(s.points, s.start, atol=1e-12)


class EvenLoop(unittest.TestCase):
    def test_points_come_to_even_steps_on_the_same_line(self):
        rng = np.random.default_rng(3)
        line = np.stack([np.sort(rng.random(12)), np.zeros(12), np.zeros(12)], axis=1)
        out = evenly(line, closed=False)
        np.testing.assert_allclose(np.diff(out[:, 0]), np.ptp(line[:, 0]) / 11, atol=1e-12)
        np.testing.assert_allclose(out[[0, -1]], line[[0, -1]], atol=1e-15)

    def test_a_closed_loop_is_evened_all_round_and_its_first_point_stays(self):
        turn = np.sort(np.random.default_rng(4).random(40)) * 2 * np.pi
        ring = np.stack([np.cos(turn), np.sin(turn), 0 * turn], axis=1)
        out = evenly(ring, closed=True)
        steps = np.linalg.norm(np.roll(out, -1, axis=0) - out, axis=1)
        self.assertLess(steps.max() / steps.min(), 1.1)
        np.testing.assert_allclose(out[0], ring[0], atol=1e-15)

    def test_the_stretch_of_the_loop_under_the_brush_is_evened_and_no_other_moves(self):
        s = sheet()
        n = 21
        row = 10 * n + np.arange(n)  # x = 0
        rng = np.random.default_rng(5)
        s.points[row[1:-1], 2] += 0.003 * (rng.random(n - 2) - 0.5)
        before = s.points.copy()
        dab = dab_at(s, [0.001, 0, 0.002], 0.05)
        dab = replace(dab, at=(0.0005, 0.0, 0.002))
        for _ in range(30):
            BRUSHES["even_loop"](s, dab)
        moved = np.flatnonzero((s.points != before).any(axis=1))
        self.assertTrue(set(moved.tolist()) <= set(row.tolist()))
        self.assertGreater(len(moved), 4)
        steps = np.diff(s.points[row, 2])[7:13]
        self.assertLess(steps.std(), 0.3 * np.diff(before[row, 2])[7:13].std())

    def test_the_longest_stretch_under_the_brush_counts_and_shares_say_how_far(self):
        loop, share = np.arange(12, dtype=np.int32), np.zeros(12)
        share[1:3], share[6:10] = 0.5, 0.8
        chain, shares, closed = under_the_brush(loop, share)
        self.assertEqual((chain.tolist(), closed), ([6, 7, 8, 9], False))
        np.testing.assert_array_equal(shares, 0.8)
        ring = np.append(np.arange(8, dtype=np.int32), np.int32(0))
        chain, _, closed = under_the_brush(ring, np.array([1, 1, 0, 0, 0, 0, 1, 1.0]))
        self.assertEqual((chain.tolist(), closed), ([6, 7, 0, 1], False))
        self.assertTrue(under_the_brush(ring, np.ones(8))[2])

    def test_where_the_brush_holds_half_it_goes_half_as_far(self):
        whole, half = sheet(), sheet()
        n = 21
        row = 10 * n + np.arange(n)
        off = 0.003 * (np.random.default_rng(5).random(n - 2) - 0.5)
        for s in (whole, half):
            s.points[row[1:-1], 2] += off
        half.within = np.full(len(half.points), 0.5, np.float32)
        before = whole.points.copy()
        for s in (whole, half):
            BRUSHES["even_loop"](s, replace(dab_at(s, [0.001, 0, 0.002], 0.05), at=(0.0005, 0.0, 0.002)))
        far = whole.points - before
        self.assertGreater(np.abs(far).max(), 1e-5)
        np.testing.assert_allclose(half.points - before, 0.5 * far, atol=1e-12)


class Push(unittest.TestCase):
    def test_faces_go_out_along_the_normal_they_have_in_common_and_in_when_turned_over(self):
        for strength in (1.0, -1.0):
            s = sheet()
            BRUSHES["push"](s, dab_at(s, [0, 0, 0], 0.06, strength, (0.0, 0.0, 0.03)))
            up = s.points - s.start
            np.testing.assert_allclose(up[:, [0, 2]], 0, atol=1e-12)
            # The way of the pointer, in its middle: 0.03 m.
            self.assertAlmostEqual(up[np.abs(up[:, 1]).argmax(), 1], 0.03 * strength, delta=0.002)


class PushApart(unittest.TestCase):
    def overlapping(self, apart: float):
        one, triangles = ball([0, 0, 0])
        two, _ = ball([apart, 0.003, 0.002])
        rest = np.concatenate([one, two + np.array([0.3, 0, 0])])
        points = np.concatenate([one, two])
        both = np.concatenate([triangles, triangles + len(one)]).astype(np.int32)
        return Topology(len(points), both), points, rest

    def test_two_balls_pressed_into_each_other_come_apart(self):
        topology, points, rest = self.overlapping(0.17)
        self.assertGreater(len(intersecting_pairs(points, topology.triangles)), 50)
        done = pushed_apart(topology, points, rest, np.ones(len(points)))
        self.assertEqual(done.left, 0)
        self.assertEqual(len(intersecting_pairs(done.points, topology.triangles)), 0)
        # Outside: libigl's winding number says that no vertex of either lies in the other.
        half = len(points) // 2
        faces = topology.triangles[: len(topology.triangles) // 2]
        one, two = (trimesh.Trimesh(done.points[k : k + half], faces, process=False) for k in (0, half))
        for a, b in ((one, two), (two, one)):
            inside = igl.fast_winding_number(a.vertices, a.faces.astype(np.int64), np.asarray(b.vertices))
            self.assertFalse((np.abs(inside) > 0.5).any())
        self.assertGreater(min(one.volume, two.volume), 0.9 * trimesh.Trimesh(*ball([0, 0, 0]), process=False).volume)

    def test_what_may_not_move_does_not_and_the_other_goes_all_the_way(self):
        topology, points, rest = self.overlapping(0.185)
        shares = np.ones(len(points))
        shares[: len(points) // 2] = 0
        done = pushed_apart(topology, points, rest, shares)
        np.testing.assert_array_equal(done.points[: len(points) // 2], points[: len(points) // 2])
        self.assertEqual(done.left, 0)

    def test_what_crosses_at_rest_is_left_alone(self):
        topology, points, _ = self.overlapping(0.17)
        done = pushed_apart(topology, points, points, np.ones(len(points)))
        np.testing.assert_array_equal(done.points, points)

    def test_a_tube_bent_into_itself_comes_apart_where_it_is_touched(self):
        character = tube(rings=61)
        upper = character.skeleton.find("upper")
        pose = bent(character.skeleton.rest_pose(), upper, np.array([0.0, 0, 1]), np.radians(110))
        posed = Evaluator.of(character).pose(pose).exact_points()
        mesh = character.mesh
        at_rest = intersecting_pairs(mesh.rest, mesh.topology.triangles)
        before = len(fresh_pairs(posed, mesh.topology.triangles, at_rest))
        self.assertGreater(before, 20)
        shares = np.zeros(len(mesh))
        shares[joint_region(character, upper, mesh.rest).vertices] = 1
        done = pushed_apart(mesh.topology, posed, mesh.rest, shares)
        self.assertEqual(len(fresh_pairs(done.points, mesh.topology.triangles, at_rest)), 0)
        np.testing.assert_array_equal(done.points[shares == 0], posed[shares == 0])
        # A brush at the fold gets there in a few touches too.
        s = SculptSurface(mesh.topology, posed.copy(), posed, at_rest=mesh.rest)
        crossing = fresh_pairs(posed, mesh.topology.triangles, at_rest)
        place = posed[mesh.topology.triangles[crossing[:, 0]]].mean(axis=(0, 1))
        for _ in range(30):
            BRUSHES["push_apart"](s, dab_at(s, place, 0.15))
        self.assertLess(len(fresh_pairs(s.points, mesh.topology.triangles, at_rest)), 0.1 * before)


class Through(unittest.TestCase):
    def test_a_sleeve_over_the_arm_comes_along_and_what_another_joint_moves_does_not(self):
        arm, triangles = tube_points(rings=31, around=24)
        middle = np.array([0, 0, 0])
        sleeve = middle + (arm - middle) * [1.1, 1.0, 1.1]
        points = np.concatenate([arm, sleeve]).astype(np.float64)
        both = np.concatenate([triangles, triangles + len(arm)]).astype(np.int32)
        s = SculptSurface(Topology(len(points), both), points.copy(), points)
        dab = dab_at(s, [0.1, 0.5, 0.0], radius=0.08)
        self.assertTrue((s.touch(dab).vertices < len(arm)).all())
        s.through = np.zeros(len(points), int)
        together = s.touch(dab)
        self.assertTrue((together.vertices >= len(arm)).any())
        s.through = np.repeat([0, 1], len(arm))
        self.assertTrue((s.touch(dab).vertices < len(arm)).all())


class Borders(unittest.TestCase):
    def test_open_edges_and_where_another_parts_edge_touches(self):
        s = sheet()
        border = border_vertices(s.topology, s.points)
        at_rim = np.isclose(np.abs(s.points[:, [0, 2]]).max(axis=1), SIDE)
        np.testing.assert_array_equal(border, at_rim)
        # A second sheet that stands on the first along x = 0: there the first has a border too.
        up = s.points[:, [1, 0, 2]] + [0, SIDE, 0]
        points = np.concatenate([s.points, up])
        triangles = np.concatenate([s.topology.triangles, s.topology.triangles + len(up)])
        border = border_vertices(Topology(len(points), triangles), points)
        np.testing.assert_array_equal(border[: len(up)], at_rim | np.isclose(s.points[:, 0], 0))
        # A vertex of the same sheet right beside the rim is no border.
        near = s.points.copy()
        inner = np.isclose(near[:, 0], -SIDE + 0.01) & (np.abs(near[:, 2]) < SIDE - 0.005)
        near[inner, 0] = -SIDE + 1e-5
        np.testing.assert_array_equal(border_vertices(s.topology, near), at_rim)
        points, triangles = ball([0, 0, 0])
        self.assertFalse(border_vertices(Topology(len(points), triangles.astype(np.int32)), points).any())


class Mirrored(unittest.TestCase):
    def setUp(self):
        one, _ = ball([0.15, 0, 0])
        self.points = np.concatenate([one, one * [-1, 1, 1]])
        self.twin = vertex_mirror(self.points)

    def test_the_plane_is_found_wherever_the_whole_stands(self):
        turn = rotations.to_matrix(from_axis_angle([1.0, -2.0, 0.7], 2.0))
        mirror = PosedMirror.of(self.points @ turn.T + [3, 4, 5], self.twin)
        self.assertAlmostEqual(abs(float(mirror.normal @ turn[:, 0])), 1, places=9)
        moved = np.zeros_like(self.points)
        moved[7] = turn @ [0.01, 0.02, 0.03]
        both = mirror.both(moved)
        np.testing.assert_allclose(both[7], moved[7], atol=1e-12)
        np.testing.assert_allclose(turn.T @ both[self.twin[7]], [-0.01, 0.02, 0.03], atol=1e-9)
        self.assertEqual((both != 0).any(axis=1).sum(), 2)

    def test_in_the_middle_nothing_goes_twice_as_far_and_only_along_the_plane(self):
        points = np.concatenate([self.points, [[0.0, 0.3, 0.0]]])
        mirror = PosedMirror.of(points, vertex_mirror(points))
        moved = np.zeros_like(points)
        moved[-1] = [0.05, 0.02, -0.01]
        np.testing.assert_allclose(mirror.both(moved)[-1], [0, 0.02, -0.01], atol=1e-12)

    def test_a_pose_that_is_not_the_same_on_both_sides_is_refused_and_so_is_what_has_no_sides(self):
        bent = self.points.copy()
        bent[: len(bent) // 2] += [0, 0.02, 0]
        with self.assertRaisesRegex(BadEditError, "not the same on both sides"):
            PosedMirror.of(bent, self.twin)
        with self.assertRaisesRegex(BadEditError, "no two sides"):
            PosedMirror.of(self.points, np.full(len(self.points), -1, np.int32))
