"""The compiled inner loops: shapes, then skin; float32, one thread.

The layout decides the speed. Vertices come sorted by how they are skinned (linear only, blended, dual quaternion
only; see `SkinLayout`), so that no branch is guessed wrong and memory is read in order. A bone is one row, read as one
vector register, so blending the influences of a vertex takes a multiply-add each. What is left of dual
quaternions is done for a block of vertices at a time, one component an array, so that the compiler
vectorises it. `tests/core/skin/test_skinning.py` holds it to `exact.py`.
"""

# mypy: disable-error-code="no-untyped-call, call-arg, var-annotated, misc, no-any-return, attr-defined"
from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numba as nb
import numpy as np
from llvmlite import ir
from numba.core import cgutils, types
from numba.extending import intrinsic

# Numba's disk cache sees changes of this file only: the vector code has to stay in the file of the kernel.
_f1 = nb.float32[::1]
_f2 = nb.float32[:, ::1]
_i1 = nb.int32[::1]
_i2 = nb.int32[:, ::1]
_FLAGS = ("contract", "reassoc", "nsz")
_FLOAT, _INDEX = ir.FloatType(), ir.IntType(32)
BLOCK = 64


def _pick(builder: Any, vector: Any, lanes: list[int]) -> Any:
    return builder.shuffle_vector(vector, vector, ir.Constant(ir.VectorType(_INDEX, len(lanes)), lanes))


def _fill(builder: Any, scalar: Any, width: int) -> Any:
    kind = ir.VectorType(_FLOAT, width)
    one = builder.insert_element(ir.Constant(kind, ir.Undefined), scalar, ir.Constant(_INDEX, 0))
    return _pick(builder, one, [0] * width)


def _blended_row(
    context: Any, builder: Any, kinds: Any, values: Any, spans: Sequence[tuple[int, int]], stride: int, hemisphere: bool
) -> list[Any]:
    """Code for ``sum_k weights[v, k] * rows[influences[v, k]]``, each span of a row as one vector.

    Parameters
    ----------
    spans
        Where each begins in a row and how many floats it has; what lies between them is not read.
    stride
        How many floats a row has.
    hemisphere
        A row whose first four floats point away from those of the first influence counts negative.
    """
    rows, influences, weights = (
        context.make_array(kind)(context, builder, value) for kind, value in zip(kinds[:3], values[:3], strict=True)
    )
    v = values[3]
    count = cgutils.unpack_tuple(builder, influences.shape)[1]
    first = builder.mul(v, count)

    def influence(k: Any) -> tuple[Any, list[Any]]:
        at = builder.add(first, k)
        row = builder.zext(builder.load(builder.gep(influences.data, [at])), v.type)
        begin = builder.mul(row, v.type(stride))
        vectors = []
        for offset, width in spans:
            place = builder.gep(rows.data, [builder.add(begin, v.type(offset))])
            vector = builder.bitcast(place, ir.VectorType(_FLOAT, width).as_pointer())
            vectors.append(builder.load(vector, align=4))
        return builder.load(builder.gep(weights.data, [at])), vectors

    def weighted(vector: Any, weight: Any) -> Any:
        return builder.fmul(vector, _fill(builder, weight, vector.type.count), flags=_FLAGS)

    weight, pivot = influence(v.type(0))
    totals = [cgutils.alloca_once_value(builder, weighted(vector, weight)) for vector in pivot]
    with cgutils.for_range_slice(builder, v.type(1), count, v.type(1), intp=v.type) as (k, _):
        weight, row = influence(k)
        if hemisphere:
            real = list(range(4))
            product = builder.fmul(_pick(builder, row[0], real), _pick(builder, pivot[0], real))
            sum_type = ir.FunctionType(_FLOAT, [_FLOAT, ir.VectorType(_FLOAT, 4)])
            add = cgutils.get_or_insert_function(builder.module, sum_type, "llvm.vector.reduce.fadd.v4f32")
            dot = builder.call(add, [_FLOAT(0), product], fastmath=("reassoc",))
            sign_type = ir.FunctionType(_FLOAT, [_FLOAT, _FLOAT])
            signed = cgutils.get_or_insert_function(builder.module, sign_type, "llvm.copysign.f32")
            weight = builder.call(signed, [weight, dot])
        for total, vector in zip(totals, row, strict=True):
            builder.store(builder.fadd(builder.load(total), weighted(vector, weight), flags=_FLAGS), total)
    return [builder.load(total) for total in totals]


def _floats(context: Any, builder: Any, result: Any, vector: Any) -> Any:
    lanes = [builder.extract_element(vector, ir.Constant(_INDEX, n)) for n in range(result.count)]
    return context.make_tuple(builder, result, lanes)


def _moved(builder: Any, added: Any, columns: Sequence[Any], point: Sequence[Any]) -> Any:
    """Code for `added` + the columns, four lanes each, times the coordinates of a point."""
    moved = added
    for column, coordinate in zip(columns, point, strict=True):
        more = builder.fmul(column, _fill(builder, coordinate, 4), flags=_FLAGS)
        moved = builder.fadd(moved, more, flags=_FLAGS)
    return moved


@intrinsic
def _linear(typing, columns, influences, weights, v, x, y, z):  # type: ignore[no-untyped-def]
    """Linear blend skinning of one point: blend the four padded columns ``(B, 16)``, then apply them."""
    given = types.UniTuple(types.float32, 3)(columns, influences, weights, v, x, y, z)

    def code(context, builder, signature, values):  # type: ignore[no-untyped-def]
        (blended,) = _blended_row(context, builder, signature.args, values, [(0, 16)], 16, False)
        *columns, added = (_pick(builder, blended, list(range(n, n + 4))) for n in (0, 4, 8, 12))
        return _floats(context, builder, signature.return_type, _moved(builder, added, columns, values[4:]))

    return given, code


@intrinsic
def _linear_three(typing, columns, influences, weights, v, points):  # type: ignore[no-untyped-def]
    """The same of three points in the plane z = 0, with the weights of vertex v: six floats in, nine out."""
    nine = types.UniTuple(types.float32, 9)

    def code(context, builder, signature, values):  # type: ignore[no-untyped-def]
        # What stands upright is never multiplied: the third column stays unread, a fifth of the time.
        turned, added = _blended_row(context, builder, signature.args, values, [(0, 8), (12, 4)], 16, False)
        columns = [_pick(builder, turned, list(range(n, n + 4))) for n in (0, 4)]
        given = cgutils.unpack_tuple(builder, values[4])
        lanes = []
        for first in (0, 2, 4):
            moved = _moved(builder, added, columns, given[first : first + 2])
            lanes += [builder.extract_element(moved, ir.Constant(_INDEX, n)) for n in range(3)]
        return context.make_tuple(builder, signature.return_type, lanes)

    return nine(columns, influences, weights, v, points), code


@intrinsic
def _dual(typing, duals, influences, weights, v):  # type: ignore[no-untyped-def]
    """Blended dual quaternion ``(8,)`` of one vertex, not normalised; the first influence decides the hemisphere."""
    given = types.UniTuple(types.float32, 8)(duals, influences, weights, v)

    def code(context, builder, signature, values):  # type: ignore[no-untyped-def]
        (blended,) = _blended_row(context, builder, signature.args, values, [(0, 8)], 8, True)
        return _floats(context, builder, signature.return_type, blended)

    return given, code


_OPTIONS: dict[str, Any] = {
    "cache": True,
    "nogil": True,
    "fastmath": {"contract", "reassoc", "nsz", "arcp"},
    "boundscheck": False,
    "error_model": "numpy",
}


@nb.njit(nb.void(_f2, _i1, _i1, _f2, _f1), **_OPTIONS)
def add_shapes(points, offsets, vertices, deltas, activations) -> None:  # type: ignore[no-untyped-def]
    """Add the active shapes to points, in place; an inactive shape costs nothing.

    Parameters
    ----------
    points
        ``(V, 3)``: rest points before, shaped points after.
    offsets, vertices, deltas
        By shape: entries ``offsets[s]:offsets[s + 1]`` name a vertex and its delta.
    activations
        ``(S,)`` one a shape.
    """
    for s in range(len(activations)):
        a = activations[s]
        if a != 0:
            for k in range(offsets[s], offsets[s + 1]):
                e = np.uint32(k)
                v = np.uint32(vertices[e])
                points[v, 0] += a * deltas[e, 0]
                points[v, 1] += a * deltas[e, 1]
                points[v, 2] += a * deltas[e, 2]


@nb.njit(nb.void(_f2, _i1, _i1, _f2, _f1, _i2, _f2, _f2), **_OPTIONS)
def pose_controls(points, offsets, vertices, deltas, activations, influences, weights, columns) -> None:  # type: ignore[no-untyped-def]
    """Pose control points of a drawing, three vertices each: shapes, then linear skinning, in place, in one call.

    A point and its handles follow the same, so their bones are blended once. All of it lies in the plane z = 0 at rest.

    Parameters
    ----------
    points
        ``(V, 3)``: rest points before, posed points after.
    offsets, vertices, deltas, activations
        As `add_shapes` has them, but the deltas ``(N, 2)``.
    influences, weights, columns
        As `deform` has them.
    """
    for s in range(len(activations)):
        share = activations[s]
        if share != 0:
            for k in range(offsets[s], offsets[s + 1]):
                e = np.uint32(k)
                to = np.uint32(vertices[e])
                points[to, 0] += share * deltas[e, 0]
                points[to, 1] += share * deltas[e, 1]
    for n in range(len(points) // 3):
        v = np.uint32(3 * n)
        a, b = v + np.uint32(1), v + np.uint32(2)
        (
            points[v, 0], points[v, 1], points[v, 2],
            points[a, 0], points[a, 1], points[a, 2],
            points[b, 0], points[b, 1], points[b, 2],
        ) = _linear_three(columns, influences, weights, 3 * n, (
            points[v, 0], points[v, 1], points[a, 0], points[a, 1], points[b, 0], points[b, 1],
        ))  # fmt: skip


@nb.njit(nb.void(_f2, _i2, _f2, _i1, nb.int64, nb.int64, _f1, _f2, _f2, _f2, _f2), **_OPTIONS)
def deform(  # type: ignore[no-untyped-def]
    shaped,
    influences,
    weights,
    order,
    dual_from,
    linear_until,
    blend,
    columns,
    duals,
    stretches,
    out,
) -> None:
    """Posed points of all vertices, given in the order of `SkinLayout`.

    Parameters
    ----------
    shaped
        Rest points ``(V, 3)`` with the shapes added.
    influences, weights
        ``(V, K)``, the largest weight first.
    order
        ``(V,)`` the row of `out` that each vertex is written to.
    dual_from, linear_until
        Vertices from `dual_from` use dual quaternions, those before `linear_until` linear skinning; between, both.
    blend
        ``(V,)`` skin blend.
    columns, duals
        ``(B, 16)`` and ``(B, 8)`` of `kinematics.bone_rows`.
    stretches
        ``(B, 9)`` of `RigidBones`, or ``(0, 9)`` when all bones are rigid.
    out
        ``(V, 3)`` written in place.
    """
    count = len(shaped)
    for v in range(linear_until):
        x, y, z = _linear(columns, influences, weights, v, shaped[v, 0], shaped[v, 1], shaped[v, 2])
        to = np.uint32(order[v])
        out[to, 0] = x
        out[to, 1] = y
        out[to, 2] = z
    if dual_from == count:
        return
    q0, q1, q2, q3, q4, q5, q6, q7, px, py, pz = np.empty((11, BLOCK), np.float32)
    k9 = np.empty(9, np.float32)
    for start in range(dual_from, count, BLOCK):
        size = min(BLOCK, count - start)
        for n in range(size):
            v = start + n
            q0[n], q1[n], q2[n], q3[n], q4[n], q5[n], q6[n], q7[n] = _dual(duals, influences, weights, v)
            x, y, z = shaped[v, 0], shaped[v, 1], shaped[v, 2]
            if len(stretches):
                k9[:] = 0
                for k in range(influences.shape[1]):
                    row = np.uint32(influences[v, k])
                    for c in range(9):
                        k9[c] += weights[v, k] * stretches[row, c]
                px[n] = k9[0] * x + k9[1] * y + k9[2] * z
                py[n] = k9[3] * x + k9[4] * y + k9[5] * z
                pz[n] = k9[6] * x + k9[7] * y + k9[8] * z
            else:
                px[n], py[n], pz[n] = x, y, z
        for n in range(size):
            i, j, k, r = q0[n], q1[n], q2[n], q3[n]
            x, y, z = px[n], py[n], pz[n]
            two = np.float32(2) / max(i * i + j * j + k * k + r * r, np.float32(1e-24))
            # v' = v + 2 u x (u x v + r v), plus twice the vector part of dual * conjugate(real)
            cx = j * z - k * y + r * x
            cy = k * x - i * z + r * y
            cz = i * y - j * x + r * z
            px[n] = x + two * (j * cz - k * cy + r * q4[n] - q7[n] * i + j * q6[n] - k * q5[n])
            py[n] = y + two * (k * cx - i * cz + r * q5[n] - q7[n] * j + k * q4[n] - i * q6[n])
            pz[n] = z + two * (i * cy - j * cx + r * q6[n] - q7[n] * k + i * q5[n] - j * q4[n])
        for n in range(size):
            v = start + n
            to = np.uint32(order[v])
            if v < linear_until:
                share = blend[v]
                rest = np.float32(1) - share
                out[to, 0] = rest * out[to, 0] + share * px[n]
                out[to, 1] = rest * out[to, 1] + share * py[n]
                out[to, 2] = rest * out[to, 2] + share * pz[n]
            else:
                out[to, 0] = px[n]
                out[to, 1] = py[n]
                out[to, 2] = pz[n]
