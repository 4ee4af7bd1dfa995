"""Factors, and who lets go of them."""

import threading
import unittest
from unittest.mock import patch

import numpy as np
from scipy import sparse

from plethos.core.geometry import factor
from plethos.core.geometry.factor import Factor


class Kept:
    """As what SciPy gives: it says in which thread it was made and let go of."""

    def __init__(self, told):
        self.told, self.made_by = told, threading.get_ident()

    def solve(self, right):
        return 2 * right

    def __del__(self):
        self.told.append((self.made_by, threading.get_ident()))


class Factors(unittest.TestCase):
    def test_they_solve_what_numpy_solves(self):
        draw = np.random.default_rng(1)
        half = draw.normal(size=(20, 20))
        matrix, right = half @ half.T + 20 * np.eye(20), draw.normal(size=(20, 3))
        made = Factor(sparse.csr_matrix(matrix))
        np.testing.assert_allclose(made.solve(right), np.linalg.solve(matrix, right), atol=1e-12)
        np.testing.assert_allclose(made.solve(right[:, 0]), np.linalg.solve(matrix, right[:, 0]), atol=1e-12)

    def test_they_are_let_go_of_by_the_thread_that_made_them_wherever_the_last_reference_goes(self):
        told, made = [], []
        with patch.object(factor, "splu", lambda *_, **__: Kept(told)):
            for _ in range(4):
                thread = threading.Thread(target=lambda: made.append(Factor(sparse.eye_array(3).tocsc())))
                thread.start()
                thread.join()
        homes = [one._home for one in made]
        made.clear()
        for home in homes:
            home.made(int)  # after what it was given before
        self.assertEqual(len(told), 4)
        with self.assertRaises(RuntimeError), self.assertWarns(sparse.linalg.MatrixRankWarning):
            Factor(sparse.csc_matrix((3, 3)))
        self.assertTrue(all(made_by == gone_by != threading.get_ident() for made_by, gone_by in told), told)
