"""A character's rules, regions, joints and weights as one document, and back: the only codec there is.

The same document is stored (arrays as blobs), written into a glTF file (arrays as morph targets and lists) and
written as a plain file (arrays as lists). It has a version; documents of before are upgraded on reading. What each of
them must hold stands in docs/formats/plethos-rules.schema.json.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.arrays import Arrays
from plethos.core.character import Character
from plethos.core.edits.review import CHANGED
from plethos.core.errors import BadFileError, PlethosError
from plethos.core.joints.edit import moved_joints
from plethos.core.joints.layout import laid_out, layout_to_json
from plethos.core.motion.motion import Motion
from plethos.core.rules.dials import Dial, Group
from plethos.core.rules.remedies import remedy_from_document
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers import trigger_from_document
from plethos.core.skeleton.clips import Clip, Track
from plethos.core.skeleton.kept_poses import KeptPose
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.pose_files import pose_from_document
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.picked import PICKED, PickedRegion
from plethos.core.weights.assign import with_influences

VERSION = 2
NEWER = "The rules were written by a later version of Plethos and cannot be read by this one."


def rules_to_document(rules: Rules, skeleton: Skeleton, arrays: Arrays) -> dict[str, Any]:
    """The rules alone."""
    return {
        "version": VERSION,
        "dials": [d.to_document() for d in rules.dials],
        "triggers": [t.to_document(skeleton) for t in rules.triggers],
        "groups": [g.to_document() for g in rules.groups],
        "remedies": [r.to_document(skeleton, arrays) for r in rules.remedies],
    }


def rules_from_document(document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> Rules:
    """What `rules_to_document` wrote, of this version."""
    return Rules(
        tuple(Dial.from_document(d) for d in document.get("dials") or ()),
        tuple(trigger_from_document(t, skeleton) for t in document.get("triggers") or ()),
        tuple(Group.from_document(g) for g in document.get("groups") or ()),
        tuple(remedy_from_document(r, skeleton, arrays) for r in document.get("remedies") or ()),
    )


def to_document(character: Character, base: Character | None, arrays: Arrays) -> dict[str, Any]:
    """All that a character is beyond the file that it came from.

    Parameters
    ----------
    base
        As read from its file: joints and weights that are not its are written; None = they are its.
    """
    document = rules_to_document(character.rules, character.skeleton, arrays)
    regions = [
        {"name": r.name, "mask": arrays.put("shares", r.name or "picked", r.vertices, r.shares)}
        for r in character.regions
    ]
    document["regions"] = regions
    document["dial_tracks"] = [
        {"clip": c.name, "dial": t.dial, "times": t.times.tolist(), "values": t.values.ravel().tolist(),
         "interpolation": t.interpolation}
        for c in character.clips for t in c.tracks if t.channel == "dial"
    ]  # fmt: skip
    if character.motions:
        document["motions"] = [m.to_document(arrays) for m in character.motions]
    if character.poses:
        document["poses"] = [p.to_document() for p in character.poses]
    document["joints"] = None if base is None else layout_to_json(character.skeleton, base.skeleton)
    document["weights"] = None
    if base is not None and not same_weights(character, base):
        document["weights"] = arrays.put("weights", "weights", character.binding.numbers, character.binding.weights)
    return document


def same_weights(one: Character, other: Character) -> bool:
    """Whether two versions have the same weights, their joints the same numbers."""
    a, b = one.binding, other.binding
    return a.weights is b.weights and (a.bones.joint is b.bones.joint or np.array_equal(a.bones.joint, b.bones.joint))


def from_document(
    base: Character, document: Mapping[str, Any], arrays: Arrays, known: Character | None = None
) -> Character:
    """The character that a document describes.

    Parameters
    ----------
    base
        As read from its file, without rules.
    document
        Of any version.
    known
        Another version on the same mesh, whose skeleton and binding are taken over where they are the same.

    Raises
    ------
    BadFileError
        When it is broken, or of a later version.
    """
    document = upgraded(document)
    try:
        laid = _bound(base, document, arrays, known)
        rules = rules_from_document(document, laid.skeleton, arrays)
        regions, names = [], set[str]()
        for region in document.get("regions") or ():
            vertices, shares = arrays.get("shares", region["mask"])
            name = str(region["name"])
            regions.append(PickedRegion(name if name == PICKED else free_name(name, names), vertices, shares))
        motions = tuple(Motion.from_document(m, arrays) for m in document.get("motions") or ())
        poses = tuple(_kept_pose(p, laid.skeleton) for p in document.get("poses") or ())
        clips = _with_dials(laid.clips, document.get("dial_tracks") or ())
    except BadFileError:
        raise
    except PlethosError as error:
        raise BadFileError(f"One of the rules cannot be read: {error.sentence}") from None
    except (KeyError, TypeError, ValueError, IndexError, AttributeError, OverflowError):
        raise BadFileError("The rules are broken: one of them is incomplete.") from None
    kept = tuple(r for r in regions if len(r.vertices))
    return replace(laid, rules=rules, regions=kept, clips=clips, motions=motions, poses=poses)


def _kept_pose(document: Mapping[str, Any], skeleton: Skeleton) -> KeptPose:
    pose_from_document(skeleton, document["pose"])  # numbers that are none are refused
    return KeptPose(str(document["name"]), document["pose"])


def _bound(base: Character, document: Mapping[str, Any], arrays: Arrays, known: Character | None) -> Character:
    """The character on its skeleton, with the weights that the document names or those of its file."""
    joints, places, told = document.get("joints"), document.get("places"), document.get("weights")
    rows = None if told is None else arrays.get("weights", told)
    if known is not None and not places:
        # Weights of the file pass through edits of joints as they are, or merged: then they are worked out again.
        alike = known.binding.weights is (base.binding.weights if rows is None else rows[1])
        if alike and layout_to_json(known.skeleton, base.skeleton) == joints:
            return replace(base, skeleton=known.skeleton, binding=known.binding, clips=known.clips)
    laid = laid_out(base, joints) if joints else base
    if places:
        # Documents of before skeletons could be edited hold the places of moved joints.
        laid = moved_joints(base, {base.skeleton.find(n): place for n, place in places.items()})
    if rows is None:
        return laid
    return with_influences(laid, *_whole_rows(rows[0], rows[1], len(laid.skeleton)))


def _whole_rows(
    joints: NDArray[np.int32], weights: NDArray[np.float32], count: int
) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    if joints.shape != weights.shape or joints.min(initial=0) < 0 or joints.max(initial=0) >= count:
        raise BadFileError("The weights name a joint that is not there.")
    return joints, weights


def _with_dials(clips: tuple[Clip, ...], told: Any) -> tuple[Clip, ...]:
    """Clips with the tracks of dials that a document tells of."""
    out = []
    for clip in clips:
        tracks = [t for t in clip.tracks if t.channel != "dial"]
        for track in told:
            if track["clip"] == clip.name:
                times = np.array(track["times"], dtype=np.float64)
                width = (len(times), 3, 1) if track.get("interpolation") == "CUBICSPLINE" else (len(times), 1)
                values = np.array(track["values"], dtype=np.float64).reshape(width)
                how = track.get("interpolation", "LINEAR")
                tracks.append(Track("dial", -1, times, values, how, str(track["dial"])))
        out.append(replace(clip, tracks=tuple(tracks)))
    return tuple(out)


def upgraded(document: Mapping[str, Any]) -> dict[str, Any]:
    """A document of any version as one of this version.

    Raises
    ------
    BadFileError
        When it is of a later version, or no document at all.
    """
    version = document.get("version", 1)
    if version == VERSION:
        return dict(document)
    if version != 1 or not isinstance(document.get("remedies", []), list):
        raise BadFileError(NEWER)
    return _from_1(document)


def _from_1(document: Mapping[str, Any]) -> dict[str, Any]:
    """Version 1: a remedy was one shape with a hinge trigger of its own.

    Its shapes stood as ``blobs`` in the store and as names of ``targets`` in a file; regions likewise.
    """
    out = {k: v for k, v in document.items() if k not in ("remedies", "regions")}
    triggers, remedies, names = [], [], set[str]()
    try:
        for old in document.get("remedies", []):
            trigger = old.get("trigger")
            by = f"{old['id']}-trigger" if trigger else None
            if trigger:
                triggers.append({**trigger, "id": by, "name": ""})
            report = dict(old.get("report") or {})
            warnings = report.get("warnings") or []
            report["warnings"] = [w for w in warnings if w != CHANGED]
            name = free_name(str(old.get("name") or "Corrective"), names)
            ref = (old.get("blobs") or old["targets"])[0]
            target = {"at": 1.0, "name": name, "shape": ref, "pose": old.get("pose"), "report": report}
            remedies.append(
                {
                    "kind": "corrective",
                    "id": old["id"],
                    "name": name,
                    "by": by,
                    "on": old.get("on", True),
                    "amount": old.get("amount", 1.0),
                    "notes": [CHANGED] if CHANGED in warnings else [],
                    "targets": [target],
                }
            )
        regions = [
            {"name": r["name"], "mask": r["blob"] if "blob" in r else {k: r[k] for k in ("vertices", "shares")}}
            for r in document.get("regions") or ()
        ]
    except (KeyError, TypeError, IndexError, AttributeError):
        raise BadFileError("The rules are broken: one of the remedies is incomplete.") from None
    return {**out, "version": VERSION, "triggers": triggers, "remedies": remedies, "regions": regions}
