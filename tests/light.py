"""The lock keeper with a sixth of his triangles, for tests of the screen that ask nothing of how fine he is."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray
from trimesh.graph import connected_components

from plethos.core.formats.gltf_build import ELEMENT_ARRAY_BUFFER, GltfBuilder
from plethos.core.formats.gltf_parse import parse
from plethos.demo.catalogue import shipped


@cache
def light_keeper() -> bytes:
    """His body alone, as it was before it was subdivided for the last time; joints, weights and clips are the same."""
    file = parse(shipped("lock-keeper-bare"))
    builder = GltfBuilder(file)
    document = builder.document
    primitive = document["meshes"][0]["primitives"][0]
    triangles = file.accessor(primitive["indices"], "the keeper", "SCALAR").reshape(-1, 2, 3).astype(np.int64)
    quads = _before(np.concatenate([triangles[:, 0], triangles[:, 1, 2:]], axis=1))
    coarse = quads[:, [0, 1, 2, 0, 2, 3]].astype(np.uint16)
    primitive["indices"] = builder.accessor(coarse.ravel(), ELEMENT_ARRAY_BUFFER)
    for accessor in primitive["attributes"].values():
        document["accessors"][accessor]["count"] = int(coarse.max()) + 1
    scene = document["scenes"][0]
    scene["nodes"] = [n for n in scene["nodes"] if document["nodes"][n].get("mesh", 0) == 0]
    return builder.file().pack()


def _before(quads: NDArray[np.int64]) -> NDArray[np.int64]:
    """The quads ``(Q, 4)`` that a mesh had before it was subdivided.

    The vertices of then come first, and every quad has one of them: those that share an edge of two new ones were
    one. (Where a loop was dissolved since, two are left of four.)
    """
    old = int(quads.min(axis=1).max()) + 1
    edges = np.stack([quads, np.roll(quads, -1, axis=1)], axis=-1)
    inside = (edges >= old).all(axis=-1)
    between = np.sort(edges[inside], axis=-1)
    beside = np.nonzero(inside)[0][np.lexsort(between.T)].reshape(-1, 2)
    return np.array([_corners(edges[group], old) for group in connected_components(beside)])


def _corners(edges: NDArray[np.int64], old: int) -> list[int]:
    """The old vertices around some quads, in turn."""
    sides = {(int(a), int(b)) for a, b in edges.reshape(-1, 2)}
    around = {a: b for a, b in sides if (b, a) not in sides}
    way = [min(around)]
    while around[way[-1]] != way[0]:
        way.append(around[way[-1]])
    return [v for v in way if v < old]
