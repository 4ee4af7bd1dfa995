"""Brushes."""

import unittest
from dataclasses import replace

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.geometry.topology import Topology
from plethos.core.sculpt import BRUSHES
from plethos.core.sculpt.session import Dab, SculptSurface
from tests.figures import tube_points


def surface(gap: float = 0.02):
    """Two tubes side by side with a small gap of air."""
    points, triangles = tube_points(rings=61, around=48)
    other = points + np.array([0.2 + gap, 0, 0])
    both = np.vstack([points, other]).astype(np.float64)
    topology = Topology(len(both), np.vstack([triangles, triangles + len(points)]).astype(np.int32))
    return SculptSurface(topology, both.copy(), both), len(points)


def dab_at(s: SculptSurface, place, radius=0.08, strength=0.5, drag=(0.0, 0.0, 0.0)) -> Dab:
    middle = s.points[s.topology.triangles].mean(axis=1)
    triangle = int(np.argmin(np.linalg.norm(middle - place, axis=1)))
    return Dab(triangle, tuple(middle[triangle]), radius, strength, drag)


class Reach(unittest.TestCase):
    def test_distance_runs_over_the_surface_and_never_through_the_air(self):
        s, count = surface()
        touched = s.touch(dab_at(s, [0.1, 0.5, 0.0]))
        self.assertGreater(len(touched.vertices), 50)
        self.assertTrue((touched.vertices < count).all())

    def test_distance_round_a_cylinder_is_that_of_the_unrolled_sheet(self):
        s, count = surface()
        dab = dab_at(s, [0.1, 0.5, 0.0], radius=0.2)
        touched = s.touch(dab)
        p = s.points[touched.vertices]
        # Closed form: a cylinder unrolls; arc length 0.1 * angle, height as it is.
        turn = np.arctan2(p[:, 2], p[:, 0]) - np.arctan2(dab.at[2], dab.at[0])
        sheet = np.hypot(0.1 * turn, p[:, 1] - dab.at[1])
        marched = dab.radius * np.sqrt(1 - np.sqrt(touched.shares))
        self.assertLess(np.abs(marched - sheet).max(), 0.04 * dab.radius)
        self.assertTrue((touched.vertices < count).all())

    def test_the_falloff_begins_where_it_is_set_to(self):
        s, _ = surface()
        soft = dab_at(s, [0.1, 0.5, 0.0], radius=0.2)
        fades = s.touch(soft)
        away = np.sqrt(1 - np.sqrt(fades.shares))  # of the radius, by the closed form of the plain falloff
        half, none = (s.touch(replace(soft, falloff=f)) for f in (0.5, 0.0))
        for touched in (half, none):
            np.testing.assert_array_equal(touched.vertices, fades.vertices)
        np.testing.assert_allclose(none.shares, 1)
        np.testing.assert_allclose(half.shares[away < 0.5], 1)
        self.assertGreater((away > 0.5).sum(), 20)
        np.testing.assert_allclose(half.shares[away > 0.5], (1 - (2 * away[away > 0.5] - 1) ** 2) ** 2, atol=1e-9)
        with self.assertRaises(BadEditError):
            s.touch(replace(soft, falloff=float("nan")))


class Brushes(unittest.TestCase):
    def test_inflate_grows_and_turned_over_shrinks(self):
        for sign in (1, -1):
            s, _ = surface()
            BRUSHES["inflate"](s, dab_at(s, [0.0, 0.5, 0.1], strength=0.5 * sign))
            out = np.linalg.norm(s.points[:, [0, 2]], axis=1) - np.linalg.norm(s.start[:, [0, 2]], axis=1)
            self.assertGreater(sign * out[np.argmax(np.abs(out))], 1e-4)

    def test_grab_follows_the_pointer_from_where_the_stroke_began(self):
        s, _ = surface()
        for way in (0.01, 0.05, 0.03):
            BRUSHES["grab"](s, dab_at(s, [-0.1, 0.5, 0.0], strength=1.0, drag=(-way, 0, 0)))
        self.assertAlmostEqual((s.start - s.points)[:, 0].max(), 0.03, delta=0.002)

    def test_smooth_flattens_a_spike(self):
        s, _ = surface()
        v = int(np.argmin(np.linalg.norm(s.points - [0, 0.5, -0.1], axis=1)))
        s.points[v, 2] -= 0.03
        before = abs(s.points[v, 2])
        for _ in range(5):
            BRUSHES["smooth"](s, dab_at(s, s.points[v], strength=0.8))
        self.assertLess(abs(s.points[v, 2]), before - 0.02)

    def test_put_back_returns_exactly(self):
        s, _ = surface()
        BRUSHES["inflate"](s, dab_at(s, [0.0, 0.5, 0.1], radius=0.05))
        self.assertGreater(np.abs(s.points - s.start).max(), 0)
        for _ in range(60):
            BRUSHES["put_back"](s, dab_at(s, [0.0, 0.5, 0.1], radius=0.2, strength=1.0))
        np.testing.assert_array_equal(s.points, s.start)

    def test_a_touch_outside_is_refused(self):
        s, _ = surface()
        with self.assertRaises(BadEditError):
            BRUSHES["smooth"](s, Dab(10**7, (0, 0, 0), 0.1, 1.0))
        with self.assertRaises(BadEditError):
            BRUSHES["smooth"](s, Dab(0, (float("nan"), 0, 0), 0.1, 1.0))
