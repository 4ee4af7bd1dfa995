"""Rules compiled: one program for each version, worked through once a pose."""

from __future__ import annotations

import graphlib
import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.rules.moment import EMPTY, Moment, Places, Slot, Step
from plethos.core.rules.remedies import Body, Remedy, kernels
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers import Trigger
from plethos.core.rules.triggers.hinge import Hinges
from plethos.core.skeleton import kinematics
from plethos.core.skeleton.pose import Pose, refuse_nowhere
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.binding import Bones

Kind = TypeVar("Kind", bound=Body)


@dataclass(frozen=True)
class Acting:
    """Which remedies act in a pose.

    Parameters
    ----------
    only
        The ids of those that act, switched on or not; None = all that are on.
    """

    only: frozenset[str] | None = None

    @classmethod
    def these(cls, *ids: str) -> Acting:
        """Only these remedies."""
        return cls(frozenset(ids))


ALL, NONE = Acting(), Acting(frozenset())


@dataclass(frozen=True, eq=False)
class Program:
    """The rules of one version on its skeleton.

    Parameters
    ----------
    rules, skeleton
        What was compiled.
    places
        Where values and remedies lie.
    steps
        In the order in which they depend on each other.
    step_of
        Which of the steps works out each trigger, by its id.
    start
        ``(N,)`` the values before anything is set or read.
    untied
        ``(R,)`` what each remedy stands at when it is tied to nothing.
    tied, read
        ``(T,)`` the remedies that are tied to a value, and where that lies.
    apart
        The values that no activation of a remedy shows already, and where they lie: dials, and what several remedies
        read or none does.
    targets
        Of the correctives: see `kinematics.target_weights`.
    """

    rules: Rules
    skeleton: Skeleton
    places: Places
    steps: tuple[Step, ...]
    step_of: Mapping[str, int]
    start: Array
    untied: Array
    tied: NDArray[np.int32]
    read: NDArray[np.int32]
    apart: Mapping[str, int]
    targets: Array
    _gains: dict[frozenset[str] | None, tuple[Array, Array]] = field(default_factory=dict)

    def trying(self, trigger: Trigger) -> Program | None:
        """The same with another trigger in place of the one of its id; None when that has to be compiled.

        Whoever reads a trigger stands in a later step. So the other one is worked out right after the step of the one
        that it stands in for, over its value: nothing else is packed anew, however many rules there are.
        """
        written = trigger.writes()
        old = self.rules.writer(written[0])
        if old is None or old.id != trigger.id or old.writes() != written or not trigger.reads() <= old.reads():
            return None
        after = self.step_of[trigger.id] + 1
        steps = (*self.steps[:after], *_packed([trigger], self.places), *self.steps[after:])
        return replace(self, steps=steps, step_of={})

    def gains(self, acting: Acting) -> tuple[Array, Array]:
        """How much of each remedy ``(R,)``, and of each corrective ``(C,)``, acts: NaN for not at all."""
        # By what it holds: a frozen set knows its hash, a dataclass works it out anew each time.
        found = self._gains.get(acting.only)
        if found is None:
            factors = {g.id: g.factor for g in self.rules.groups}
            ids = {r.id for r in self.rules.on} if acting.only is None else acting.only
            every = np.full(len(self.rules.remedies), np.nan)
            for k, remedy in enumerate(self.rules.remedies):
                if remedy.id in ids:
                    every[k] = remedy.amount * factors.get(remedy.group or "", 1.0)
            own = np.array([self.places.remedies[r.id] for r, _ in self.rules.correctives], np.intp)
            found = (every, np.ascontiguousarray(every[own]))
            if len(self._gains) > 64:
                self._gains.clear()
            self._gains[acting.only] = found
        return found

    def acting(self, remedies: Sequence[tuple[Remedy, Kind]], acting: Acting) -> list[tuple[Remedy, Kind]]:
        """Those of some remedies, with their bodies, that act."""
        gains = self.gains(acting)[0]
        return [(r, body) for r, body in remedies if not np.isnan(gains[self.places.remedies[r.id]])]

    def moment(self, pose: Pose, acting: Acting, bones: Bones | None = None) -> Moment:
        """All values and all joints of a pose.

        Parameters
        ----------
        bones
            Of a skin that is linear only: where hinges come last, the pass goes on to weights, joints and bones.

        Raises
        ------
        BadPoseError
            When the pose is one of another skeleton, or a joint lies nowhere in it.
        """
        self.skeleton.check_pose(pose)
        moved = EMPTY if pose.translations is None else np.array(pose.translations, np.float64)
        scaled = EMPTY if pose.scales is None else np.array(pose.scales, np.float64)
        values = self.start.copy()
        if pose.dials:
            for dial in self.rules.dials:
                given = pose.dials.get(dial.name)
                if given is not None:
                    values[self.places.values[dial.id]] = min(max(given, dial.low), dial.high)
        turned = np.array(pose.rotations, np.float64, order="C")
        moment = Moment(turned, moved, scaled, values, pose.shape_weights or {})
        gains, own = self.gains(acting)
        last = self.steps[-1] if self.steps else None
        if bones is None or not isinstance(last, Hinges):
            for step in self.steps:
                step.run(moment, gains)
            return moment
        for step in self.steps[:-1]:
            step.run(moment, gains)
        targets, joints, seen = self.targets, self.skeleton.rows, bones.rows
        moment.weights = weights = np.empty(len(targets), np.float32)
        moment.world = world = np.empty((len(joints), 4, 4))
        moment.columns = columns = np.empty((len(seen), 16), np.float32)
        farthest = kinematics.from_hinges(
            turned, moved, scaled, last.rows, last.knots, values, targets, own, weights, joints, world, seen, columns
        )
        refuse_nowhere(farthest)
        return moment

    def target_weights(self, moment: Moment, acting: Acting) -> NDArray[np.float32]:
        """How much of each target of the correctives is on ``(T,)``."""
        out = np.empty(len(self.targets), np.float32)
        kinematics.target_weights(self.targets, self.gains(acting)[1], moment.values, out)
        return out

    def effect(self, moment: Moment, acting: Acting, remedy_id: str) -> float:
        """How much of a remedy that is no corrective acts: its gain times what it is tied to; 0 for not at all."""
        place = self.places.remedies[remedy_id]
        gain, by = float(self.gains(acting)[0][place]), self.rules.remedies[place].by
        if np.isnan(gain):
            return 0.0
        return gain if by is None else gain * min(max(float(moment.values[self.places.values[by]]), 0.0), 1.0)

    def activations(self, moment: Moment) -> dict[str, float]:
        """What each remedy's value stands at, 0 to 1, before its amount; untied ones 0, or 1 when always on."""
        told = self.untied.copy()
        kernels.clamped_activations(moment.values, self.tied, self.read, told)
        return dict(zip(self.places.remedies, told.tolist(), strict=True))

    def values(self, moment: Moment) -> dict[str, float]:
        """Where dials, factors, stored poses, and whatever else is no remedy's own value stand."""
        if not self.apart:
            return {}
        return dict(zip(self.apart, moment.values[list(self.apart.values())].round(4).tolist(), strict=True))


def compiled(rules: Rules, skeleton: Skeleton) -> Program:
    """Rules made ready: packed by kind, in an order in which everything is worked out before it is read.

    Raises
    ------
    BadEditError
        When rules depend on each other in a circle, which is told by name; two turn one joint; or a name or a reference
        is broken.
    """
    rules.check_names()
    ids = rules.value_ids
    places = Places(
        skeleton, {v: k for k, v in enumerate(ids)}, {r.id: k for k, r in enumerate(rules.remedies)}
    )  # fmt: skip
    start = np.zeros(len(ids))
    for dial in rules.dials:
        start[places.values[dial.id]] = dial.start
    for group in rules.groups:
        start[places.values[group.id]] = group.factor
    steps, step_of = _steps(rules, places)
    return Program(
        rules,
        skeleton,
        places,
        steps,
        step_of,
        start,
        untied=np.array([float(not r.body.stage.needs_tie) for r in rules.remedies]),
        tied=np.array([k for k, r in enumerate(rules.remedies) if r.by is not None], np.int32),
        read=np.array([places.of(r.by) for r in rules.remedies if r.by is not None], np.int32),
        apart=_apart(rules, places),
        targets=_targets(rules, places),
    )


def _targets(rules: Rules, places: Places) -> Array:
    """The targets ``(T, 6)`` of all correctives as `kinematics.target_weights` reads them."""
    rows = []
    for c, (remedy, body) in enumerate(rules.correctives):
        at = [t.at for t in body.targets]
        for before, own, after in zip([0.0, *at], at, [*at[1:], math.nan], strict=False):
            rows.append((c, places.of(remedy.by), before, own, after, body.eased))
    return np.array(rows, np.float64).reshape(-1, 6)


def _apart(rules: Rules, places: Places) -> dict[str, int]:
    readers = Counter(r.by for r in rules.remedies)
    own = (t.writes() for t in rules.triggers)
    shown = {values[0] for values in own if len(values) == 1 and readers[values[0]] == 1}
    return {v: k for v, k in places.values.items() if v not in shown}


def _steps(rules: Rules, places: Places) -> tuple[tuple[Step, ...], dict[str, int]]:
    """The steps of all triggers and helper joints, in order; and which of them works out each trigger."""
    nodes: list[Any] = [*rules.triggers, *(r for r, _ in rules.helpers)]
    writer: dict[Slot, int] = {}
    for n, node in enumerate(nodes):
        for slot in node.writes() if n < len(rules.triggers) else node.body.writes():
            if slot in writer:
                one, other = (_called(rules, nodes[k]) for k in (writer[slot], n))
                raise BadEditError(f"“{one}” and “{other}” turn the same joint: leave that to one of them.")
            writer[slot] = n
    sorter: graphlib.TopologicalSorter[int] = graphlib.TopologicalSorter()
    for n, node in enumerate(nodes):
        sorter.add(n, *(writer[slot] for slot in node.reads() if slot in writer))
    try:
        sorter.prepare()
    except graphlib.CycleError as error:
        names = " → ".join(_called(rules, nodes[n]) for n in reversed(error.args[1]))
        raise BadEditError(f"These depend on each other in a circle: {names}.") from None
    steps: list[Step] = []
    step_of: dict[str, int] = {}
    while sorter.is_active():
        level = sorter.get_ready()
        steps += _packed([nodes[n] for n in sorted(level)], places)
        step_of.update({nodes[n].id: len(steps) - 1 for n in level if n < len(rules.triggers)})
        sorter.done(*level)
    return tuple(steps), step_of


def _packed(level: Sequence[Any], places: Places) -> list[Step]:
    """What stands on one level, each kind as one step."""
    kinds: dict[type, list[Any]] = {}
    for node in level:
        body = getattr(node, "body", node)
        kinds.setdefault(type(body), []).append((node.id, node.by, body) if body is not node else body)
    return [kind.packed(own, places) for kind, own in kinds.items()]  # type: ignore[attr-defined]


def _called(rules: Rules, node: Any) -> str:
    return str(node.name) if hasattr(node, "body") else rules.label(node)
