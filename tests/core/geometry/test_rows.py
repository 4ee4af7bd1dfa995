"""Distinct rows: against NumPy's own."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import array_shapes, arrays

from plethos.core.geometry.rows import distinct_rows

FEW = arrays(np.int64, array_shapes(min_dims=2, max_dims=2, max_side=9), elements=st.integers(-2, 2))


class DistinctRows(unittest.TestCase):
    @given(FEW)
    def test_they_are_those_of_numpy(self, rows):
        distinct, number = distinct_rows(rows)
        wanted, which = np.unique(rows, axis=0, return_inverse=True)
        np.testing.assert_array_equal(distinct, wanted)
        np.testing.assert_array_equal(number, which.ravel())
