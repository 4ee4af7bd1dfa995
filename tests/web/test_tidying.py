"""Full garbage collections wait for a quiet moment."""

import gc
import unittest
import weakref
from unittest.mock import patch

from plethos.launch.tidying import AT_LATEST, MOST_GROWN, QUIET, Tidying


class Ring:
    def __init__(self):
        self.itself = self


class QuietMoments(unittest.TestCase):
    def setUp(self):
        self.addCleanup(gc.set_threshold, *gc.get_threshold())
        self.now = self.computed = 1000.0
        for name in ("monotonic", "process_time"):
            clock = patch(f"plethos.launch.tidying.time.{name}", side_effect=lambda n=name: self.clocks()[n])
            clock.start()
            self.addCleanup(clock.stop)
        self.grown = 0
        memory = patch("plethos.launch.tidying.held", side_effect=lambda: self.grown)
        memory.start()
        self.addCleanup(memory.stop)
        self.tidying = Tidying()

    def clocks(self):
        return {"monotonic": self.now, "process_time": self.computed}

    def after(self, seconds, computed):
        self.now += seconds
        self.computed += computed
        return self.tidying.look()

    def old_ring(self):
        """A circle that nobody holds any more, among what has been there for long."""
        ring = Ring()
        gc.collect(1)
        return weakref.ref(ring)

    def test_a_circle_stays_while_somebody_works_and_goes_in_the_first_quiet_moment(self):
        ring = self.old_ring()
        for _ in range(20):
            self.assertFalse(self.after(0.5, 0.2))
        # However much is made meanwhile, of the young: nothing looks through all of it.
        kept = [[] for _ in range(200_000)]
        self.assertFalse(self.after(0.6 * QUIET, 0.004))
        self.assertFalse(self.after(0.5, 0.2))
        self.assertFalse(self.after(0.6 * QUIET, 0.004))
        self.assertIsNotNone(ring())
        self.assertTrue(self.after(0.6 * QUIET, 0.004))
        self.assertIsNone(ring())
        self.assertEqual(len(kept), 200_000)

    def test_nothing_done_nothing_to_tidy(self):
        self.assertFalse(self.after(2 * QUIET, 0.001))
        self.after(0.5, 0.4)
        self.assertTrue(self.after(2 * QUIET, 0.001))
        self.assertFalse(self.after(2 * QUIET, 0.001))

    def test_what_grows_is_tidied_up_though_somebody_works(self):
        ring = self.old_ring()
        self.grown = MOST_GROWN - 1
        self.assertFalse(self.after(0.5, 0.2))
        self.grown = MOST_GROWN
        self.assertTrue(self.after(0.5, 0.2))
        self.assertIsNone(ring())
        self.assertFalse(self.after(0.5, 0.2), "it counts from what was left")

    def test_whoever_never_rests_is_tidied_up_behind_once_in_a_while(self):
        ring = self.old_ring()
        done = [self.after(60, 30) for _ in range(int(2.5 * AT_LATEST / 60))]
        self.assertEqual(sum(done), 2)
        self.assertIsNone(ring())
