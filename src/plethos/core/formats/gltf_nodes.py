"""The nodes of a glTF document as a skeleton: parents, names, transforms."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from plethos.core.errors import BadEditError, BadFileError
from plethos.core.formats.gltf_file import GltfFile, whole
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.names import free_name, printable
from plethos.core.skeleton.skeleton import Skeleton


def node_parents(file: GltfFile) -> list[int]:
    """The parent of each node, -1 for none.

    Raises
    ------
    BadFileError
        When a node has two parents or is its own ancestor.
    """
    nodes = file.items("nodes")
    parents = [-1] * len(nodes)
    for i, node in enumerate(nodes):
        for child in node.get("children", []):
            c = whole(child, f"a child of node {i}", len(nodes))
            if parents[c] >= 0:
                raise BadFileError(f"The file is broken: node {c} has two parents.")
            parents[c] = i
    rooted = [False] * len(nodes)
    for i in range(len(nodes)):
        at = i
        way: list[int] = []
        while at >= 0 and not rooted[at]:
            way.append(at)
            at = parents[at]
            if len(way) > len(nodes):
                raise BadFileError(f"The file is broken: the joints form a circle at {node_label(file, i)}.")
        for passed in way:
            rooted[passed] = True
    return parents


def node_label(file: GltfFile, index: int) -> str:
    """What to call a node in a sentence."""
    name = file.items("nodes")[index].get("name")
    return f"“{name}”" if name else f"node {index}"


def _numbers(node: dict[str, Any], key: str, default: list[float], label: str) -> Array:
    value = node.get(key, default)
    try:
        array = np.asarray(value, dtype=np.float64)
    except (TypeError, ValueError):
        array = np.array([np.nan])
    if array.shape != (len(default),) or not np.isfinite(array).all():
        raise BadFileError(f"The file is broken: the {key} of {label} is not {len(default)} finite numbers.")
    return array


def local_transform(file: GltfFile, index: int) -> tuple[Array, Array, Array]:
    """Translation ``(3,)``, rotation ``(4,)`` and stretch ``(3, 3)`` of a node; a matrix is split."""
    node, label = file.items("nodes")[index], node_label(file, index)
    if "matrix" in node:
        m = _numbers(node, "matrix", [0.0] * 16, label).reshape(4, 4).T
        turn = rotations.rotation_part(m[:3, :3])
        return m[:3, 3], rotations.from_matrix(turn), turn.T @ m[:3, :3]
    scale = _numbers(node, "scale", [1.0, 1.0, 1.0], label)
    turn = rotations.normalize(_numbers(node, "rotation", [0.0, 0.0, 0.0, 1.0], label))
    return _numbers(node, "translation", [0.0, 0.0, 0.0], label), turn, np.diag(scale)


def read_skeleton(file: GltfFile, joints: set[int], carriers: set[int]) -> tuple[Skeleton, dict[int, int]]:
    """The skeleton of the joints, the nodes that carry rigid parts, and everything above them.

    Parameters
    ----------
    joints
        Node numbers of the joints.
    carriers
        Node numbers that carry parts without a skin.

    Returns
    -------
    skeleton, place
        And the skeleton index of each node in it.
    """
    parents = node_parents(file)
    kept: set[int] = set()
    for start in joints | carriers:
        at = start
        while at >= 0 and at not in kept:
            kept.add(at)
            at = parents[at]
    children: dict[int, list[int]] = {}
    for node in sorted(kept):
        children.setdefault(parents[node], []).append(node)
    order: list[int] = []
    waiting = list(reversed(children.get(-1, [])))
    while waiting:
        node = waiting.pop()
        order.append(node)
        waiting += reversed(children.get(node, []))
    place = {node: i for i, node in enumerate(order)}
    names = joint_names(file, order, joints)
    local = [local_transform(file, node) for node in order]
    skeleton = Skeleton(
        names=tuple(names[node] for node in order),
        parents=np.array([place.get(parents[node], -1) for node in order], dtype=np.int32),
        rest_translation=np.array([t for t, _, _ in local], dtype=np.float64).reshape(-1, 3),
        rest_rotation=np.array([r for _, r, _ in local], dtype=np.float64).reshape(-1, 4),
        rest_stretch=np.array([s for _, _, s in local], dtype=np.float64).reshape(-1, 3, 3),
        is_joint=np.array([node in joints for node in order], dtype=bool),
        nodes=np.array(order, dtype=np.int32),
        hinges=tuple(stored_hinge(file.items("nodes")[node]) for node in order),
    )
    return skeleton, place


def stored_hinge(node: dict[str, Any]) -> Hinge | None:
    """What ``extras.plethos`` of a node says of its hinge; anything odd is taken for nothing."""
    extras = node.get("extras")
    own: Any = extras.get("plethos") if isinstance(extras, dict) else None
    try:
        x, y, z = unit_axis([float(c) for c in own["hinge_axis"]])
        low, high = (math.radians(float(d)) for d in own["range_deg"])
    except (KeyError, TypeError, ValueError, BadEditError):
        return None
    # Ranges of a whole turn and more were taken once: no angle could be told in them.
    if not (-7 < low < high < 7 and high - low < 2 * math.pi):
        return None
    return Hinge((x, y, z), low, high, _others(own))


def _others(own: dict[str, Any]) -> tuple[tuple[float, float], tuple[float, float]] | None:
    """The ranges across the hinge; anything odd is taken for nothing."""
    try:
        (a, b), (c, d) = ((math.radians(float(x)) for x in pair) for pair in own["others_deg"])
    except (KeyError, TypeError, ValueError):
        return None
    return ((a, b), (c, d)) if -4 < a <= b < 4 and -4 < c <= d < 4 else None


def marked(what: str = "joint") -> dict[str, Any]:
    """What ``extras.plethos`` of a node says when it is a joint that no skin names (yet), or a helper joint of ours."""
    return {what: True}


def is_marked(node: dict[str, Any], what: str = "joint") -> bool:
    """Whether a node says of itself that it is a joint, or a helper joint."""
    extras = node.get("extras")
    own = extras.get("plethos") if isinstance(extras, dict) else None
    return isinstance(own, dict) and own.get(what) is True


def joint_names(file: GltfFile, order: list[int], joints: set[int]) -> dict[int, str]:
    """Unique names: unnamed ones become ``joint_N`` (N = the node's number), doubled ones get ``_2``, ``_3``.

    Joints come first, in the order of their nodes, so that a plain node never takes a joint's name.
    """
    nodes = file.items("nodes")
    wanted = {n: printable(str(nodes[n].get("name") or "")) or f"joint_{n}" for n in order}
    ranked = sorted(order, key=lambda n: (n not in joints, n))
    taken: set[str] = set()
    names: dict[int, str] = {}
    for n in ranked:
        if wanted[n] not in taken:
            taken.add(wanted[n])
            names[n] = wanted[n]
    number: dict[str, int] = {}
    for n in ranked:
        if n not in names:
            names[n] = free_name(wanted[n], taken, number)
    return names
