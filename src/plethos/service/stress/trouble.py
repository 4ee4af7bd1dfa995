"""The trouble list of a character: the spots of its last sweep, with what became of them and what people said."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from plethos.core.errors import BadEditError
from plethos.core.measure.badness import badness
from plethos.core.skeleton.names import printable
from plethos.core.sweep.report import listed
from plethos.service.library.open_character import NotThereError
from plethos.service.library.version import Version
from plethos.service.schemas.stress import BothBadness, SpotInfo, SweepInfo
from plethos.service.stress.plan import plan_of
from plethos.store.swept import SweptWay, SweptWays

CHANGED = 1.0  # by how much badness has to differ to be told as better or worse
NO_REASON = "Say why it may stay as it is."
NO_SPOT = "That spot is not on the list any more."


class Trouble:
    """The trouble list.

    Parameters
    ----------
    version
        Of the character as it is now.
    kept
        What was measured.
    """

    def __init__(self, version: Version, kept: SweptWays) -> None:
        self.version, self.kept, self._id = version, kept, version.revision.character_id

    def told(self) -> SweepInfo:
        """All of it that is shown."""
        ways, accepted = self.kept.of_character(self._id), self.kept.accepted(self._id)
        nothing = BothBadness(bare=0.0, with_remedies=0.0)
        if not ways:
            return SweepInfo(swept=False, poses=0, total=nothing, spots=[], gone=[], older=0, missing=0)
        plan = plan_of(self.version)
        stale = {n for n, w in ways.items() if n not in plan.ways or w.reads != plan.reads(n)}
        spots, gone = [], []
        for name, way in ways.items():
            before = None if way.before is None else {s["id"]: s for s in way.before["spots"]}
            for spot in way.document["spots"]:
                spots.append({**spot, **_said(spot, accepted, before), "older": name in stale})
            now = {s["id"] for s in way.document["spots"]}
            gone += [spot_id for spot_id in before or () if spot_id not in now]
        # What is ruined in several ways goes before what is in one.
        ruined = sorted(
            listed(spots), key=lambda s: (s["range"] == "guessed", -s["badness"]["with_remedies"], -_in_all(s))
        )
        found = [SpotInfo(**s) for s in ruined]
        return SweepInfo(
            swept=True,
            poses=sum(w.document["poses"] for w in ways.values()),
            total=BothBadness(
                bare=round(sum(s.badness.bare for s in found), 3),
                with_remedies=round(sum(s.badness.with_remedies for s in found), 3),
            ),
            spots=found,
            gone=sorted(gone),
            older=len(stale & set(plan.ways)),
            missing=len(set(plan.ways) - set(ways)),
        )

    def accept(self, spot_id: str, reason: str) -> None:
        """Accept a spot as it is.

        Raises
        ------
        BadEditError
            Without a reason.
        NotThereError
            When it is no spot any more.
        """
        if not printable(reason).strip():
            raise BadEditError(NO_REASON)
        self._find(spot_id)
        self.kept.accept(self._id, spot_id, printable(reason).strip())

    def reopen(self, spot_id: str) -> None:
        """Accept it no more."""
        self.kept.reopen(self._id, spot_id)

    def _find(self, spot_id: str) -> None:
        ways: Mapping[str, SweptWay] = self.kept.of_character(self._id)
        if not any(s["id"] == spot_id for w in ways.values() for s in w.document["spots"]):
            raise NotThereError(NO_SPOT)


def _in_all(spot: Mapping[str, Any]) -> float:
    """All measures of a spot against what ruins them, added up: what tells two apart that are equally bad."""
    return badness(spot["with_remedies"] if spot["badness"]["with_remedies"] else spot["bare"]).shade


def _said(spot: Mapping[str, Any], accepted: Mapping[str, str], before: Mapping[str, Any] | None) -> dict[str, Any]:
    """What state a spot is in, and what became of it since the run before."""
    reason = accepted.get(spot["id"])
    left = spot["badness"]["with_remedies"]
    state = "mended" if left == 0 else "open" if reason is None else "accepted"
    change: Literal["better", "worse", "new", "same"] | None = None
    if before is not None:
        was = before.get(spot["id"])
        off = 0.0 if was is None else left - was["badness"]["with_remedies"]
        change = "new" if was is None else "worse" if off > CHANGED else "better" if off < -CHANGED else "same"
    return {"state": state, "reason": reason, "change": change}
