"""How arrays become bytes and back."""

from __future__ import annotations

import hashlib
import struct
import zlib

import numpy as np
from numpy.typing import NDArray


def digest(data: bytes) -> str:
    """The name that bytes are kept under."""
    return hashlib.sha256(data).hexdigest()


def squeeze(data: bytes) -> bytes:
    """Compress; level 1, since the waiting is for a pen stroke."""
    return zlib.compress(data, 1)


def unsqueeze(data: bytes) -> bytes:
    return zlib.decompress(data)


def pack_offsets(vertices: NDArray[np.int32], offsets: NDArray[np.floating]) -> bytes:
    """Sparse offsets: count, vertices ``(N,)`` int32, offsets ``(N, 3)`` in their own precision."""
    kind = np.dtype("<f8") if offsets.dtype == np.float64 else np.dtype("<f4")
    head = struct.pack("<4sII", b"off1", len(vertices), kind.itemsize)
    return head + vertices.astype("<i4").tobytes() + np.ascontiguousarray(offsets, kind).tobytes()


def unpack_offsets(data: bytes) -> tuple[NDArray[np.int32], NDArray[np.floating]]:
    """What `pack_offsets` packed."""
    magic, count, width = struct.unpack_from("<4sII", data)
    assert magic == b"off1"
    vertices = np.frombuffer(data, "<i4", count, 12).astype(np.int32)
    offsets = np.frombuffer(data, "<f8" if width == 8 else "<f4", 3 * count, 12 + 4 * count)
    return vertices, offsets.reshape(-1, 3).copy()


def pack_weights(joints: NDArray[np.int32], weights: NDArray[np.float32]) -> bytes:
    """Weights by joint: counts, joints ``(V, K)`` uint16, weights ``(V, K)`` float32."""
    head = struct.pack("<4sII", b"wgt1", *joints.shape)
    return head + joints.astype("<u2").tobytes() + np.ascontiguousarray(weights, "<f4").tobytes()


def unpack_weights(data: bytes) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """What `pack_weights` packed."""
    magic, count, most = struct.unpack_from("<4sII", data)
    assert magic == b"wgt1"
    joints = np.frombuffer(data, "<u2", count * most, 12).reshape(count, most)
    weights = np.frombuffer(data, "<f4", count * most, 12 + 2 * count * most).reshape(count, most)
    return joints.astype(np.int32), weights.copy()


def pack_shares(vertices: NDArray[np.int32], shares: NDArray[np.float32]) -> bytes:
    """A picked region: count, vertices ``(N,)`` int32, shares ``(N,)`` float32."""
    head = struct.pack("<4sI", b"reg1", len(vertices))
    return head + vertices.astype("<i4").tobytes() + shares.astype("<f4").tobytes()


def unpack_shares(data: bytes) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """What `pack_shares` packed."""
    magic, count = struct.unpack_from("<4sI", data)
    assert magic == b"reg1"
    vertices = np.frombuffer(data, "<i4", count, 8).astype(np.int32)
    return vertices, np.frombuffer(data, "<f4", count, 8 + 4 * count).astype(np.float32)
