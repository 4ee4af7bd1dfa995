"""Factors of large sparse matrices."""

from __future__ import annotations

from typing import Any

from scipy import sparse
from scipy.sparse.linalg import splu


def symmetric_factor(matrix: sparse.csc_matrix | sparse.csr_matrix) -> Any:
    """The factors of a symmetric, positive definite matrix, by SuperLU, which lets go of the interpreter."""
    options = {"SymmetricMode": True}
    return splu(matrix.tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options=options)
