"""What is stored of a character beside its file, as a document, and back.

A document is the rules of `core.formats.rules` with each shape's blob beside it, the sculpt in progress, the regions
that were picked, and the weights and joints where they are not the file's.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.formats.rules import remedy_rule
from plethos.core.joints.edit import moved_joints
from plethos.core.joints.layout import laid_out, layout_to_json
from plethos.core.regions import PickedRegion
from plethos.core.remedies import Remedy, remedy_from_rule
from plethos.core.shape import Shape
from plethos.core.weights.assign import INSIDE, with_joint_weights
from plethos.store.blobs import (
    digest,
    pack_offsets,
    pack_shares,
    pack_weights,
    unpack_offsets,
    unpack_shares,
    unpack_weights,
)


@dataclass(frozen=True)
class SculptNote:
    """A sculpt session as it is stored.

    Parameters
    ----------
    remedy_id
        The remedy that is sculpted again; None for a new one.
    pose
        The held pose, as in a pose file.
    offsets
        Hash of the sparse offsets from the start of the session; None before the first stroke.
    strokes
        How many strokes there were.
    """

    remedy_id: str | None
    pose: dict[str, Any]
    offsets: str | None = None
    strokes: int = 0


@dataclass(frozen=True)
class Described:
    """A document and the blobs that it names."""

    document: dict[str, Any]
    blobs: tuple[bytes, ...]


def describe(
    character: Character,
    sculpt: SculptNote | None,
    sculpt_blob: bytes | None = None,
    bare: Character | None = None,
    weights: str | None = None,
) -> Described:
    """What has to be stored of a character beyond its file.

    Parameters
    ----------
    bare
        As read from its file: weights that are not its are stored; None = they are its.
        So are joints.
    weights
        Hash of the character's weights, when they are stored already.
    """
    blobs = [sculpt_blob] if sculpt_blob is not None else []
    if bare is None or shares_weights(character, bare):
        weights = None
    elif weights is None:
        bound = pack_weights(character.bones.joint[character.influences], character.weights)
        blobs, weights = [*blobs, bound], digest(bound)
    remedies = []
    for remedy in character.remedies:
        packed = [pack_offsets(s.vertices, s.deltas) for s in remedy.shapes]
        blobs += packed
        remedies.append({**remedy_rule(remedy, character.skeleton), "blobs": [digest(p) for p in packed]})
    regions = []
    for region in character.regions:
        packed_region = pack_shares(region.vertices, region.shares)
        blobs.append(packed_region)
        regions.append({"name": region.name, "blob": digest(packed_region)})
    joints = layout_to_json(character.skeleton, bare.skeleton) if bare is not None else None
    document = {
        "remedies": remedies,
        "sculpt": asdict(sculpt) if sculpt else None,
        "weights": weights,
        "joints": joints,
        "regions": regions,
    }
    return Described(document, tuple(blobs))


def shares_weights(one: Character, other: Character) -> bool:
    """Whether two versions have the same weights, their joints the same numbers: then one stored blob serves both."""
    return one.weights is other.weights and one.bones.joint is other.bones.joint


def restore(
    bare: Character,
    document: dict[str, Any],
    fetch: Callable[[str], bytes],
    known: Character | None = None,
    known_weights: str | None = None,
) -> tuple[Character, SculptNote | None]:
    """The character that a document describes.

    Parameters
    ----------
    bare
        As read from its file.
    fetch
        Gives the bytes of a blob.
    known
        Another version, whose arrays are shared instead of fetched again.
    known_weights
        Hash of that version's weights; None = those of the file.
    """
    bound = _bound(bare, document, fetch, known, known_weights)
    shapes_at_hand = {}
    for remedy in known.remedies if known else ():
        for shape in remedy.shapes:
            shapes_at_hand[digest(pack_offsets(shape.vertices, shape.deltas))] = shape

    def shape_of(name: str, blob: str) -> Shape:
        if blob in shapes_at_hand:
            return Shape(name, shapes_at_hand[blob].vertices, shapes_at_hand[blob].deltas)
        vertices, deltas = unpack_offsets(fetch(blob))
        return Shape(name, vertices, deltas)

    remedies: list[Remedy] = []
    for rule in document.get("remedies", []):
        shapes = tuple(shape_of(n, b) for n, b in zip(rule["targets"], rule["blobs"], strict=True))
        remedies.append(remedy_from_rule(rule, shapes, bound.skeleton))
    noted = document.get("sculpt")
    regions = [PickedRegion(r["name"], *unpack_shares(fetch(r["blob"]))) for r in document.get("regions", [])]
    bound = bound.with_regions(tuple(regions))
    return bound.with_remedies(tuple(remedies)), SculptNote(**noted) if noted else None


def _bound(
    bare: Character,
    document: dict[str, Any],
    fetch: Callable[[str], bytes],
    known: Character | None,
    at_hand: str | None,
) -> Character:
    """The character on its skeleton, and with the weights that the document names or those of its file."""
    weights, joints = document.get("weights"), document.get("joints")
    # Documents of before skeletons could be edited hold the places of moved joints.
    places = document.get("places") or {}
    same = known is not None and not places and weights == at_hand
    if known is not None and same and layout_to_json(known.skeleton, bare.skeleton) == joints:
        return known
    laid = laid_out(bare, joints) if joints else bare
    if places:
        laid = moved_joints(bare, {bare.skeleton.find(name): place for name, place in places.items()})
    if weights is None:
        return laid
    numbers, values = unpack_weights(fetch(weights))
    dense = np.zeros((len(values), len(laid.skeleton)))
    np.add.at(dense, (np.arange(len(values))[:, None], numbers), values)
    return with_joint_weights(laid, dense, max(INSIDE, values.shape[1]))
