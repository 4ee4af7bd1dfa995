"""Clips: interpolation as glTF 2.0 defines it, checked with SciPy."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import CubicHermiteSpline
from scipy.spatial.transform import Rotation, Slerp

from plethos.core.errors import BadFileError
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.rules import _without_helpers
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.travel import bent, clip_steps
from plethos.core.propose.held import Held
from plethos.core.propose.helpers import started
from plethos.core.rules.program import NONE
from plethos.core.rules.rules import Rules
from plethos.core.skeleton.clips import Clip, Track
from plethos.demo.catalogue import open_demo
from tests.figures import pair_file


class Tracks(unittest.TestCase):
    def test_rotations_go_the_shorter_way_as_scipy_slerps(self):
        keys = Rotation.random(4, rng=np.random.default_rng(3))
        values = keys.as_quat()
        values[2] *= -1  # the same rotation, written the other way round
        times = np.array([0.0, 0.4, 1.0, 1.5])
        track, slerp = Track("rotation", 0, times, values), Slerp(times, keys)
        for t in np.linspace(0, 1.5, 23):
            self.assertLess((Rotation.from_quat(track.at(t)) * slerp(t).inv()).magnitude(), 1e-7)

    def test_cubic_keys_are_a_hermite_spline(self):
        generator = np.random.default_rng(4)
        times, keys = np.array([0.0, 0.5, 2.0]), generator.normal(size=(3, 3, 3))
        # glTF stores in-tangent, value, out-tangent; with equal tangents it is SciPy's C1 spline.
        keys[:, 0] = keys[:, 2]
        track = Track("translation", 0, times, keys, "CUBICSPLINE")
        spline = CubicHermiteSpline(times, keys[:, 1], keys[:, 2])
        for t in np.linspace(0, 2, 17):
            np.testing.assert_allclose(track.at(t), spline(t), atol=1e-12)

    @given(st.integers(0, 2**31))
    @settings(max_examples=30, deadline=None)
    def test_tangents_that_differ_on_the_two_sides_of_a_key_each_count_on_their_own(self, seed):
        draw = np.random.default_rng(seed)
        times = np.cumsum(draw.uniform(0.1, 2, 4))
        keys = draw.normal(size=(4, 3, 3))
        track = Track("translation", 0, times, keys, "CUBICSPLINE")
        for i in range(3):
            # Between two keys: out of the one, into the other; a spline of SciPy for each stretch alone.
            spline = CubicHermiteSpline(times[i : i + 2], keys[i : i + 2, 1], [keys[i, 2], keys[i + 1, 0]])
            for t in draw.uniform(times[i], times[i + 1], 5):
                np.testing.assert_allclose(track.at(t), spline(t), atol=1e-12)
        for t, end in ((times[0] - 1, 0), (times[-1] + 1, -1)):
            np.testing.assert_array_equal(track.at(t), keys[end, 1])

    def test_steps_hold_and_ends_hold(self):
        track = Track("translation", 0, np.array([1.0, 2.0]), np.array([[1.0, 0, 0], [2.0, 0, 0]]), "STEP")
        self.assertEqual([track.at(t)[0] for t in (0.0, 1.5, 1.999, 2.0, 9.0)], [1, 1, 1, 2, 2])

    def test_a_clips_pose_is_relative_to_rest(self):
        character, _ = open_demo()
        clip = next(c for c in character.clips if c.name == "range of motion")
        start, later = clip.pose_at(character.skeleton, 0.0), clip.pose_at(character.skeleton, 0.6)
        elbow = character.skeleton.find("left_forearm")
        np.testing.assert_allclose(np.abs(start.rotations[:, 3]), 1, atol=1e-5)
        angle = np.degrees(2 * np.arctan2(later.rotations[elbow, 2], later.rotations[elbow, 3]))
        self.assertAlmostEqual(float(angle), 140, delta=0.5)
        self.assertEqual(Clip("still", 0.0, ()).pose_at(character.skeleton, 1.0).shape_weights, None)


class OverAClip(unittest.TestCase):
    def test_each_moment_is_measured_as_its_pose_is(self):
        character, _ = open_demo("lock-keeper-half-done")
        clip = next(c for c in character.clips if c.name == "crank a sluice")
        joint = character.skeleton.find("left_forearm")
        measure = BendMeasure.of(character, joint)
        times = [0.0, 0.7, clip.duration]
        steps = list(clip_steps(measure, clip, times))
        self.assertEqual([s.time for s in steps], times)
        for step in steps:
            pose = clip.pose_at(character.skeleton, step.time)
            self.assertEqual(
                (step.with_, step.without),
                (measure.with_skin(measure.evaluator.pose(pose).points), measure.at(pose, NONE)),
            )
        remedy = next(r for r in character.rules.remedies if r.name == "Left elbow bent")
        self.assertGreater(steps[1].activations[remedy.id], steps[0].activations[remedy.id] + 0.1)
        self.assertGreater(steps[1].with_.volume, steps[1].without.volume + 5)
        bare = character.with_rules(Rules())
        for step in clip_steps(BendMeasure.of(bare, joint), clip, times):
            self.assertEqual(step.with_, step.without)


class InFiles(unittest.TestCase):
    def test_two_keys_at_one_time_are_a_jump_and_times_that_go_back_are_refused(self):
        for times, read in (([0.0, 0.5, 0.5], True), ([0.0, 0.5, 0.4], False)):
            builder = GltfBuilder(pair_file())
            told = builder.accessor(np.array(times, np.float32), bounds=True)
            for sampler in builder.document["animations"][0]["samplers"]:
                sampler["input"] = told
            data = builder.file().pack()
            if read:
                (clip,) = read_character(parse(data), "Pair").clips
                self.assertEqual(clip.tracks[0].times.tolist(), times)
            else:
                with self.assertRaisesRegex(BadFileError, "forward in time"):
                    read_character(parse(data), "Pair")

    def test_keys_of_dials_stay_whatever_number_they_stand_beside(self):
        character = started(held_shin(), "half")
        helper = character.rules.remedies[-1].body.joint
        times, ramp = np.array([0.0, 1.0]), np.array([[0.0], [1.0]])
        turns = np.tile([0.0, 0.0, 0.0, 1.0], (2, 1))
        tracks = (Track("dial", helper, times, ramp, dial="wet"), Track("rotation", helper, times, turns))
        (kept,) = _without_helpers(character, (Clip("swim", 1.0, tracks),))
        self.assertEqual([t.channel for t in kept.tracks], ["dial"], "what a rule turns is not keyed too")


def held_shin():
    keeper = open_demo("lock-keeper-bare")[0]
    shin = keeper.skeleton.find("left_shin")
    return Held.of(keeper, shin, bent(keeper.skeleton.rest_pose(), shin, (0, 0, 1), 1.5))
