"""The animations of a USD stage as animations of a glTF document."""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import UsdSkel

from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.usd_meshes import UsdMesh
from plethos.core.formats.usd_skeletons import UsdSkeleton, parted
from plethos.core.geometry.rotations import Array

MOST_FRAMES = 20_000


def add_clips(
    builder: GltfBuilder, stage: Any, cache: Any, skeletons: list[UsdSkeleton], meshes: list[UsdMesh], notes: list[str]
) -> None:
    """Add every animation whose joints are those of a skeleton, or whose shapes are those of a mesh."""
    per_second = float(stage.GetTimeCodesPerSecond()) or 24.0
    for prim in stage.Traverse():
        if not prim.IsA(UsdSkel.Animation):
            continue
        query = cache.GetAnimQuery(UsdSkel.Animation(prim))
        if not query:
            continue
        samples = sorted({*query.GetJointTransformTimeSamples(), *query.GetBlendShapeWeightTimeSamples()})
        if len(samples) < 2 or len(samples) > MOST_FRAMES:
            continue
        seconds = ((np.array(samples) - samples[0]) / per_second).astype(np.float32)
        clip: dict[str, Any] = {"name": prim.GetName(), "channels": [], "samplers": []}
        times = builder.accessor(seconds, bounds=True)
        skeleton = next((s for s in skeletons if _moves(s, prim, query)), None)
        if skeleton is not None:
            _joints(builder, clip, times, query, samples, skeleton, notes)
        for mesh in meshes:
            _weights(builder, clip, times, query, samples, mesh)
        if clip["channels"]:
            builder.add("animations", clip)


def _moves(skeleton: UsdSkeleton, prim: Any, query: Any) -> bool:
    """Whether an animation is the skeleton's own, or has joints of it only."""
    own = skeleton.query.GetAnimQuery()
    if own and own.GetPrim() == prim:
        return True
    joints = {str(j) for j in query.GetJointOrder()}
    return bool(joints) and joints <= set(skeleton.joints)


def _channel(builder: GltfBuilder, clip: dict[str, Any], node: int, path: str, times: int, values: Array) -> None:
    sampler = {"input": times, "output": builder.accessor(values.astype(np.float32)), "interpolation": "LINEAR"}
    clip["samplers"].append(sampler)
    clip["channels"].append({"sampler": len(clip["samplers"]) - 1, "target": {"node": node, "path": path}})


def _joints(
    builder: GltfBuilder,
    clip: dict[str, Any],
    times: int,
    query: Any,
    samples: list[float],
    skeleton: UsdSkeleton,
    notes: list[str],
) -> None:
    number = {path: k for k, path in enumerate(skeleton.joints)}
    order = [number.get(str(j)) for j in query.GetJointOrder()]
    frames = np.array([np.array(query.ComputeJointLocalTransforms(t), np.float64) for t in samples])
    frames = frames.reshape(len(samples), -1, 4, 4)
    for k, joint in enumerate(order[: frames.shape[1]]):
        if joint is None:
            continue
        if "matrix" in builder.document["nodes"][skeleton.first + joint]:
            notes.append(f"“{skeleton.joints[joint].rsplit('/', 1)[-1]}” shears at rest: no clip moves it.")
            continue
        place, turn, scale, sheared = parted(frames[:, k])
        if sheared:
            notes.append(f"The clip “{clip['name']}” shears a joint: that is left out.")
        still = np.einsum("ni,ni->n", turn[1:], turn[:-1]) < 0
        turn[1:] *= np.where(np.cumsum(still) % 2, -1.0, 1.0)[:, None]
        for path, values in (("translation", place), ("rotation", turn), ("scale", scale)):
            _channel(builder, clip, skeleton.first + joint, path, times, values)


def _weights(
    builder: GltfBuilder, clip: dict[str, Any], times: int, query: Any, samples: list[float], mesh: UsdMesh
) -> None:
    shapes = [str(s) for s in query.GetBlendShapeOrder()]
    own = [str(s) for s in mesh.query.GetBlendShapeOrder() or ()]
    if not mesh.targets or not set(own) & set(shapes):
        return
    given = np.array([np.array(query.ComputeBlendShapeWeights(t), np.float64) for t in samples]).reshape(
        len(samples), -1
    )
    columns = []
    for name in own:
        weights = given[:, shapes.index(name)] if name in shapes else np.zeros(len(samples))
        at = np.array([a for t, a in mesh.targets if t == name or t.startswith(f"{name} ")])
        columns += target_weights(weights, at)
    values = np.stack(columns, axis=1)
    _channel(builder, clip, mesh.node, "weights", times, values.reshape(-1))


def target_weights(weights: Array, at: Array) -> list[Array]:
    """How much of each target is on, of a shape with in-betweens: straight lines through nothing and them, led on.

    Parameters
    ----------
    weights
        ``(N,)`` of the shape.
    at
        ``(T,)`` the weights at which its targets are fully on, ascending, the last 1.
    """
    ends = np.concatenate([[0.0], at])
    k = np.clip(np.searchsorted(ends, weights, side="right") - 1, 0, len(ends) - 2)
    share = (weights - ends[k]) / (ends[k + 1] - ends[k])
    out = np.zeros((len(weights), len(ends)))
    rows = np.arange(len(weights))
    out[rows, k], out[rows, k + 1] = 1 - share, share
    return [out[:, 1 + n] for n in range(len(at))]
