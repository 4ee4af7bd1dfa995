"""Badness: the table of bounds by hand, and what holds whatever is measured."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from plethos.core.measure.badness import BOUNDS, badness, badness_of
from plethos.core.measure.measured import Measured

VALUES = st.dictionaries(st.sampled_from(sorted(BOUNDS)), st.floats(0, 1e3), min_size=1)


class Badness(unittest.TestCase):
    def test_it_rises_from_the_bound_to_what_ruins_and_the_worst_measure_counts(self):
        for measured, percent, measure in (
            (Measured(96.0, 95.0), 0.0, "volume_loss"),
            (Measured(60.0, 95.0), 100.0, "volume_loss"),
            (Measured(115.7, None), 100 * 7.7 / 32, "volume_gain"),  # the keeper that was once proposed at an elbow
            (Measured(100.0, 100.0, most_girth=143.0), 100 * 28 / 45, "girth_gain"),
            (Measured(88.0, 40.0), 100 * 50 / 60, "girth_loss"),
            (Measured(80.0, 88.0, 4.0, 2.0), 100 * 15 / 35, "area_loss"),
            (Measured(99.0, 50.0, 4.0, 0.05), 100 * 40 / 60, "width_loss"),
            (Measured(99.0, 99.0, 4.0, 5.05), 50.0, "open_fill"),
        ):
            found = badness_of(measured)
            self.assertAlmostEqual(found.percent, percent, msg=measure)
            self.assertEqual(found.measure, measure)
        self.assertAlmostEqual(badness_of(Measured(98.0, 98.0), 25.5).percent, 50)
        self.assertEqual(badness_of(Measured(None, None)).measure, "")

    @given(VALUES, st.sampled_from(sorted(BOUNDS)), st.floats(0.01, 1e3))
    def test_what_gets_worse_is_never_told_as_better(self, values, name, more):
        before, after = badness(values), badness({**values, name: values.get(name, 0.0) + more})
        self.assertGreaterEqual(after.percent, before.percent)
        self.assertGreaterEqual(after.near, before.near)
        self.assertGreater(after.rank, before.rank)

    @given(VALUES)
    def test_wider_bounds_are_kinder_and_nothing_is_beyond_a_hundred(self, values):
        wider = {name: (2 * bound, 2 * ruined) for name, (bound, ruined) in BOUNDS.items()}
        self.assertLessEqual(badness(values, wider).percent, badness(values).percent)
        self.assertLessEqual(badness(values).percent, 100)
