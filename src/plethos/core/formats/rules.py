"""The rules of the remedies and the kept regions as plain data: what `extras.plethos` of a delivered file holds.

`docs/formats/plethos-rules.schema.json` is its JSON schema. Shapes are not in it: they are the file's morph targets,
named by ``targets``; the store keeps them as blobs beside the same rules.
"""

from __future__ import annotations

import dataclasses
from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadFileError, PlethosError
from plethos.core.names import free_name
from plethos.core.regions import PICKED, PickedRegion
from plethos.core.remedies import Remedy, remedy_from_rule
from plethos.core.shape import Shape
from plethos.core.skeleton import Skeleton

VERSION = 1


def remedy_rule(remedy: Remedy, skeleton: Skeleton) -> dict[str, Any]:
    """One remedy's rule, with the names of the shapes it uses."""
    return {**remedy.to_rule(skeleton), "targets": [s.name for s in remedy.shapes]}


def rules_of(character: Character) -> dict[str, Any]:
    """All remedies' rules, in order, and the regions that have a name, their vertices counted as the file does."""
    rules: dict[str, Any] = {
        "version": VERSION,
        "remedies": [remedy_rule(r, character.skeleton) for r in character.remedies],
    }
    kept = [r for r in character.regions if r.name != PICKED]
    if kept:
        _, first = np.unique(character.file_to_vertex, return_index=True)
        rules["regions"] = [
            {"name": r.name, "vertices": first[r.vertices].tolist(), "shares": np.round(r.shares, 4).tolist()}
            for r in kept
        ]
    return rules


def take_rules(character: Character, document: dict[str, Any]) -> Character:
    """Turn the morph targets that a file's own rules name back into remedies, and take its regions.

    Parameters
    ----------
    character
        As read, with every morph target among its shapes (one a part and target).
    document
        The glTF document, which may have no rules.
    """
    extras = document.get("extras")
    rules = extras.get("plethos") if isinstance(extras, dict) else None
    if rules is None:
        return character
    if not isinstance(rules, dict) or rules.get("version") != VERSION or not isinstance(rules.get("remedies"), list):
        raise BadFileError("The file's remedies were written by another version of Plethos and cannot be read.")
    character = character.with_regions(_regions(character, rules.get("regions", [])))
    taken: set[int] = set()
    remedies = []
    for rule in rules["remedies"]:
        try:
            shapes = []
            for name in rule["targets"]:
                found = [i for i, s in enumerate(character.shapes) if s.name == name and i not in taken]
                if not found:
                    raise BadFileError(f"The file's remedy “{name}” has lost its morph target.")
                # One remedy may move several parts: its targets of the same name are joined again.
                taken.update(found)
                shapes.append(_joined(name, [character.shapes[i] for i in found]))
            remedies.append(remedy_from_rule(rule, tuple(shapes), character.skeleton))
        except (KeyError, TypeError, AttributeError):
            raise BadFileError("The file is broken: one of its remedies is incomplete.") from None
        except PlethosError as error:
            raise BadFileError(f"One of the file's remedies cannot be read: {error.sentence}") from None
    return dataclasses.replace(
        character,
        shapes=tuple(s for i, s in enumerate(character.shapes) if i not in taken),
        clips=_without_shapes(character, taken),
        remedies=tuple(remedies),
    )


def _regions(character: Character, told: Any) -> tuple[PickedRegion, ...]:
    """The regions of a file."""
    regions, names = [], set[str]()
    try:
        for region in told:
            file_vertices, shares = np.array(region["vertices"], np.int64), np.array(region["shares"], np.float32)
            dense = np.zeros(len(character.points), np.float32)
            if file_vertices.shape != shares.shape or (file_vertices < 0).any() or not np.isfinite(shares).all():
                raise ValueError
            dense[character.file_to_vertex[file_vertices]] = shares
            regions.append(PickedRegion.of(free_name(str(region["name"]), names), dense))
    except (KeyError, TypeError, ValueError, IndexError, OverflowError):
        raise BadFileError("The file is broken: one of its regions cannot be read.") from None
    return tuple(r for r in regions if len(r.vertices) and r.name != PICKED)


def _joined(name: str, shapes: list[Shape]) -> Shape:
    vertices = np.concatenate([s.vertices for s in shapes])
    order = np.argsort(vertices)
    return Shape(name, vertices[order], np.concatenate([s.deltas for s in shapes])[order])


def _without_shapes(character: Character, taken: set[int]) -> tuple[Any, ...]:
    """Clips whose tracks no longer drive the taken shapes: a baked clip would apply remedies twice."""
    left = {old: new for new, old in enumerate(i for i in range(len(character.shapes)) if i not in taken)}
    clips = []
    for clip in character.clips:
        tracks = []
        for track in clip.tracks:
            if track.channel != "weights":
                tracks.append(track)
                continue
            width = track.values.shape[-1]
            keep = [k for k in range(width) if track.target + k in left]
            if keep:
                # Remedies' targets are written behind the file's own, so what is kept is a leading run.
                values = track.values[..., keep]
                tracks.append(dataclasses.replace(track, target=left[track.target + keep[0]], values=values))
        clips.append(dataclasses.replace(clip, tracks=tuple(tracks)))
    return tuple(clips)
