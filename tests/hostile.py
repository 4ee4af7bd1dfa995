"""A seeded mutator: files that are broken in ways that nobody thought of, and some that someone did."""

from __future__ import annotations

import copy
import json
import struct
from collections.abc import Iterator
from random import Random

from tests.figures import tube_file, tube_points

NASTY = (
    None, True, False, 0, -1, 1, 2, 1e300, -1e300, 1e-300, 3.5, float("nan"), float("inf"), 2**31, 2**53, -(2**31), 255,
    "", "x", "a\x00b", "\ud800", "0", [], {}, [[]], [None], [0], [{}], {"a": []}, [1e300] * 16, [0] * 16, ["x"] * 3,
    [0, 0, 0, 0], [-1, -1, -1], "VEC3", "MAT4", "SCALAR", 5121, 5123, 5126, 5125,
)  # fmt: skip


def _places(value: object, at: tuple[object, ...] = ()) -> Iterator[tuple[object, ...]]:
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        yield (*at, key)
        yield from _places(inner, (*at, key))


def _broken_document(draw: Random, document: dict) -> dict:
    out = copy.deepcopy(document)
    for _ in range(draw.choice((1, 1, 1, 2, 4))):
        places = list(_places(out))
        if not places:
            break
        *way, key = draw.choice(places)
        holder = out
        for step in way:
            holder = holder[step]
        kind = draw.randrange(6)
        if kind == 0:
            del holder[key]
        elif kind == 1 and isinstance(holder, list):
            holder.insert(key, copy.deepcopy(holder[key]))
        elif kind == 2 and isinstance(holder[key], int | float):
            holder[key] += draw.choice((-1, 1, 4, 1000))
        elif kind == 3:
            *way_, other = draw.choice(places)
            source = out
            try:
                for step in (*way_, other):
                    source = source[step]
                holder[key] = copy.deepcopy(source)
            except (KeyError, IndexError, TypeError):
                holder[key] = draw.choice(NASTY)
        else:
            holder[key] = copy.deepcopy(draw.choice(NASTY))
    return out


def _glb(document: object, binary: bytes) -> bytes:
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text
    if binary:
        chunks += struct.pack("<II", len(binary), 0x004E4942) + binary
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks


def _broken_bytes(draw: Random, data: bytes) -> bytes:
    out = bytearray(data)
    for _ in range(draw.choice((1, 3, 20))):
        kind, at = draw.randrange(4), draw.randrange(len(out) or 1)
        if kind == 0:
            out[at : at + 4] = struct.pack("<f", draw.choice((float("nan"), float("inf"), 1e38, -1e30, 0.0)))
        elif kind == 1:
            out[at : at + draw.randrange(1, 9)] = draw.randbytes(draw.randrange(9))
        elif kind == 2:
            del out[at : at + draw.choice((1, 4, 64))]
        else:
            out[at : at + 2] = b"\xff\xff"
    return bytes(out)


def _obj() -> list[str]:
    points, triangles = tube_points(rings=5, around=8)
    lines = [f"v {x} {y} {z}" for x, y, z in points.tolist()] + ["vt 0 0", "vn 0 0 1", "o tube"]
    return lines + [f"f {a + 1}/1/1 {b + 1}/1/1 {c + 1}/1/1" for a, b, c in triangles.tolist()]


def _broken_obj(draw: Random, lines: list[str]) -> bytes:
    out = list(lines)
    for _ in range(draw.choice((1, 3, 10))):
        at = draw.randrange(len(out))
        words = out[at].split() or [""]
        kind = draw.randrange(5)
        if kind == 0:
            words[draw.randrange(len(words))] = draw.choice(
                ("nan", "inf", "1e300", "-1", "0", "99999999999", "a/b/c", "\x00", "f", "1//1", "", "v", "1e-320")
            )
        elif kind == 1:
            words = words * draw.choice((2, 300))
        elif kind == 2:
            words = words[:1]
        elif kind == 3:
            words = ["".join(chr(draw.randrange(1, 0x2FF)) for _ in range(12))]
        else:
            out.insert(at, draw.choice(out))
            continue
        out[at] = " ".join(words)
    return "\n".join(out).encode("utf-8", "surrogatepass")


def hostile_files(seed: int, count: int, further: tuple[tuple[dict, bytes], ...] = ()) -> Iterator[tuple[str, bytes]]:
    """Names and bytes of broken files, always the same for a seed.

    Parameters
    ----------
    further
        Documents with their binary that are broken beside our own tube.
    """
    draw = Random(seed)
    tube = tube_file()
    sources = ((tube.document, tube.buffers[0]), *further)
    obj = _obj()
    for number in range(count):
        document, binary = draw.choice(sources)
        kind = draw.randrange(10)
        if kind < 6:
            yield f"document-{number}.glb", _glb(_broken_document(draw, document), binary)
        elif kind < 7:
            yield f"binary-{number}.glb", _glb(document, _broken_bytes(draw, binary))
        elif kind < 8:
            whole = _glb(document, binary)
            broken = _broken_bytes(draw, whole) if draw.random() < 0.5 else whole[: draw.randrange(len(whole))]
            yield f"bytes-{number}.glb", broken
        else:
            yield f"text-{number}.obj", _broken_obj(draw, obj)
