"""Kinds of remedy that the program tries for a joint, and the one that it proposes."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from plethos.core.propose.held import Held
from plethos.core.propose.kinds import TRIALS, Judge, Tried, proposed, reason
from plethos.core.skeleton.pose import Pose
from plethos.service.library.trials import TrialSubject
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench
from plethos.service.library.worked_out import put
from plethos.service.proposals.first_mends import MendAsked, first_mend
from plethos.service.proposals.joint import joint_of


@dataclass(frozen=True)
class Kind:
    """A kind of remedy as it was tried.

    Parameters
    ----------
    tried
        None where it cannot be made here.
    why
        What speaks for it, or why it cannot be made.
    """

    kind: str
    tried: Tried | None
    why: str


@dataclass(frozen=True)
class Kinds:
    """What was tried at a joint so far, and what there is now.

    Parameters
    ----------
    proposed
        The kind that suits, once all were tried; None where nothing betters what there is.
    left
        How many are still to be tried.
    """

    now: Tried
    kinds: tuple[Kind, ...]
    proposed: str | None
    left: int


def which_kind(
    version: Version, pose: Pose, joint: str | None, tell: Callable[[], None] = lambda: None
) -> Iterator[Kinds]:
    """Try each kind of remedy for a joint in a pose, and measure it; nothing is stored.

    What is found is given after each kind, so that whoever asks can show it, and stop.

    Parameters
    ----------
    tell
        Called between the steps of a kind that takes long; what it raises stops it.
    """
    judge, kinds = _judge(version, pose, joint, tell), list[Kind]()
    now = judge.tried("", version.character)
    yield Kinds(now, (), None, len(TRIALS))
    for number, (kind, found) in enumerate(judge.of_trials(), 1):
        if isinstance(found, Tried):
            kinds.append(Kind(kind, found, reason(found, now)))
        else:
            kinds.append(Kind(kind, None, found))
        left = len(TRIALS) - number
        best = None if left else proposed([k.tried for k in kinds if k.tried is not None], now)
        yield Kinds(now, tuple(kinds), None if best is None else best.kind, left)


def take_kind(workbench: Workbench, character_id: str, kind: str, pose: Pose, joint: str | None) -> Version:
    """Make the remedy of a kind that was proposed; a corrective is shown as a sculpt first.

    Raises
    ------
    BadEditError
        When it cannot be made here.
    """
    if kind == "corrective":
        return first_mend(workbench, character_id, MendAsked(pose, joint))
    opened = workbench.open(character_id)
    opened.refuse_while_sculpting()
    version = opened.version
    subject = TrialSubject.of(version.evaluator, joint_of(version, pose, joint), pose)
    known = opened.trials.of(workbench.page).of(subject).get(kind)
    made = (known or _judge(version, pose, joint).of_trial(kind)).character
    names = [r.name for r in made.rules.remedies[len(version.character.rules.remedies) :]]
    label = f"Add “{names[0]}”" if len(names) == 1 else f"Add {len(names)} remedies"
    return put(workbench, opened, version, label, made)


def _judge(version: Version, pose: Pose, joint: str | None, tell: Callable[[], None] = lambda: None) -> Judge:
    return Judge.of(Held.of(version.character, joint_of(version, pose, joint), pose, tell))
