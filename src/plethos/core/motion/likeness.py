"""Which joint of a character is meant by a joint of another skeleton: by what their names say, side and chain.

What joints are called is common practice, no source.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

# The first word that fits counts; a limb's words are tried in this order, since "arm" is in "forearm" too.
WORDS: dict[str, tuple[str, ...]] = {
    "forearm": ("forearm", "lowerarm", "lowarm", "elbow", "ulna", "radius"),
    "clavicle": ("clavicle", "collarbone", "collar", "shoulder", "scapula"),
    "upper_arm": ("upperarm", "uparm", "humerus", "arm"),
    "hand": ("hand", "wrist"),
    "thigh": ("upperleg", "upleg", "thigh", "femur"),
    "toes": ("toebase", "toes", "toe", "ball"),
    "foot": ("foot", "ankle"),
    "shin": ("lowerleg", "lowleg", "shin", "calf", "knee", "tibia", "leg"),
    "pelvis": ("pelvis", "hips", "hip"),
    "spine": ("lowerback", "spine", "chest", "torso", "abdomen", "thorax", "waist"),
    "neck": ("neck",),
    "head": ("head",),
    "jaw": ("jaw",),
    "thumb": ("thumb",),
    "index": ("index",),
    "middle": ("middle",),
    "ring": ("ring",),
    "little": ("little", "pinky", "pinkie"),
}
CHAINS = ("spine", "neck", "thumb", "index", "middle", "ring", "little", "toes")
NOT_MEANT = ("twist", "roll", "helper", "end", "nub", "tip", "eye", "hipjoint")


@dataclass(frozen=True)
class Meant:
    """What a joint's name says: which part of the body, and on which side ("l", "r" or "")."""

    part: str
    side: str


def meant(name: str) -> Meant | None:
    """What a joint's name says; None where it says nothing that is known."""
    words = [w.lower() for w in re.findall(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+", name)]
    side = ""
    # ``LHipJoint`` is read as L, Hip, Joint; ``LeftArm`` and ``arm.L`` say it in a word.
    for mark in ("left", "right", "l", "r"):
        if mark in words:
            side, words = mark[0], [w for w in words if w != mark]
            break
    else:
        tight = re.match(r"([LR])(?=[A-Z][a-z])", name)
        if tight:
            side = tight.group(1).lower()
    whole = "".join(words)
    if any(w in whole for w in NOT_MEANT):
        return None
    for part, known in WORDS.items():
        if any(word in whole for word in known):
            return Meant(part, side)
    return None


def guessed_mapping(
    sources: Sequence[str], source_parents: Sequence[int], joints: Sequence[str], parents: Sequence[int]
) -> dict[str, str]:
    """Which joint of a character takes on which joint of another skeleton.

    Parameters
    ----------
    sources, source_parents
        Names and parents of the other skeleton's joints, parents first.
    joints, parents
        Of the character's.

    Returns
    -------
    dict
        ``{source: joint}``, without those of which nothing is known. Chains of different lengths (spines, necks,
        fingers) are spread over each other from their roots, both ends meeting.
    """
    ours, theirs = (_by_meaning(n) for n in (joints, sources))
    out: dict[str, str] = {}
    for what, there in theirs.items():
        here = ours.get(what, [])
        if not here:
            continue
        if what.part in CHAINS:
            out.update(_spread([sources[s] for s in there], [joints[j] for j in here]))
        else:
            out[sources[there[0]]] = joints[here[0]]
    if out:
        # Whatever the roots are called, one carries the other.
        root, own = _root(source_parents), _root(parents)
        if sources[root] not in out and joints[own] not in out.values():
            out = {sources[root]: joints[own], **out}
    return out


def _by_meaning(names: Sequence[str]) -> dict[Meant, list[int]]:
    found: dict[Meant, list[int]] = {}
    for k, name in enumerate(names):
        what = meant(name)
        if what is not None:
            found.setdefault(what, []).append(k)
    return found


def _spread(there: list[str], here: list[str]) -> dict[str, str]:
    """Both ends of two chains onto each other, and what lies between in step; each joint takes one."""
    if len(there) == 1 or len(here) == 1:
        return {there[0]: here[0]}
    few = min(len(there), len(here))
    at = [round(k * (len(there) - 1) / (few - 1)) for k in range(few)]
    to = [round(k * (len(here) - 1) / (few - 1)) for k in range(few)]
    return {there[a]: here[b] for a, b in zip(at, to, strict=True)}


def _root(parents: Sequence[int]) -> int:
    return next(k for k, p in enumerate(parents) if p < 0)
