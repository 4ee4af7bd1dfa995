"""The clips of a written file: those of its source, said anew where joints changed, or with activations baked in."""

from __future__ import annotations

from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.clips import Clip, Track
from plethos.core.evaluate import shape_activations
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_read import PartLayout

BAKED_RATE = 30.0  # keys a second


def write_clips(builder: GltfBuilder, source: GltfFile, character: Character) -> None:
    """Replace the keys of the channels whose joint has other values now than in the source."""
    nodes = character.skeleton.nodes.tolist()
    for clip, animation in zip(character.clips, builder.document.get("animations", []), strict=True):
        tracks = {(nodes[t.target], t.channel): t for t in clip.tracks if t.channel != "weights"}
        for channel in animation.get("channels", []):
            target = channel.get("target", {})
            track = tracks.get((target.get("node"), target.get("path")))
            if track is not None:
                _write_track(builder, source, animation, channel, track)
        _drop_unused_samplers(animation)


def _write_track(
    builder: GltfBuilder, source: GltfFile, animation: dict[str, Any], channel: dict[str, Any], track: Track
) -> None:
    sampler = animation["samplers"][channel["sampler"]]
    kind = "VEC4" if track.channel == "rotation" else "VEC3"
    stored = source.accessor(sampler["output"], "the keys of a clip", kind).astype(np.float64)
    values = track.values.reshape(-1, track.values.shape[-1])
    if values.shape == stored.shape and np.abs(values - stored).max(initial=0) < 1e-9:
        return
    # Two channels may share a sampler, so the new keys get one of their own.
    animation["samplers"] = [*animation["samplers"], {**sampler, "output": builder.accessor(values.astype(np.float32))}]
    channel["sampler"] = len(animation["samplers"]) - 1


def bake_clip(
    builder: GltfBuilder, character: Character, clip: Clip, layouts: list[PartLayout], written: list[list[int]]
) -> None:
    """Give a clip the activations as keys of morph weights.

    Parameters
    ----------
    written
        For each part, which of the remedies' shapes are among its morph targets.
    """
    animation = builder.document["animations"][[c.name for c in character.clips].index(clip.name)]
    times = np.append(np.arange(0.0, clip.duration - 1e-6, 1 / BAKED_RATE), clip.duration)
    keyed = [shape_activations(character, clip.pose_at(character.skeleton, float(t))) for t in times]
    activations = np.array(keyed, dtype=np.float32)
    time_accessor = builder.accessor(times.astype(np.float32), bounds=True)
    own = 0  # where the part's own shapes begin among the character's
    for layout, added in zip(layouts, written, strict=True):
        mesh = builder.document["meshes"][layout.mesh]
        count = max(len(p.get("targets", [])) for p in mesh["primitives"])
        before = count - len(added)
        if added:
            columns = [*range(own, own + before), *(len(character.shapes) + n for n in added)]
            values = np.ascontiguousarray(activations[:, columns]).reshape(-1)
            animation["channels"] = [
                c
                for c in animation["channels"]
                if not (c["target"].get("path") == "weights" and c["target"].get("node") == layout.node)
            ]
            animation["samplers"] = [
                *animation["samplers"],
                {"input": time_accessor, "output": builder.accessor(values), "interpolation": "LINEAR"},
            ]
            target = {"node": layout.node, "path": "weights"}
            animation["channels"].append({"sampler": len(animation["samplers"]) - 1, "target": target})
        own += before
    _drop_unused_samplers(animation)


def drop_empty_clips(builder: GltfBuilder) -> None:
    """Leave out animations in which nothing is keyed any more."""
    kept = [a for a in builder.document.get("animations", []) if a.get("channels")]
    if kept:
        builder.document["animations"] = kept
    else:
        builder.document.pop("animations", None)


def _drop_unused_samplers(animation: dict[str, Any]) -> None:
    used = sorted({c["sampler"] for c in animation["channels"]})
    place = {old: new for new, old in enumerate(used)}
    animation["samplers"] = [animation["samplers"][s] for s in used]
    animation["channels"] = [{**c, "sampler": place[c["sampler"]]} for c in animation["channels"]]
