"""Measures against closed forms and trimesh."""

import unittest
from dataclasses import replace

import igl
import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.geometry.topology import boundary_loops
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.contact import fresh_pairs, intersecting_pairs
from plethos.core.measure.contact_counter import ContactCounter
from plethos.core.measure.depth import DepthField
from plethos.core.measure.girth import STATIONS, Slice, _loops, bone_directions
from plethos.core.measure.region import Region, region_volume
from plethos.core.measure.travel import bend_steps, bent, degrees_between
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.skin.mesh import Part, Triangles
from plethos.core.skin.shape import Shape
from plethos.demo.catalogue import open_demo
from tests.figures import tube, tube_points


class Volume(unittest.TestCase):
    def test_closed_meshes_agree_with_trimesh(self):
        for mesh in (trimesh.creation.box((1, 2, 3)), trimesh.creation.icosphere(3, 0.7)):
            t = np.asarray(mesh.faces, np.int32)
            region = Region(np.arange(len(mesh.vertices), dtype=np.int32), t, tuple(boundary_loops(t)), 1.0)
            self.assertAlmostEqual(region_volume(region, mesh.vertices), mesh.volume, places=10)

    def test_an_open_tube_is_capped(self):
        points, triangles = tube_points(around=200)
        side = triangles[: 20 * 200 * 2]
        region = Region(np.arange(len(points), dtype=np.int32), side, tuple(boundary_loops(side)), 1.0)
        self.assertEqual(len(region.loops), 2)
        # A cylinder: pi r^2 h, with 200 corners 0.02 % less.
        self.assertAlmostEqual(region_volume(region, points), np.pi * 0.01, delta=1e-5)

    def test_a_sheet_goes_round_no_volume_and_that_is_said(self):
        # A cape: the front of the tube, rolled out flat but for a slight wave.
        character = tube(softness=0.15)
        points = character.mesh.points.copy()
        points[:, 2] = 1e-4 * np.sin(40 * points[:, 0])
        flat = replace(character, mesh=replace(character.mesh, points=points, rest=points))
        bend = BendMeasure.of(flat, 2)
        measured = bend.at(bent(flat.skeleton.rest_pose(), 2, (0, 0, 1), 1.0))
        self.assertIsNone(measured.volume)
        self.assertIn("open sheet", bend.site.why[0])
        self.assertEqual(BendMeasure.of(character, 2).site.why, ())

    @given(st.integers(0, 2**31))
    @settings(max_examples=20, deadline=None)
    def test_volume_knows_no_place_no_turn_and_grows_with_the_cube(self, seed):
        draw = np.random.default_rng(seed)
        points, triangles = tube_points(rings=5, around=12)
        region = Region(np.arange(len(points), dtype=np.int32), triangles, tuple(boundary_loops(triangles)), 1.0)
        size, turn = draw.uniform(0.1, 10), Rotation.random(rng=draw).as_matrix()
        moved = size * points @ turn.T + draw.normal(size=3)
        ratio = region_volume(region, moved) / region_volume(region, points)
        self.assertAlmostEqual(ratio / size**3, 1, places=6)


class CoarseSkin(unittest.TestCase):
    """Skin of few vertices: one ring of edges bends, and slices are cut all the same."""

    def test_a_slice_through_three_triangles_is_a_loop(self):
        # A pyramid on its tip: a quarter of the way up its girth is that of a triangle a quarter as wide.
        wide = np.array([[0.3, 0, 0], [-0.15, 0, 0.26], [-0.15, 0, -0.26]])
        points = np.vstack([[[0, 0, 0]], wide + [0, 1, 0]])
        triangles = np.array([[0, 1, 2], [0, 2, 3], [0, 3, 1], [1, 3, 2]], np.int32)
        ((a, b, t),) = _loops(triangles, points[:, 1] - 0.25)
        self.assertEqual(len(a), 3)
        whole = 0.5 * np.linalg.norm(np.cross(wide[1] - wide[0], wide[2] - wide[0]))
        self.assertAlmostEqual(Slice(0.0, a, b, t).area(points), whole / 16, places=9)

    def test_a_tube_of_few_rings_has_a_girth(self):
        character = tube(softness=0.01, rings=4)
        bend = BendMeasure.of(character, 2)
        self.assertGreater(len(bend.site.slices), 0)
        self.assertEqual(bend.site.why, ())
        # A twist by a right angle: the middle of an edge between the rings shrinks to cos 45, that of a diagonal, which
        # is 15 degrees on, to cos 52.5 at the least; a girth is the square.
        girth = bend.at(bent(character.skeleton.rest_pose(), 2, (0, 1, 0), np.radians(90))).girth
        self.assertTrue(37 < girth < 50, girth)


class Slices(unittest.TestCase):
    def test_each_lies_square_across_its_bone_where_it_says(self):
        keeper = open_demo("lock-keeper-bare")[0]
        for character, name in ((tube(softness=0.15), "upper"), (keeper, "left_forearm"), (keeper, "right_shin")):
            joint = character.skeleton.find(name)
            site = BendMeasure.of(character, joint).site
            before, after = bone_directions(character.skeleton, joint)
            rest = character.mesh.rest[site.vertices].astype(float) - character.skeleton.rest_global[joint, :3, 3]
            self.assertGreater(len(site.slices), 3)
            stations = [s.station for s in site.slices]
            self.assertEqual(stations, sorted(set(stations)))
            for cut in site.slices:
                along = after if cut.station > 1e-9 else before if cut.station < -1e-9 else before + after
                heights = rest @ along / np.linalg.norm(along)
                on = heights[cut.a] * (1 - cut.t) + heights[cut.b] * cut.t
                np.testing.assert_allclose(on, cut.station, atol=1e-6)
                self.assertLessEqual(abs(cut.station), 0.75 * site.region.radius + 1e-12)


class Bend(unittest.TestCase):
    def setUp(self):
        self.character = tube(softness=0.15)
        self.rest = Evaluator.of(self.character).rest()
        self.measure = BendMeasure.of(self.character, self.character.skeleton.find("upper"))

    def test_rest_is_100_percent_and_bending_loses(self):
        angles = np.radians([0, 45, 90, 135]).tolist()
        steps = list(bend_steps(self.measure, self.character.skeleton.rest_pose(), (0, 0, 1), angles))
        volumes = [s.without.volume for s in steps]
        self.assertAlmostEqual(volumes[0], 100, places=3)
        self.assertAlmostEqual(steps[0].without.girth, 100, places=3)
        self.assertEqual(volumes, sorted(volumes, reverse=True))
        self.assertLess(volumes[-1], 97)

    def test_a_twist_pinches_by_the_square_of_the_cosine(self):
        # The slice in the middle is shared half and half: its radius shrinks by cos(t / 2), its area by the square.
        pose = bent(self.character.skeleton.rest_pose(), self.measure.joint, (0, 1, 0), np.radians(90))
        self.assertAlmostEqual(self.measure.at(pose).girth, 50, delta=1.0)

    def test_a_joint_that_bends_nothing_says_so(self):
        with self.assertRaisesRegex(BadEditError, "bends no skin"):
            _ = BendMeasure.of(self.character, 0).region

    def test_heat_shows_loss_inside_the_bend(self):
        field = DepthField.of(self.character, self.rest)
        skeleton = self.character.skeleton
        at_rest = field.change(self.rest, skeleton.rest_global[:, :3, 3])
        np.testing.assert_allclose(at_rest, 0, atol=1e-5)
        pose = bent(skeleton.rest_pose(), self.measure.joint, (0, 1, 0), np.radians(120))
        points = Evaluator.of(self.character).pose(pose).points
        change = field.change(points, skeleton.global_matrices(pose)[:, :3, 3])
        self.assertLess(change[np.abs(self.rest[:, 1] - 0.5) < 0.01].max(), -0.5)

    def test_volume_heat_is_the_same_at_any_size(self):
        changes = []
        for size in (1.0, 0.01):
            character = tube(root={"scale": [size] * 3})
            skeleton, evaluator = character.skeleton, Evaluator.of(character)
            field = DepthField.of(character, evaluator.rest().astype(np.float64))
            pose = bent(skeleton.rest_pose(), skeleton.find("upper"), (0, 0, 1), np.radians(100))
            changes.append(field.change(evaluator.pose(pose).points, skeleton.global_matrices(pose)[:, :3, 3]))
        np.testing.assert_allclose(changes[0], changes[1], atol=1e-3)
        self.assertLess(changes[0].min(), -0.3)


class Contact(unittest.TestCase):
    def test_two_known_pairs(self):
        points = np.array(
            [
                [0, 0, 0],
                [1, 0, 0],
                [0, 1, 0],
                [0.2, 0.2, -1],
                [0.2, 0.2, 1],
                [0.3, 0.1, 1],
                [5, 5, 5],
                [6, 5, 5],
                [5, 6, 5],
            ]
        )
        triangles = np.array([[0, 1, 2], [3, 4, 5], [6, 7, 8]], np.int32)
        np.testing.assert_array_equal(intersecting_pairs(points, triangles), [[0, 1]])

    def test_what_lies_in_one_plane_crosses_nothing_whatever_rounding_makes_of_it(self):
        for rings, around in ((6, 8), (5, 6), (9, 4), (3, 12)):
            points, triangles = tube_points(rings, around)
            self.assertEqual(len(intersecting_pairs(points, triangles)), 0)
            for seed in range(3):
                turn = Rotation.random(rng=np.random.default_rng(seed)).as_matrix()
                self.assertEqual(len(intersecting_pairs(points @ turn.T, triangles)), 0)

    def test_a_soup_of_triangles_agrees_with_libigl(self):
        # Reference: igl.tri_tri_overlap_test_3d (Guigue and Devillers) on every pair.
        generator = np.random.default_rng(8)
        centres = generator.uniform(-1, 1, (60, 1, 3))
        points = (centres + generator.normal(0, 0.3, (60, 3, 3))).reshape(-1, 3)
        triangles = np.arange(180, dtype=np.int32).reshape(-1, 3)
        corners = points[triangles][:, :, None]
        pairs = [[i, j] for i in range(60) for j in range(i + 1, 60)]
        theirs = [[i, j] for i, j in pairs if igl.tri_tri_overlap_test_3d(*corners[i], *corners[j])]
        ours = intersecting_pairs(points, triangles)
        self.assertGreater(len(theirs), 20)
        np.testing.assert_array_equal(ours[np.lexsort(ours.T[::-1])], theirs)

    def test_large_and_far_triangles_agree_with_libigl_too(self):
        generator = np.random.default_rng(9)
        spread = 0.3 * generator.normal(0, 1, (208, 3, 3))
        wide = 40 * generator.normal(0, 1, (8, 2, 3))
        # Large ones all through the others, so that they cross them; in any order.
        spread[200:] = np.concatenate([wide, -wide.sum(axis=1, keepdims=True)], axis=1)
        points = generator.uniform(-1, 1, (208, 1, 3)) + spread
        points[7] += [0, 1e7, 0]
        triangles = generator.permutation(np.arange(624, dtype=np.int32).reshape(-1, 3))
        large = triangles[:, 0] >= 600
        # A vertex that is shared by two large ones, and one of a small with a large one.
        (one, other, third), small = np.flatnonzero(large)[:3], np.flatnonzero(~large)[5]
        triangles[other, 0], triangles[small, 1] = triangles[one, 0], triangles[third, 2]
        flat = points.reshape(-1, 3)
        corners = flat[triangles][:, :, None]
        apart = [not set(triangles[i]) & set(triangles[j]) for i in range(208) for j in range(i + 1, 208)]
        pairs = [[i, j] for i in range(208) for j in range(i + 1, 208)]
        theirs = [
            p for p, ok in zip(pairs, apart, strict=True)
            if ok and igl.tri_tri_overlap_test_3d(*corners[p[0]], *corners[p[1]])
        ]  # fmt: skip
        self.assertGreater(sum(large[i] and large[j] for i, j in theirs), 5)
        self.assertGreater(sum(large[i] and not large[j] for i, j in theirs), 20)
        self.assertGreater(sum(large[j] and not large[i] for i, j in theirs), 20)
        ours = intersecting_pairs(flat, triangles)
        np.testing.assert_array_equal(ours[np.lexsort(ours.T[::-1])], theirs)

    def test_crossing_spheres_agree_with_brute_force(self):
        a, b = trimesh.creation.icosphere(2, 1.0), trimesh.creation.icosphere(2, 1.0)
        b.apply_translation([1.1, 0.13, 0.21])
        points = np.vstack([a.vertices, b.vertices])
        triangles = np.vstack([a.faces, b.faces + len(a.vertices)]).astype(np.int32)
        found = intersecting_pairs(points, triangles)
        self.assertTrue(((found[:, 0] < len(a.faces)) & (found[:, 1] >= len(a.faces))).all())
        # Every triangle of one sphere that lies partly inside the other has to be among them.
        planes = np.einsum("fi,fi->f", b.face_normals, b.triangles_center)
        cut = (a.vertices @ b.face_normals.T < planes).all(axis=1)  # b is convex
        self.assertTrue(0 < cut.sum() < len(cut))
        mixed = cut[a.faces].any(axis=1) & ~cut[a.faces].all(axis=1)
        self.assertTrue(set(np.flatnonzero(mixed)) <= set(found[:, 0]))
        self.assertEqual(len(np.unique(fresh_pairs(points, triangles, found))), 0)
        self.assertEqual(len(np.unique(fresh_pairs(points, triangles, found[:0]))), len(np.unique(found)))


class ManyTriangles(unittest.TestCase):
    def test_pairs_of_many_triangles_are_not_taken_for_each_other(self):
        # As 32-bit numbers the pairs (50000, 60000) and (3659, 69266) of 92682 triangles would be the same.
        count, one, other = 92682, (50000, 60000), (3659, 69266)
        self.assertEqual((one[0] * count + one[1]) % 2**32, (other[0] * count + other[1]) % 2**32)
        place = np.arange(count)
        corners = np.array([[0, 0, 0], [0.5, 0, 0], [0, 0.5, 0]], np.float32)
        spread = np.stack([2.0 * (place % 400), 2.0 * (place // 400), np.zeros(count)], axis=1).astype(np.float32)
        triangles = np.arange(3 * count, dtype=np.int32).reshape(-1, 3)

        def crossing(pair):
            points = (spread[:, None] + corners).copy()
            first = points[pair[0]]
            points[pair[1]] = first[0] + np.array([[0.1, 0.1, -0.2], [0.1, 0.1, 0.2], [0.3, 0.1, 0.2]], np.float32)
            return points.reshape(-1, 3)

        at_rest = intersecting_pairs(crossing(one), triangles)
        np.testing.assert_array_equal(at_rest, [one])
        np.testing.assert_array_equal(np.unique(fresh_pairs(crossing(other), triangles, at_rest)), sorted(other))
        self.assertEqual(len(np.unique(fresh_pairs(crossing(one), triangles, at_rest))), 0)


class Steps(unittest.TestCase):
    def test_steps_are_the_poses_measured_one_by_one(self):
        whole = tube(softness=0.3, rings=41)
        joint = whole.skeleton.find("upper")
        ring = np.flatnonzero(np.abs(whole.mesh.rest[:, 1] - 0.5) < 0.1).astype(np.int32)
        out = Shape("out", ring, (0.02 * whole.mesh.outward[ring]).astype(np.float32))
        trigger = HingeTrigger(joint, (0.0, 0.0, 1.0), Response((0.0, 1.5), (0.0, 1.0)), id="t")
        mended = whole.with_remedy(Remedy(Corrective.of(out), "out", by="t", id="r"), trigger)
        angles = degrees_between(-20, 100, 7)
        np.testing.assert_allclose(angles, np.radians([-20, 0, 20, 40, 60, 80, 100]))
        for character in (whole, mended):
            measure, held = BendMeasure.of(character, joint), character.skeleton.rest_pose()
            for angle, step in zip(angles, bend_steps(measure, held, (0.0, 0.0, 1.0), angles), strict=True):
                pose = bent(held, joint, (0.0, 0.0, 1.0), angle)
                self.assertEqual(step.angle, angle)
                np.testing.assert_array_equal(step.pose.rotations, pose.rotations)
                self.assertAlmostEqual(step.with_.volume, measure.at(pose).volume, places=4)
                self.assertAlmostEqual(step.without.volume, BendMeasure.of(whole, joint).at(pose).volume, places=4)
                expected = {"r": min(max(angle / 1.5, 0), 1)} if character is mended else {}
                self.assertEqual(step.activations.keys(), expected.keys())
                for remedy_id, value in expected.items():
                    self.assertAlmostEqual(step.activations[remedy_id], value, delta=6e-5)


class AgainstTrimesh(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.character = tube(softness=0.3, rings=41)
        cls.bend = BendMeasure.of(cls.character, cls.character.skeleton.find("upper"))

    def test_slices_at_rest_are_the_cross_sections_that_trimesh_cuts(self):
        character, site = self.character, self.bend.site
        whole = trimesh.Trimesh(character.mesh.rest, character.mesh.topology.triangles, process=False)
        at = character.skeleton.rest_global[self.bend.joint, :3, 3]
        self.assertEqual(len(site.slices), STATIONS)
        for cut, area in zip(site.slices, site.cuts.at_rest, strict=True):
            lines = trimesh.intersections.mesh_plane(whole, [0, 1, 0], at + [0, cut.station, 0])
            ends = lines - lines.mean(axis=(0, 1))
            # Convex, so that its triangles about the middle make it up.
            theirs = np.linalg.norm(np.cross(ends[:, 0], ends[:, 1]), axis=1).sum() / 2
            self.assertAlmostEqual(area / theirs, 1, places=5)
        # The slices of any points, near or far: packed as one by one.
        draw = np.random.default_rng(5)
        for far, kind in ((0.0, np.float64), (50.0, np.float64), (0.0, np.float32)):
            points = (draw.normal(size=(len(site.region.vertices), 3)) + far).astype(kind)
            theirs = [cut.area(points.astype(np.float64)) for cut in site.slices]
            np.testing.assert_allclose(site.cuts.areas(points), theirs, rtol=1e-4)
        np.testing.assert_allclose(np.diff([s.station for s in site.slices]), 1.5 * site.region.radius / 12, atol=1e-9)

    def test_the_heat_is_the_distance_to_the_nearest_of_three_bones(self):
        keeper, _ = open_demo("lock-keeper-bare")
        field = DepthField.of(keeper, keeper.mesh.rest)
        draw = np.random.default_rng(3)
        pose = keeper.skeleton.rest_pose()
        pose.rotations[:] = Rotation.from_rotvec(draw.normal(0, 0.3, (len(keeper.skeleton), 3))).as_quat()
        posed = Evaluator.of(keeper).pose(pose)
        places, rows = posed.world[:, :3, 3], draw.choice(len(keeper.mesh), 60, replace=False)
        ours = field.change(posed.points, places)[rows]
        parents = np.array(keeper.skeleton.joint_parents)
        for v, change in zip(rows.tolist(), ours.tolist(), strict=True):
            bones = field.bones[v]
            segments = np.stack([places[parents[bones]], places[bones]], axis=1)
            # Reference: points on the segments, thousandths apart.
            along = np.linspace(0, 1, 1001)[:, None, None]
            on = (1 - along) * segments[:, 0] + along * segments[:, 1]
            theirs = np.linalg.norm(on - posed.points[v], axis=2).min()
            self.assertAlmostEqual(change, np.clip(theirs**2 / field.rest[v] - 1, -1, 1), delta=2e-3)
        # At rest they are the nearest of all bones there are, each against the segment to its parent.
        real = np.flatnonzero(keeper.skeleton.is_joint & (parents >= 0))
        at = keeper.skeleton.rest_global[:, :3, 3]
        for v in rows[:20].tolist():
            on = (1 - along) * at[parents[real]] + along * at[real]
            away = np.linalg.norm(on - keeper.mesh.rest[v], axis=2).min(axis=0)
            nearest = np.sort(np.linalg.norm(on - keeper.mesh.rest[v], axis=2).min(axis=0))[:3]
            theirs = [away[np.flatnonzero(real == bone)[0]] for bone in field.bones[v]]
            np.testing.assert_allclose(theirs, nearest, atol=1e-4, err_msg="the nearest three, the nearest first")
            self.assertAlmostEqual(np.sqrt(field.rest[v]), max(away.min(), np.sqrt(field.least)), delta=1e-4)

    def test_contacts_of_a_pose_are_counted_without_those_of_rest(self):
        points, triangles = tube_points(rings=6, around=8)
        beside = points + np.float32([0.25, 0, 0])
        both = np.vstack([triangles, triangles + len(points)])
        character = self.character
        mesh = replace(
            character.mesh,
            parts=(Part("both", (0, 2 * len(points)), (0, 2 * len(points)), Triangles(both.astype(np.int32))),),
            points=np.vstack([points, beside]), rest=np.vstack([points, beside]),
            file_to_vertex=np.arange(2 * len(points), dtype=np.int32),
        )  # fmt: skip
        counter = ContactCounter.of(mesh)
        self.assertEqual(counter.count(mesh.rest), 0)
        crossed = np.vstack([points, points + np.float32([0.1, 0.01, 0.003])])
        count = counter.count(crossed)
        self.assertGreater(count, 20)
        # What was counted before is counted no other way after, even when the points were moved in place.
        self.assertEqual([counter.count(p) for p in (mesh.rest, crossed, mesh.rest, crossed)], [0, count, 0, count])
        moving = crossed.copy()
        self.assertEqual(counter.count(moving), count)
        moving[len(points) :] = beside
        self.assertEqual(counter.count(moving), 0)
        # A character that crosses itself like that at rest already is told nothing of it.
        self.assertEqual(ContactCounter.of(replace(mesh, rest=crossed)).count(crossed), 0)
        self.assertEqual(ContactCounter.of(replace(mesh, rest=crossed)).count(mesh.rest), 0)
