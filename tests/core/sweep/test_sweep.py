"""The sweep: its poses, what it measures in them, and the spots that it finds, against closed forms."""

import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from plethos.core.errors import BadEditError
from plethos.core.evaluate import NONE, Evaluator
from plethos.core.measure.badness import badness
from plethos.core.measure.contact import fresh_pairs
from plethos.core.skeleton.clips import Clip, Track
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.kept_poses import KeptPose
from plethos.core.sweep.bounds import SHIPPED, bounds_from_json
from plethos.core.sweep.plan import Scope, Stop, Way
from plethos.core.sweep.reading import acting_on
from plethos.core.sweep.report import report, spot_id
from plethos.core.sweep.sweep import walked, ways_of
from plethos.core.sweep.sweeper import Sweeper
from plethos.demo.catalogue import open_demo
from tests.drawings import bar, laid, svg
from tests.figures import tube

UPPER, SOFT = 1, 0.25  # the joint of the tube, and over how much of its length the weights go over
ALONE = Scope(pairs=False, clips=())


def hinged(low=-90.0, high=120.0, others=None, rings=41):
    character = tube(softness=SOFT, rings=rings)
    upper = character.skeleton.find("upper")
    hinges = tuple(
        Hinge((0.0, 0.0, 1.0), math.radians(low), math.radians(high), others) if j == upper else None
        for j in range(len(character.skeleton))
    )
    return replace(character, skeleton=replace(character.skeleton, hinges=hinges))


def bent_points(points, angle):
    """The tube's points by linear skinning, worked out here: turned by `angle` about Z at half its height."""
    w = np.clip((points[:, 1] - 0.5) / SOFT + 0.5, 0, 1)[:, None]
    turn = np.array([[math.cos(angle), -math.sin(angle), 0], [math.sin(angle), math.cos(angle), 0], [0, 0, 1]])
    return (1 - w) * points + w * ((points - (0, 0.5, 0)) @ turn.T + (0, 0.5, 0))


class Plan(unittest.TestCase):
    def test_each_direction_goes_in_steps_to_the_very_end_and_past_it(self):
        forward, back = ways_of(hinged(-25, 60), {}, ALONE)
        np.testing.assert_allclose(np.degrees([s.at for s in forward.stops]), [10, 20, 30, 40, 50, 60, 66])
        np.testing.assert_allclose(np.degrees([s.at for s in back.stops]), [-10, -20, -25, -27.5])
        self.assertEqual([(w.direction, w.said) for w in (forward, back)], [(1, "file"), (-1, "file")])
        finer = next(iter(ways_of(hinged(-25, 60), {}, replace(ALONE, step=math.radians(30), past=0.0))))
        np.testing.assert_allclose(np.degrees([s.at for s in finer.stops]), [30, 60])

    def test_a_ball_joint_rolls_and_swings_too_and_what_nobody_told_is_guessed(self):
        others = ((-0.5, 0.7), (0.0, 0.0))
        ways = list(ways_of(hinged(others=others), {}, ALONE))
        self.assertEqual([w.axis for w in ways], [(0, 0, 1)] * 2 + [(0, 1, 0)] * 2)
        self.assertAlmostEqual(ways[2].stops[-2].at, 0.7)
        self.assertAlmostEqual(ways[3].stops[-2].at, -0.5)
        guessed = list(ways_of(tube(), {}, ALONE))
        self.assertEqual(
            {(w.said, round(math.degrees(w.stops[-2].at))) for w in guessed}, {("guessed", 90), ("guessed", -90)}
        )
        proposed = next(iter(ways_of(tube(), {2: Hinge((1.0, 0.0, 0.0), 0.0, 1.0)}, ALONE)))
        self.assertEqual((proposed.said, proposed.axis), ("proposed", (1.0, 0.0, 0.0)))

    def test_kept_poses_and_clips_are_walked_where_a_joint_turns_in_them(self):
        character = hinged()
        quaternion = [0.0, 0.0, math.sin(0.5), math.cos(0.5)]
        kept = (
            KeptPose("bent", {"joints": {"upper": {"quaternion_xyzw": quaternion}}}),
            KeptPose("rest", {"joints": {}}),
        )
        ways = list(ways_of(replace(character, poses=kept, clips=(swing(character),)), {}, Scope(joints=frozenset())))
        self.assertEqual(ways, [])
        ways = list(ways_of(replace(character, poses=kept, clips=(swing(character),)), {}, Scope()))
        self.assertEqual([(w.kind, w.name) for w in ways[2:]], [("kept_pose", "bent"), ("clip", "swing")])
        self.assertEqual(len(ways[3].stops), 11)
        self.assertEqual(list(ways_of(replace(character, clips=(swing(character),)), {}, ALONE))[2:], [])

    def test_what_cannot_be_swept_says_why(self):
        bare = tube()
        nothing = replace(bare, skeleton=replace(bare.skeleton, is_joint=np.zeros(len(bare.skeleton), bool)))
        with self.assertRaisesRegex(BadEditError, "no joints"):
            list(ways_of(nothing, {}, ALONE))
        rigid = tube(softness=1e-9)
        weights = np.zeros_like(rigid.binding.weights)
        weights[:, 0] = 1
        with self.assertRaisesRegex(BadEditError, "No joint bends any skin"):
            list(ways_of(replace(rigid, binding=replace(rigid.binding, weights=weights)), {}, ALONE))


def swing(character, peak=0.537, most=1.9):
    """A second in which the tube bends and comes back: furthest at `peak`, between two frames."""
    times = np.array([0.0, peak, 1.0])
    turns = [[0.0, 0.0, math.sin(a / 2), math.cos(a / 2)] for a in (0.0, most, 0.0)]
    return Clip("swing", 1.0, (Track("rotation", character.skeleton.find("upper"), times, np.array(turns)),))


class Measured(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.character = hinged()
        cls.sweeper = Sweeper.of(cls.character)
        cls.joint = cls.character.skeleton.find("upper")
        cls.way = next(iter(ways_of(cls.character, {}, ALONE)))
        cls.samples = list(cls.sweeper.samples(cls.way))

    def test_the_least_girth_of_a_blended_tube_is_the_cosine_of_half_the_angle(self):
        for sample in self.samples[:9]:
            lost = sample.bare[self.joint]["girth_loss"]
            self.assertAlmostEqual(lost, 100 * (1 - math.cos(sample.stop.at / 2)), delta=0.3)

    def test_the_volume_is_that_of_the_bent_solid_by_integration(self):
        sweeper = Sweeper.of(hinged(rings=121))
        place = sweeper.place(self.joint)
        low, high = (float(f(sweeper.character.mesh.rest[place.site.vertices, 1])) for f in (np.min, np.max))
        thirty = (np.arange(30) + 0.5) / 30
        r, a, y = np.meshgrid(0.1 * thirty, 2 * np.pi * thirty, np.linspace(low, high, 400))
        places, tiny = np.stack([(r * np.cos(a)).ravel(), y.ravel(), (r * np.sin(a)).ravel()], 1), 1e-6
        for sample in self.samples[2:9:3]:
            columns = [
                (bent_points(places + tiny * e, sample.stop.at) - bent_points(places - tiny * e, sample.stop.at))
                / (2 * tiny)
                for e in np.eye(3)
            ]
            volume = np.linalg.det(np.stack(columns, axis=2)).reshape(r.shape) * r
            volume = np.trapezoid(volume.mean(axis=(0, 1)), y[0, 0]) / np.trapezoid(r.mean(axis=(0, 1)), y[0, 0])
            lost = sweeper.sample(self.way, sample.stop).bare[self.joint]["volume_loss"]
            self.assertAlmostEqual(lost, 100 * (1 - volume), delta=0.25)

    def test_the_stretch_is_that_of_the_longest_edge(self):
        rest = self.character.mesh.rest.astype(float)
        inside = np.zeros(len(rest), bool)
        inside[self.sweeper.place(self.joint).site.vertices] = True
        edges = self.character.mesh.topology.edges
        edges = edges[inside[edges].all(axis=1)]
        before = np.linalg.norm(rest[edges[:, 0]] - rest[edges[:, 1]], axis=1)
        for sample in self.samples[::4]:
            now = bent_points(rest, sample.stop.at)
            ratio = np.linalg.norm(now[edges[:, 0]] - now[edges[:, 1]], axis=1) / before
            order = np.argsort(-ratio)
            most = ratio[order][np.searchsorted(np.cumsum(before[order]), 0.001 * before.sum(), side="right")]
            self.assertAlmostEqual(sample.bare[self.joint]["stretch"], most, places=4)

    def test_contacts_are_the_fresh_pairs_of_the_region_per_thousand_of_its_triangles(self):
        place, topology = self.sweeper.place(self.joint), self.character.mesh.topology
        sample = self.samples[-1]
        points = Evaluator.of(self.character).pose(sample.stop.pose, NONE).points
        pairs = fresh_pairs(points, topology.triangles, self.sweeper.crossings.at_rest)
        own = place.triangles[pairs].any(axis=1).sum()
        self.assertGreater(own, 20)
        self.assertAlmostEqual(sample.bare[self.joint]["contacts"], 1000 * own / place.triangles.sum())

    @given(st.floats(-2.5, 2.5), st.floats(-3, 3))
    @settings(max_examples=15, deadline=None)
    def test_looking_only_where_something_moved_finds_the_same(self, bend, roll):
        pose = self.character.skeleton.rest_pose()
        q = [0.0, math.sin(roll / 2) * math.cos(bend / 2), math.sin(bend / 2), math.cos(bend / 2) * math.cos(roll / 2)]
        pose = pose.with_rotation(self.joint, np.array(q) / np.linalg.norm(q))
        points = Evaluator.of(self.character).pose(pose, NONE).points
        crossings = self.sweeper.crossings
        every = fresh_pairs(points, self.character.mesh.topology.triangles, crossings.at_rest)
        self.assertEqual(set(map(tuple, every.tolist())), set(map(tuple, crossings.posed(points).fresh.tolist())))


def spots_on(character, bounds=SHIPPED):
    """All spots of the joints by themselves."""
    sweeper = Sweeper.of(character)
    return [s for way in ways_of(character, {}, ALONE) for s in walked(sweeper, way, bounds).spots]


class Spots(unittest.TestCase):
    def test_a_spot_begins_where_its_bound_is_passed_and_is_told_by_what_is_worst(self):
        girth = bounds_from_json({n: [998, 999] for n in ("volume_loss", "stretch", "contacts", "fold")})
        (spot, _) = spots_on(hinged(), girth)
        self.assertEqual(
            (spot.measure, spot.mended_badness, spot.bare_badness), ("girth_loss",) + (spot.bare_badness,) * 2
        )
        # cos(t / 2) = 0.9, and what is worst is at the end: 132 degrees, 59.3 % gone of 10 .. 70.
        self.assertAlmostEqual(math.degrees(spot.onset), math.degrees(2 * math.acos(0.9)), delta=0.6)
        self.assertAlmostEqual(spot.bare_badness, 100 * (100 * (1 - math.cos(math.radians(66))) - 10) / 60, delta=0.5)
        self.assertAlmostEqual(spot.place[1], 0.5, delta=0.1)

    def test_bounds_of_a_joint_go_before_those_of_the_character(self):
        spots = spots_on(hinged())
        wide = {name: [998, 999] for name in ("volume_loss", "girth_loss", "stretch", "fold", "contacts")}
        self.assertEqual(spots_on(hinged(), bounds_from_json({"joints": {"upper": wide}})), [])
        other = spots_on(hinged(), bounds_from_json({"joints": {"lower": wide}}))
        self.assertEqual([s.bare_badness for s in other], [s.bare_badness for s in spots])

    def test_bounds_that_make_no_sense_are_refused(self):
        for wrong, why in (
            ([], "told as"), ({"joints": []}, "told as"), ({"weight": [1, 2]}, "no measure called “weight”"),
            ({"volume_loss": 5}, "two numbers"), ({"volume_loss": [-1, 40]}, "over 0"),
            ({"stretch": [0.9, 3]}, "over 1,"),
            ({"volume_loss": [41, 40]}, "under what ruins"), ({"joints": {"upper": {"fold": [0, 1]}}}, "of “upper”"),
            ({"volume_loss": [5, float("nan")]}, "two numbers"),
        ):  # fmt: skip
            with self.subTest(wrong), self.assertRaisesRegex(BadEditError, why):
                bounds_from_json(wrong)

    def test_the_worst_moment_of_a_clip_is_found_between_its_frames(self):
        character = hinged()
        character = replace(character, clips=(swing(character),))
        sweeper = Sweeper.of(character)
        (way,) = (w for w in ways_of(character, {}, Scope()) if w.kind == "clip")
        (spot,) = walked(sweeper, way).spots
        self.assertAlmostEqual(spot.at, 0.537, delta=1 / 60)
        every = [clip_badness(sweeper, way, t) for t in np.arange(0, 1, 1 / 60)]
        self.assertGreaterEqual(spot.bare_badness, max(every) - 0.5)

    def test_a_report_is_sorted_and_adds_up(self):
        sweeper = Sweeper.of(hinged())
        found = [walked(sweeper, w) for w in ways_of(sweeper.character, {}, ALONE)]
        document = report(sweeper, found, bounds_from_json({}), "0" * 64)
        self.assertEqual([s["id"] for s in document["spots"]], ["joint:upper:z+:contact", "joint:upper:z-:loss"])
        self.assertEqual(document["poses"], 23)
        for which in ("bare", "with_remedies"):
            self.assertAlmostEqual(document["total"][which], sum(s["badness"][which] for s in document["spots"]))
        self.assertEqual(spot_id(sweeper, found[0].spots[0]), document["spots"][0]["id"])

    def test_a_drawing_is_swept_alike(self):
        character, _ = laid(svg(bar(points=9)))
        spots = spots_on(character)
        self.assertIn(spots[0].measure, ("area_loss", "width_loss", "open_fill"))


def clip_badness(sweeper, way, time):
    clip = sweeper.character.all_clips[0]
    stop = replace(way.stops[0], at=time, pose=clip.pose_at(sweeper.character.skeleton, time))
    return badness(sweeper.sample(way, stop).bare[way.joints[0]]).percent


class Reading(unittest.TestCase):
    def test_a_way_reads_what_turns_in_it_what_that_moves_and_what_is_always_on(self):
        character, _ = open_demo()
        sweeper, skeleton = Sweeper.of(character), character.skeleton
        rest = skeleton.rest_pose()

        def acting(joint):
            pose = rest.with_rotation(skeleton.find(joint), np.array([0.0, 0.0, 0.6, 0.8]))
            way = Way("joint", (skeleton.find(joint),), (Stop(1.0, pose),), (0.0, 0.0, 1.0), 1)
            return {r.name for r in acting_on(sweeper, way)}

        elbow, knee = acting("left_forearm"), acting("left_shin")
        self.assertIn("Left elbow bent", elbow - knee - acting("right_forearm"))
        self.assertIn("Left forearm twist 2", acting("left_hand") - elbow)
        # A knee cap is a helper; a blend is on whatever turns.
        self.assertIn("Left knee cap", knee - elbow)
        self.assertIn("Left hand full", knee & elbow)
