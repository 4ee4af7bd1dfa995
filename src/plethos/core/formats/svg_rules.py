"""Joints, weights, rules and clips of a drawing, as they stand in the ``<metadata>`` of its SVG file.

The document is the codec's, relative to the drawing without any joint, its arrays as lists.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadFileError
from plethos.core.formats.document import from_document, to_document
from plethos.core.formats.rules import InlineArrays
from plethos.core.joints.layout import laid_out
from plethos.core.skeleton.clips import Clip, Track
from plethos.core.skin.picked import PICKED

BROKEN = "The clips that the drawing holds are broken."


def rules_of_drawing(character: Character, bare: Character) -> dict[str, Any]:
    """What a drawing's file holds of ours; `bare` is the drawing without it."""
    kept = tuple(r for r in character.regions if r.name != PICKED)
    document = to_document(replace(character, regions=kept), bare, InlineArrays(character))
    if not character.is_bound and np.array_equal(character.binding.influences, bare.binding.influences):
        document["weights"] = None
    return {**document, "clips": [_clip_to_json(c, character) for c in character.clips]}


def with_rules_of(bare: Character, document: Mapping[str, Any]) -> Character:
    """The drawing with the joints, weights, rules and clips that its file holds.

    Raises
    ------
    BadFileError
        When they are broken.
    """
    try:
        laid = laid_out(bare, document["joints"]) if document.get("joints") else bare
        clips = tuple(_clip_from_json(c, laid) for c in document.get("clips") or ())
    except (KeyError, TypeError, ValueError, IndexError, AttributeError):
        raise BadFileError("The joints that the drawing holds are broken.") from None
    return from_document(replace(laid, clips=clips), {**document, "joints": None}, InlineArrays(laid))


def _clip_to_json(clip: Clip, character: Character) -> dict[str, Any]:
    names = character.skeleton.names
    tracks = [
        {"channel": t.channel, "joint": names[t.target], "times": t.times.tolist(), "values": t.values.tolist(),
         "interpolation": t.interpolation}
        for t in clip.tracks if t.channel in ("rotation", "translation", "scale")
    ]  # fmt: skip
    return {"name": clip.name, "seconds": clip.duration, "tracks": tracks}


def _clip_from_json(told: Mapping[str, Any], character: Character) -> Clip:
    tracks = []
    for t in told["tracks"]:
        times, values = np.array(t["times"], np.float64), np.array(t["values"], np.float64)
        if t["channel"] not in ("rotation", "translation", "scale") or len(times) == 0 or len(values) != len(times):
            raise BadFileError(BROKEN)
        if not (np.isfinite(times).all() and np.isfinite(values).all()):
            raise BadFileError(BROKEN)
        joint = character.skeleton.index_of[t["joint"]]
        tracks.append(Track(t["channel"], joint, times, values, t.get("interpolation", "LINEAR")))
    seconds = float(told["seconds"])
    if not 0 <= seconds < 1e6:
        raise BadFileError(BROKEN)
    return Clip(str(told["name"]), seconds, tuple(tracks))
