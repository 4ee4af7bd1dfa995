"""The compiled inner loop: shapes and skin in one pass over the vertices, float32, one thread.

The layout decides the speed: bones are rows of 12 floats, gathered into one flat accumulator; shapes are stored by
vertex (CSR), so an inactive shape costs a comparison only where it acts. Linear skinning is left out where
the skin blend is 1, dual quaternions where it is 0. `tests/core/test_kernels.py` holds it to `exact.py`.
"""

from __future__ import annotations

import numba as nb
import numpy as np

_f1 = nb.float32[::1]
_f2 = nb.float32[:, ::1]
_i1 = nb.int32[::1]
_i2 = nb.int32[:, ::1]


@nb.njit(
    nb.void(_f2, _i1, _i1, _f2, _f1, _i2, _f2, _f2, _f2, _f2, nb.boolean, _f1, _f2),
    cache=True,
    nogil=True,
    fastmath={"contract", "reassoc", "nsz"},
    boundscheck=False,
)
def deform(  # type: ignore[no-untyped-def]
    points,
    shape_offsets,
    shape_index,
    shape_deltas,
    activations,
    influences,
    weights,
    bones,
    duals,
    stretches,
    stretched,
    blend,
    out,
) -> None:
    """Posed points of all vertices.

    Parameters
    ----------
    points
        Rest points ``(V, 3)``.
    shape_offsets, shape_index, shape_deltas
        CSR by vertex: entries ``shape_offsets[v]:shape_offsets[v + 1]`` name a shape and its delta.
    activations
        ``(S,)`` one a shape.
    influences, weights
        ``(V, K)``.
    bones
        ``(B, 12)`` rows of the 3 x 4 skin matrices.
    duals, stretches, stretched
        ``(B, 8)`` and ``(B, 9)`` of `RigidBones`; `stretched` False skips the stretch.
    blend
        ``(V,)`` skin blend.
    out
        ``(V, 3)`` written in place.
    """
    count, most = influences.shape
    m = np.zeros(12, np.float32)
    q = np.zeros(8, np.float32)
    k9 = np.zeros(9, np.float32)
    for v in range(count):
        x = points[v, 0]
        y = points[v, 1]
        z = points[v, 2]
        for e in range(shape_offsets[v], shape_offsets[v + 1]):
            a = activations[shape_index[e]]
            if a != 0:
                x += a * shape_deltas[e, 0]
                y += a * shape_deltas[e, 1]
                z += a * shape_deltas[e, 2]
        share = blend[v]
        ox = np.float32(0)
        oy = np.float32(0)
        oz = np.float32(0)
        if share < 1:
            m[:] = 0
            for k in range(most):
                w = weights[v, k]
                if w != 0:
                    row = np.uint32(influences[v, k])
                    for c in range(12):
                        m[c] += w * bones[row, c]
            ox = m[0] * x + m[1] * y + m[2] * z + m[3]
            oy = m[4] * x + m[5] * y + m[6] * z + m[7]
            oz = m[8] * x + m[9] * y + m[10] * z + m[11]
        if share > 0:
            best = 0
            for k in range(1, most):
                if weights[v, k] > weights[v, best]:
                    best = k
            pivot = np.uint32(influences[v, best])
            q[:] = 0
            for k in range(most):
                w = weights[v, k]
                if w != 0:
                    row = np.uint32(influences[v, k])
                    dot = np.float32(0)
                    for c in range(4):
                        dot += duals[row, c] * duals[pivot, c]
                    if dot < 0:
                        w = -w
                    for c in range(8):
                        q[c] += w * duals[row, c]
            sx, sy, sz = x, y, z
            if stretched:
                k9[:] = 0
                for k in range(most):
                    w = weights[v, k]
                    row = np.uint32(influences[v, k])
                    for c in range(9):
                        k9[c] += w * stretches[row, c]
                sx = k9[0] * x + k9[1] * y + k9[2] * z
                sy = k9[3] * x + k9[4] * y + k9[5] * z
                sz = k9[6] * x + k9[7] * y + k9[8] * z
            norm = np.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3])
            inv = np.float32(1) / max(norm, np.float32(1e-12))
            i, j, n, r = q[0] * inv, q[1] * inv, q[2] * inv, q[3] * inv
            di, dj, dn, dr = q[4] * inv, q[5] * inv, q[6] * inv, q[7] * inv
            # v' = v + 2 r x (r x v + w v), plus twice the vector part of dual * conjugate(real)
            cx = j * sz - n * sy + r * sx
            cy = n * sx - i * sz + r * sy
            cz = i * sy - j * sx + r * sz
            two = np.float32(2)
            px = sx + two * (j * cz - n * cy) + two * (r * di - dr * i + j * dn - n * dj)
            py = sy + two * (n * cx - i * cz) + two * (r * dj - dr * j + n * di - i * dn)
            pz = sz + two * (i * cy - j * cx) + two * (r * dn - dr * n + i * dj - j * di)
            rest = np.float32(1) - share
            ox = rest * ox + share * px
            oy = rest * oy + share * py
            oz = rest * oz + share * pz
        out[v, 0] = ox
        out[v, 1] = oy
        out[v, 2] = oz
