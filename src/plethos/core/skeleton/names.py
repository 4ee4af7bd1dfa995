"""Names of joints, parts and shapes: free ones, those of the other side, and what they tell."""

from __future__ import annotations

import re
import uuid

TIPS = ("tip", "end", "nub")  # common practice, no source
SIDES = (("left", "right"), ("Left", "Right"), ("L", "R"), ("l", "r"))


def new_id() -> str:
    """A fresh id for a dial, a trigger, a group or a remedy."""
    return uuid.uuid4().hex[:12]


def free_name(wanted: str, taken: set[str], last: dict[str, int] | None = None, between: str = "_") -> str:
    """`wanted`, or `wanted_2`, `_3`, ... when it is taken; the name found is added to `taken`.

    Parameters
    ----------
    last
        Remembers the last number of each name, so that thousands of the same are quick.
    """
    name, number = wanted, 1 if last is None else last.get(wanted, 1)
    while name in taken:
        number += 1
        name = f"{wanted}{between}{number}"
    taken.add(name)
    if last is not None:
        last[wanted] = number
    return name


def printable(name: str) -> str:
    """A name without what cannot be seen or kept."""
    return "".join(c for c in name if c.isprintable()).strip()


def other_side_names(name: str) -> set[str]:
    """What the joint on the other side may be called: ``left_arm`` and ``right_arm``, ``arm.L`` and ``arm.R``, …"""
    out: set[str] = set()
    for a, b in SIDES:
        for one, other in ((a, b), (b, a)):
            if len(one) > 1:
                if one in name:
                    out.add(name.replace(one, other))
                continue
            for mark in "_.- ":
                if name.startswith(one + mark):
                    out.add(other + name[1:])
                if name.endswith(mark + one):
                    out.add(name[:-1] + other)
                if mark + one + mark in name:
                    out.add(name.replace(mark + one + mark, mark + other + mark))
    return out


def other_side_name(name: str) -> str | None:
    """The likeliest name of the joint on the other side; None when the name tells no side."""
    return min(other_side_names(name), default=None)


def words_of(name: str) -> list[str]:
    """The words of a name, small: ``front_upperLeg`` is front, upper, leg."""
    return [w.lower() for w in re.findall(r"[A-Z]?[a-z]+|[A-Z]+", name)]


def is_tip(name: str) -> bool:
    """Whether a joint's name says that it only marks where the bone before it ends: ``index_tip_L``, ``HeadEnd``."""
    words = words_of(name)
    while words and words[-1] in ("l", "r", "left", "right"):
        words.pop()
    return bool(words) and words[-1] in TIPS
