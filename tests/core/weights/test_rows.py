"""Weights laid out where they are touched, against all of them laid out."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import sparse

from plethos.core.weights.rows import WeightRows
from tests.figures import tube


class Rows(unittest.TestCase):
    @given(st.integers(0, 2**31), st.lists(st.lists(st.integers(0, 29), min_size=1, max_size=6), max_size=4))
    @settings(max_examples=50, deadline=None)
    def test_they_are_as_if_all_were_laid_out(self, seed, writes):
        draw = np.random.default_rng(seed)
        dense = draw.uniform(size=(30, 4)) * (draw.uniform(size=(30, 4)) < 0.6)
        rows, other = WeightRows(sparse.csr_matrix(dense)), draw.uniform(size=(30, 4))
        wanted, over = dense.copy(), other.copy()
        for write in writes:
            vertices = np.unique(write)
            put = draw.uniform(size=(len(vertices), 4))
            put[::2] = wanted[vertices[::2]]  # touched and left as it is: another's counts
            rows[vertices] = wanted[vertices] = put
        changed = (wanted != dense).any(axis=1)
        over[changed] = wanted[changed]
        np.testing.assert_array_equal(rows[np.arange(30)], wanted)
        np.testing.assert_array_equal(rows.over().toarray(), wanted)
        np.testing.assert_array_equal(rows.over(sparse.csr_matrix(other)).toarray(), over)
        np.testing.assert_array_equal(np.stack([rows.column(j) for j in range(4)], axis=1), wanted)

    def test_the_mean_beside_is_that_of_the_mesh(self):
        character = tube()
        rows, some = WeightRows(character.binding.by_vertex), np.array([3, 40, 100])
        rows[np.array([41])] = np.full((1, 3), 1 / 3)
        wanted = character.mesh.topology.mean_beside(rows.over().toarray(), some)
        np.testing.assert_allclose(rows.mean_beside(character.mesh.topology, some), wanted, atol=1e-15)
