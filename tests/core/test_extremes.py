"""Compiled kernels on finite numbers as extreme as they come: `tests.extremes` in a process of its own."""

from __future__ import annotations

import os
import subprocess
import sys
import unittest

import numpy as np

from plethos.core.errors import BadPoseError
from plethos.core.evaluate import Evaluator
from plethos.core.measure.contact import intersecting_pairs
from plethos.core.skeleton.pose_files import pose_from_document
from plethos.launch.front import ROOT
from tests.figures import tube, tube_points


class KernelsOnExtremes(unittest.TestCase):
    def test_no_kernel_leaves_its_arrays(self):
        # Compiled with checks of every index, and kept: it takes longer than running it.
        own = {"NUMBA_BOUNDSCHECK": "1", "NUMBA_CACHE_DIR": str(ROOT / ".cache" / "kernels-checked")}
        command = [sys.executable, "-m", "tests.extremes", *"123456"]
        done = subprocess.run(command, cwd=ROOT, env={**os.environ, **own}, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, f"{command}\n{done.stderr[-3000:]}")


class Nowhere(unittest.TestCase):
    def test_a_pose_in_which_a_joint_lies_nowhere_is_refused_however_it_comes(self):
        character = tube()
        skeleton = character.skeleton
        for entry in ({"translation": [1e30, 0, 0]}, {"scale": [1, 1e10, 1]}, {"translation": [0, 0, -2e9]}):
            with self.assertRaisesRegex(BadPoseError, "far too large"):
                pose_from_document(skeleton, {"joints": {"lower": entry}})
        # One that no document tells: a clip's, or what rules make of it.
        pose = skeleton.rest_pose()
        for size, refused in ((9e8, False), (1.1e9, True), (1e30, True), (np.nan, True), (np.inf, True)):
            moved = np.zeros((len(skeleton), 3))
            moved[-1, 2] = size
            posed = Evaluator.of(character).pose(type(pose)(pose.rotations, moved))
            if refused:
                self.assertRaises(BadPoseError, lambda p=posed: p.points)
            else:
                self.assertTrue(np.isfinite(posed.points).all())
        for key in ("shapes", "dials"):
            with self.assertRaisesRegex(BadPoseError, "no huge one"):
                pose_from_document(skeleton, {"joints": {}, key: {"0": 1e10}})


class CountsThatEnd(unittest.TestCase):
    def test_a_torn_or_crumpled_skin_is_refused_after_bounded_work(self):
        points, triangles = tube_points(rings=160, around=60)
        points = points.astype(np.float64)
        scattered = points.copy()
        scattered[::7] += np.random.default_rng(1).normal(0, 1e6, (len(scattered[::7]), 3))
        for torn in (scattered, points * 0):
            with self.assertRaisesRegex(BadPoseError, "cannot be counted"):
                intersecting_pairs(torn, triangles)
        for far in (3e37, np.nan, -np.inf):
            points[5] = far
            with self.assertRaisesRegex(BadPoseError, "far too large"):
                intersecting_pairs(points, triangles)
        points[5] = 9e8
        self.assertGreater(len(intersecting_pairs(points, triangles)), 0)
