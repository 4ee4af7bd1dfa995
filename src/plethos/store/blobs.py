"""How arrays become bytes and back."""

from __future__ import annotations

import hashlib
import re
import struct
import zlib
from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
import zstandard
from numpy.typing import NDArray

HASH = re.compile("[0-9a-f]{64}")
KEY = np.dtype(">u8")
LEVEL = 3
LARGEST = 27  # log2 of the bytes of a window
ZSTD = b"\x28\xb5\x2f\xfd"


def digest(data: bytes) -> str:
    """The name that bytes are kept under."""
    return hashlib.sha256(data).hexdigest()


def hashes_of(value: Any) -> set[str]:
    """All strings in a document that look like a blob's hash."""
    # Every stroke asks, of a document of a thousand values: one after the other, and nothing is made for those without.
    found, left = set[str](), [value]
    while left:
        now = left.pop()
        if isinstance(now, str):
            if len(now) == 64 and HASH.fullmatch(now):
                found.add(now)
        elif isinstance(now, dict):
            left.extend(now.values())
        elif isinstance(now, list):
            left.extend(now)
    return found


def key_of(name: str) -> bytes:
    """What stands for a hash where many are looked through: its first eight bytes."""
    return bytes.fromhex(name[:16])


def keys_of(hashes: Iterable[str]) -> bytes:
    """The keys of some hashes, one after the other."""
    return b"".join(sorted(key_of(name) for name in hashes))


def squeeze(data: bytes, like: bytes | None = None) -> bytes:
    """Compress; with `like`, bytes much like these, only what differs takes room.

    At the level that finds long runs again wherever they stand: a millisecond for a pen stroke.
    """
    if like is None:
        return zstandard.ZstdCompressor(level=LEVEL).compress(data)
    window = max(len(data) + len(like), 1 << 20).bit_length()
    how = zstandard.ZstdCompressionParameters.from_level(LEVEL, window_log=min(window, LARGEST))
    return zstandard.ZstdCompressor(dict_data=_raw(like), compression_params=how).compress(data)


def unsqueeze(data: bytes, like: bytes | None = None) -> bytes:
    """What `squeeze` compressed, or zlib before it."""
    if data[:4] != ZSTD:
        return zlib.decompress(data)
    dictionary = None if like is None else _raw(like)
    return zstandard.ZstdDecompressor(dict_data=dictionary, max_window_size=1 << LARGEST).decompress(data)


def _raw(data: bytes) -> zstandard.ZstdCompressionDict:
    return zstandard.ZstdCompressionDict(data, dict_type=zstandard.DICT_TYPE_RAWCONTENT)


def pack(kind: str, *arrays: NDArray[Any]) -> bytes:
    """Arrays of a kind (see `core.arrays`) as bytes: a magic, counts, then the arrays in little-endian order."""
    return _PACKERS[kind](*arrays)


def unpack(data: bytes) -> tuple[NDArray[Any], ...]:
    """What `pack` packed."""
    return _UNPACKERS[data[:4]](data)


def pack_offsets(
    vertices: NDArray[np.int32], offsets: NDArray[np.floating], channels: NDArray[np.float32] | None = None
) -> bytes:
    """Sparse offsets: count, vertices ``(N,)`` int32, offsets ``(N, 3)`` in their own precision."""
    kind = np.dtype("<f8") if offsets.dtype == np.float64 else np.dtype("<f4")
    if channels is not None:
        plain = pack_offsets(vertices, offsets.astype(np.float32))
        return struct.pack("<4sI", b"off2", channels.shape[1]) + plain + channels.astype("<f4").tobytes()
    head = struct.pack("<4sII", b"off1", len(vertices), kind.itemsize)
    return head + vertices.astype("<i4").tobytes() + np.ascontiguousarray(offsets, kind).tobytes()


def unpack_offsets(data: bytes) -> tuple[NDArray[np.int32], NDArray[np.floating]]:
    """What `pack_offsets` packed."""
    magic, count, width = struct.unpack_from("<4sII", data)
    assert magic == b"off1"
    vertices = np.frombuffer(data, "<i4", count, 12).astype(np.int32)
    offsets = np.frombuffer(data, "<f8" if width == 8 else "<f4", 3 * count, 12 + 4 * count)
    return vertices, offsets.reshape(-1, 3).copy()


def _unpack_with_channels(data: bytes) -> tuple[NDArray[Any], ...]:
    _, width = struct.unpack_from("<4sI", data)
    vertices, offsets = unpack_offsets(data[8:])
    channels = np.frombuffer(data, "<f4", width * len(vertices), len(data) - 4 * width * len(vertices))
    return vertices, offsets, channels.reshape(-1, width).copy()


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


def pack_weld(file_to_vertex: NDArray[np.int32]) -> bytes:
    """Which vertex each file vertex is a copy of: count, ``(F,)`` int32."""
    return struct.pack("<4sI", b"wld1", len(file_to_vertex)) + file_to_vertex.astype("<i4").tobytes()


def unpack_weld(data: bytes) -> tuple[NDArray[np.int32]]:
    """What `pack_weld` packed."""
    magic, count = struct.unpack_from("<4sI", data)
    assert magic == b"wld1"
    return (np.frombuffer(data, "<i4", count, 8).astype(np.int32),)


def pack_motion(
    turned: NDArray[np.float32], places: NDArray[np.float32], slid: NDArray[np.float32] | None = None
) -> bytes:
    """A motion: counts, rotations ``(F, S, 4)``, places ``(F, 3)`` and, if there are any, slides ``(F, L, 3)``."""
    head = struct.pack("<4sII", b"mot1", *turned.shape[:2])
    plain = head + turned.astype("<f4").tobytes() + places.astype("<f4").tobytes()
    return plain if slid is None else plain + slid.astype("<f4").tobytes()


def unpack_motion(data: bytes) -> tuple[NDArray[np.float32], ...]:
    """What `pack_motion` packed."""
    magic, frames, joints = struct.unpack_from("<4sII", data)
    assert magic == b"mot1"
    turned = np.frombuffer(data, "<f4", 4 * frames * joints, 12).reshape(frames, joints, 4)
    places = np.frombuffer(data, "<f4", 3 * frames, 12 + turned.nbytes).reshape(frames, 3)
    slid = np.frombuffer(data, "<f4", offset=12 + turned.nbytes + places.nbytes)
    plain = (turned.copy(), places.copy())
    return (*plain, slid.reshape(frames, -1, 3).copy()) if len(slid) else plain


def pack_file(data: NDArray[np.uint8]) -> bytes:
    """A file as it is."""
    return b"fil1" + data.astype("u1").tobytes()


def unpack_file(data: bytes) -> tuple[NDArray[np.uint8]]:
    """What `pack_file` packed."""
    return (np.frombuffer(data, "u1", offset=4).copy(),)


_PACKERS: dict[str, Callable[..., bytes]] = {
    "offsets": pack_offsets,
    "shares": pack_shares,
    "weights": pack_weights,
    "weld": pack_weld,
    "motion": pack_motion,
    "file": pack_file,
}
_UNPACKERS: dict[bytes, Callable[[bytes], tuple[NDArray[Any], ...]]] = {
    b"off1": unpack_offsets,
    b"off2": _unpack_with_channels,
    b"wgt1": unpack_weights,
    b"reg1": unpack_shares,
    b"wld1": unpack_weld,
    b"mot1": unpack_motion,
    b"fil1": unpack_file,
}
