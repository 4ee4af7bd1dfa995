"""The clips of a file: read, said anew where joints have changed since, or with activations baked in."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.edits.clip_loss import baked_times
from plethos.core.errors import BadFileError
from plethos.core.evaluate import Evaluator
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_file import GltfFile, whole
from plethos.core.formats.gltf_layout import PartLayout
from plethos.core.formats.gltf_parts import RawPart
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.rules.moment import Moment
from plethos.core.skeleton.clips import Clip, Track
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.skeleton import Skeleton


def read_clips(
    file: GltfFile, place: dict[int, int], raws: list[RawPart], first_shape: dict[int, int]
) -> tuple[Clip, ...]:
    """All clips; `place` says which joint a node is, `first_shape` the first shape of a part's node."""
    shapes_of = {r.layout.node: len(r.shapes) for r in raws}
    clips, taken = [], set[str]()
    for number, animation in enumerate(file.items("animations")):
        label = str(animation.get("name") or f"clip_{number}")
        tracks = []
        for channel in animation.get("channels", []):
            track = _track(file, animation, channel, label, place, shapes_of, first_shape)
            if track is not None:
                tracks.append(track)
        duration = max((float(t.times[-1]) for t in tracks), default=0.0)
        clips.append(Clip(free_name(label, taken), duration, tuple(tracks)))
    return tuple(clips)


def _track(
    file: GltfFile,
    animation: dict[str, Any],
    channel: dict[str, Any],
    label: str,
    place: dict[int, int],
    shapes_of: dict[int, int],
    first_shape: dict[int, int],
) -> Track | None:
    target = channel.get("target", {})
    path, node = target.get("path"), target.get("node")
    samplers = animation.get("samplers", [])
    sampler = samplers[whole(channel.get("sampler"), f"a sampler of clip “{label}”", len(samplers))]
    width = {"rotation": 4, "translation": 3, "scale": 3, "weights": shapes_of.get(node, 0)}.get(path, 0)
    index = first_shape.get(node) if path == "weights" else place.get(node)
    if index is None or width == 0:
        return None
    what = f"the keys of clip “{label}”"
    times = file.accessor(sampler.get("input"), what, "SCALAR")[:, 0].astype(np.float64)
    if len(times) == 0 or (np.diff(times) < 0).any():
        raise BadFileError(f"The file is broken: {what} do not go forward in time.")
    interpolation = sampler.get("interpolation", "LINEAR")
    if interpolation not in ("LINEAR", "STEP", "CUBICSPLINE"):
        raise BadFileError(f"The file is broken: {what} have an unknown interpolation.")
    kinds = {"rotation": "VEC4", "weights": "SCALAR"}.get(path, "VEC3")
    values = file.accessor(sampler.get("output"), what, kinds).astype(np.float64)
    needed = len(times) * width * (3 if interpolation == "CUBICSPLINE" else 1)
    if values.size != needed:
        raise BadFileError(f"The file is broken: {what} have {values.size} numbers where {needed} are needed.")
    shape = (len(times), 3, width) if interpolation == "CUBICSPLINE" else (len(times), width)
    return Track(path, index, times, values.reshape(shape), interpolation)


def write_clips(builder: GltfBuilder, source: GltfFile, character: Character) -> None:
    """Replace the keys of the channels whose joint has other values now than in the source."""
    nodes = character.skeleton.nodes.tolist()
    for clip, animation in zip(character.clips, builder.document.get("animations", []), strict=True):
        tracks = {(nodes[t.target], t.channel): t for t in clip.tracks if t.channel not in ("weights", "dial")}
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


def add_motions(builder: GltfBuilder, character: Character) -> None:
    """Write the clips that motions make as clips of the file."""
    nodes = character.skeleton.nodes.tolist()
    for clip in character.all_clips[len(character.clips) :]:
        animation: dict[str, Any] = {"name": clip.name, "channels": [], "samplers": []}
        times: dict[bytes, int] = {}
        for track in clip.tracks:
            seconds = track.times.astype(np.float32)
            if seconds.tobytes() not in times:
                times[seconds.tobytes()] = builder.accessor(seconds, bounds=True)
            values = builder.accessor(track.values.astype(np.float32))
            _key(animation, nodes[track.target], track.channel, times[seconds.tobytes()], values)
        builder.document["animations"] = [*builder.document.get("animations", []), animation]


def bake_clip(
    builder: GltfBuilder,
    character: Character,
    nodes: list[int],
    clip: Clip,
    layouts: list[PartLayout],
    written: list[list[int]],
    progress: Callable[[float], None],
) -> None:
    """Give a clip the activations as keys of morph weights, and what rules turn as keys of joints.

    Parameters
    ----------
    nodes
        The node of each joint in the document.
    written
        For each part, which of the correctives' shapes are among its morph targets.
    """
    animation = builder.document["animations"][[c.name for c in character.all_clips].index(clip.name)]
    times = baked_times(clip)
    evaluator, skeleton = Evaluator.of(character), character.skeleton
    moments, on = list[Moment](), list[NDArray[np.float32]]()
    for number, time in enumerate(times.tolist()):
        posed = evaluator.pose(clip.pose_at(skeleton, time))
        moments.append(posed.moment)
        on.append(posed.shape_weights)
        progress(number / len(times))
    activations = np.array(on, dtype=np.float32)
    time_accessor = builder.accessor(times.astype(np.float32), bounds=True)
    for joint in sorted({helper.joint for helper in character.rules.helpers_on}):
        for path, values in _transforms(skeleton, joint, moments).items():
            _key(animation, nodes[joint], path, time_accessor, builder.accessor(values.astype(np.float32)))
    own = 0  # where the part's own shapes begin among the character's
    for layout, added in zip(layouts, written, strict=True):
        mesh = builder.document["meshes"][layout.mesh]
        count = max(len(p.get("targets", [])) for p in mesh["primitives"])
        before = count - len(added)
        if added:
            columns = [*range(own, own + before), *(len(character.mesh.shapes) + n for n in added)]
            weights = np.ascontiguousarray(activations[:, columns]).reshape(-1)
            _key(animation, layout.node, "weights", time_accessor, builder.accessor(weights))
        own += before
    _drop_unused_samplers(animation)


def _transforms(skeleton: Skeleton, joint: int, moments: list[Moment]) -> dict[str, Array]:
    """What a node of a helper is keyed with: all of its turns; its places and sizes where they change."""
    turned: Array = np.array([rotations.multiply(skeleton.rest_rotation[joint], m.rotations[joint]) for m in moments])
    out: dict[str, Array] = {"rotation": turned}
    moved: Array = np.array([m.translations[joint] if len(m.translations) else np.zeros(3) for m in moments])
    if np.abs(moved).max() > 0:
        out["translation"] = skeleton.rest_translation[joint] + moved
    rest: Array = np.diag(skeleton.rest_stretch[joint])
    scales: Array = np.array([m.scales[joint] if len(m.scales) else np.full(3, np.nan) for m in moments])
    if not np.isnan(scales).all():
        out["scale"] = np.where(np.isnan(scales), rest, scales)
    return out


def _key(animation: dict[str, Any], node: int, path: str, times: int, values: int) -> None:
    """Key a node's path, in place of what it has."""
    animation["channels"] = [
        c
        for c in animation["channels"]
        if (c.get("target", {}).get("path"), c.get("target", {}).get("node")) != (path, node)
    ]
    sampler = {"input": times, "output": values, "interpolation": "LINEAR"}
    animation["samplers"] = [*animation["samplers"], sampler]
    target = {"node": node, "path": path}
    animation["channels"].append({"sampler": len(animation["samplers"]) - 1, "target": target})


def drop_empty_clips(builder: GltfBuilder) -> None:
    """Leave out animations in which nothing is keyed any more."""
    kept = [a for a in builder.document.get("animations", []) if a.get("channels")]
    if kept:
        builder.document["animations"] = kept
    else:
        builder.document.pop("animations", None)


def _drop_unused_samplers(animation: dict[str, Any]) -> None:
    channels = animation.get("channels", [])
    used = sorted({c["sampler"] for c in channels})
    place = {old: new for new, old in enumerate(used)}
    animation["samplers"] = [animation["samplers"][s] for s in used]
    animation["channels"] = [{**c, "sampler": place[c["sampler"]]} for c in channels]
