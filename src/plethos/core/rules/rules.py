"""The rules of a character: dials, triggers that give values, groups, and the remedies that use them."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from plethos.core.errors import BadEditError
from plethos.core.rules.dials import Dial, Group
from plethos.core.rules.listed import put
from plethos.core.rules.moment import Slot
from plethos.core.rules.remedies import Corrective, Helper, Order, Remedy, SkinBlend
from plethos.core.rules.remedies.body import DeformerBody, Stage
from plethos.core.rules.triggers import Trigger
from plethos.core.skeleton.mapping import IdMap, JointMap
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.shape import Shape

GONE = "That remedy is not there any more; it may have been deleted or undone."


def value_of(trigger: Trigger, *wanted: str | None) -> str:
    """The value of a trigger that is wanted; its first one where it gives none of these."""
    given = trigger.writes()
    return next((v for v in wanted if v in given), given[0])


@dataclass(frozen=True, eq=False)
class Rules:
    """Everything that acts by itself. Only what stands here looks into a trigger or a remedy.

    Parameters
    ----------
    dials, groups
        Values that are set.
    triggers
        Values that are worked out.
    remedies
        In the order in which they act, within their stage.
    """

    dials: tuple[Dial, ...] = ()
    triggers: tuple[Trigger, ...] = ()
    groups: tuple[Group, ...] = ()
    remedies: tuple[Remedy, ...] = ()

    @cached_property
    def value_ids(self) -> tuple[str, ...]:
        """The ids of all values: dials, groups, then those of the triggers."""
        given = [d.id for d in self.dials] + [g.id for g in self.groups]
        return (*given, *(v for t in self.triggers for v in t.writes()))

    @cached_property
    def _by_id(self) -> dict[str, Remedy]:
        return {r.id: r for r in self.remedies}

    @cached_property
    def _writer(self) -> dict[Slot, Trigger]:
        return {v: t for t in self.triggers for v in t.writes()}

    def remedy(self, remedy_id: str) -> Remedy:
        """The remedy with this id.

        Raises
        ------
        BadEditError
            When it is not there (any more).
        """
        if remedy_id not in self._by_id:
            raise BadEditError(GONE)
        return self._by_id[remedy_id]

    def has(self, remedy_id: str) -> bool:
        """Whether there is a remedy with this id."""
        return remedy_id in self._by_id

    def dial(self, name: str) -> Dial:
        """The dial of that name.

        Raises
        ------
        BadEditError
            When there is none.
        """
        for dial in self.dials:
            if dial.name == name:
                return dial
        raise BadEditError(f"There is no dial called “{name}” in this character.")

    def trigger_of(self, remedy: Remedy) -> Trigger | None:
        """The trigger that a remedy is tied to; None for a dial, or when it is untied."""
        return None if remedy.by is None else self.writer(remedy.by)

    def writer(self, value: Slot) -> Trigger | None:
        """The trigger that gives a value, or turns a joint; None for what is set."""
        return self._writer.get(value)

    # What acts at each stage.

    def _at(self, stage: Stage) -> tuple[tuple[Remedy, Any], ...]:
        return tuple((r, r.body) for r in self.remedies if r.body.stage is stage)

    @cached_property
    def on(self) -> tuple[Remedy, ...]:
        """The remedies that are switched on, and whose group is: those that act where nobody says which do."""
        off = {g.id for g in self.groups if not g.on}
        return tuple(r for r in self.remedies if r.on and r.group not in off)

    @cached_property
    def correctives(self) -> tuple[tuple[Remedy, Corrective], ...]:
        """The remedies of the stage before the skin."""
        return self._at(Stage.SHAPES)

    @cached_property
    def helpers(self) -> tuple[tuple[Remedy, Helper], ...]:
        """The remedies that turn joints."""
        return self._at(Stage.JOINTS)

    @cached_property
    def helpers_on(self) -> tuple[Helper, ...]:
        """Those of them that are on."""
        return tuple(body for r, body in self.helpers if r in self.on)

    @cached_property
    def blends(self) -> tuple[tuple[Remedy, SkinBlend], ...]:
        """The remedies that choose the skinning method."""
        return self._at(Stage.SKIN)

    @cached_property
    def deformers(self) -> tuple[tuple[Remedy, DeformerBody], ...]:
        """The remedies that act after the skin."""
        return self._at(Stage.AFTER)

    @cached_property
    def orders(self) -> tuple[tuple[Remedy, Order], ...]:
        """The remedies that switch what is painted over what."""
        return self._at(Stage.DRAWING)

    @cached_property
    def shapes(self) -> tuple[Shape, ...]:
        """The shapes of all correctives, in order."""
        return tuple(s for _, body in self.correctives for s in body.shapes)

    # What depends on what.

    def joints_read(self, remedy: Remedy) -> frozenset[int]:
        """The joints that a remedy depends on, through however many values."""
        found: set[int] = set()
        waiting, seen = list(remedy.reads()), set[Slot]()
        while waiting:
            slot = waiting.pop()
            if slot in seen:
                continue
            seen.add(slot)
            if isinstance(slot, int):
                found.add(slot)
            elif slot in self._writer:
                waiting += self._writer[slot].reads()
        return frozenset(found)

    def readers(self, slot: Slot) -> tuple[str, ...]:
        """What reads a joint or a value directly, as people call it."""
        triggers = [self.label(t) for t in self.triggers if slot in t.reads()]
        return (*triggers, *(r.name for r in self.remedies if slot in r.reads()))

    def holding(self, joint: int) -> tuple[str, ...]:
        """What would be lost with a joint: whoever reads or turns it."""
        return (*self.readers(joint), *(r.name for r, body in self.helpers if body.joint == joint))

    def label(self, trigger: Trigger) -> str:
        """What to call a trigger: its name, else the remedy that is tied to it."""
        if trigger.name:
            return trigger.name
        tied = [r.name for r in self.remedies if r.by in trigger.writes()]
        return tied[0] if tied else "a trigger"

    # Edits: each gives other rules.

    def with_remedy(self, remedy: Remedy, *triggers: Trigger) -> Rules:
        """With a remedy replaced (same id) or added at the end, and the triggers that it brings."""
        rules = replace(self, remedies=put(self.remedies, remedy))
        for trigger in triggers:
            rules = rules.with_trigger(trigger)
        return rules

    def with_trigger(self, trigger: Trigger) -> Rules:
        """With a trigger replaced (same id), or added at the end."""
        return replace(self, triggers=put(self.triggers, trigger))

    def with_dial(self, dial: Dial) -> Rules:
        """With a dial replaced (same id), or added at the end."""
        return replace(self, dials=put(self.dials, dial))

    def with_group(self, group: Group) -> Rules:
        """With a group replaced (same id), or added at the end."""
        return replace(self, groups=put(self.groups, group))

    def tied(self, remedy_id: str, trigger: Trigger | None, value: str | None = None) -> Rules:
        """With a remedy tied to a trigger of its own, in place of the one that only it was tied to; None unties it.

        Parameters
        ----------
        value
            Which of the trigger's values, where it gives several; None = the one that the remedy has, or the first.
        """
        remedy = self.remedy(remedy_id)
        rules = self.with_remedy(replace(remedy, by=None if trigger is None else value_of(trigger, value, remedy.by)))
        if trigger is not None:
            rules = rules.with_trigger(trigger)
        old = self.trigger_of(remedy)
        return rules if old is None or (trigger is not None and old.id == trigger.id) else rules.without_unread(old)

    def without_unread(self, trigger: Trigger) -> Rules:
        """Without a trigger that nobody reads any more; one with a name of its own stays."""
        if trigger.name or any(self.readers(v) for v in trigger.writes()):
            return self
        return replace(self, triggers=tuple(t for t in self.triggers if t.id != trigger.id))

    def without_remedy(self, remedy_id: str) -> Rules:
        """Without a remedy, and without the trigger that only it was tied to."""
        gone = self.remedy(remedy_id)
        left = tuple(replace(r, twin=None) if r.twin == gone.id else r for r in self.remedies if r.id != gone.id)
        rules, trigger = replace(self, remedies=left), self.trigger_of(gone)
        return rules if trigger is None else rules.without_unread(trigger)

    def members(self, id: str) -> tuple[str, ...]:
        """The ids of the remedies that are meant by a group's id, or by a remedy's own."""
        in_group = tuple(r.id for r in self.remedies if r.group == id)
        return in_group if any(g.id == id for g in self.groups) else (id,)

    def without_joint(self, joint: int) -> Rules:
        """Without what cannot be without a joint.

        Notes
        -----
        Helpers that turn the joint, or follow it, go; triggers that read it go, with products of them; every other
        remedy stays with its shape, untied where its value is gone.
        """
        dead: set[Slot] = {joint}
        triggers = self.triggers
        while any(dead & set(t.reads()) for t in triggers):
            dead |= {v for t in triggers if dead & set(t.reads()) for v in t.writes()}
            triggers = tuple(t for t in triggers if not dead & set(t.writes()))
        rules = replace(self, triggers=triggers, remedies=tuple(
            replace(r, by=None) if r.by in dead else r for r in self.remedies
        ))  # fmt: skip
        for remedy in rules.remedies:
            if dead & set(remedy.reads()) or joint in remedy.body.writes():
                rules = rules.without_remedy(remedy.id)
        return rules

    def carried(self, joints: JointMap, skeleton: Skeleton) -> Rules:
        """The same on a changed skeleton; nothing that they refer to is gone."""
        same: IdMap = {}
        return replace(
            self,
            triggers=tuple(t.mapped(joints, same) for t in self.triggers),
            remedies=tuple(r.mapped(joints, None, same, skeleton) for r in self.remedies),
        )

    def check_names(self) -> None:
        """Refuse names that are empty or used twice, ids that are, and references to what is not there.

        Raises
        ------
        BadEditError
            With a sentence that names it.
        """
        for kind, names in (
            ("dial", [d.name for d in self.dials]),
            ("group", [g.name for g in self.groups]),
            ("remedy", [r.name for r in self.remedies]),
        ):
            twice = [n for n, count in Counter(names).items() if count > 1 or not n.strip()]
            if twice:
                raise BadEditError(f"The name “{twice[0]}” does for one {kind} only: choose another.")
        ids = [*self.value_ids, *(r.id for r in self.remedies)]
        twice = [i for i, count in Counter(ids).items() if count > 1]
        if twice:
            raise BadEditError(f"Two things have the id “{twice[0]}”: each needs its own.")
        known = set(self.value_ids)
        readers: tuple[Trigger | Remedy, ...] = (*self.triggers, *self.remedies)
        for reader in readers:
            if any(isinstance(slot, str) and slot not in known for slot in reader.reads()):
                name = reader.name if isinstance(reader, Remedy) else self.label(reader)
                raise BadEditError(f"“{name}” reads a value that is not there (any more).")
        groups = {g.id for g in self.groups}
        lost = [r.name for r in self.remedies if r.group is not None and r.group not in groups]
        if lost:
            raise BadEditError(f"“{lost[0]}” belongs to a group that is not there (any more).")
