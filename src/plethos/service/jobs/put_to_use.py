"""What long work comes to, put to use for whoever waits for it."""

from __future__ import annotations

from collections.abc import Callable, Generator

from plethos.core.errors import BadEditError
from plethos.service.jobs.jobs import Jobs, Now
from plethos.service.library.delivery import Delivery
from plethos.service.library.poses import pose_of
from plethos.service.library.trials import Trial, TrialSubject
from plethos.service.proposals.joint import joint_of
from plethos.service.schemas.mending import KindsTried, ProposalRequest

CANCELLED = "The delivery was cancelled."


def which_kinds(
    jobs: Jobs, character_id: str, body: ProposalRequest, handed_on: Callable[[], object]
) -> Generator[KindsTried | None, None, None]:
    """Have each kind of remedy tried, and told after each; what was tried is kept at hand for the page.

    None tells that there is nothing new: see `Jobs.following`.
    """
    opened = jobs.bench.open(character_id)
    version = opened.version
    pose = pose_of(version, body.pose.plain())
    subject = TrialSubject.of(version.evaluator, joint_of(version, pose, body.joint), pose)
    found = opened.trials.of(jobs.bench.page).of(subject)
    found.clear()
    for now in jobs.following("which_kind", character_id, handed_on, **body.model_dump()):
        if now is None:
            yield None
        if now is None or now.document is None:
            continue
        for kind, document in now.document["trials"].items():
            if kind not in found:
                found[kind] = Trial(opened.bare, version.character, document, now.arrays)
        yield KindsTried(**now.document["told"])


def delivery_in(now: Now | None) -> Delivery:
    """The file that a delivery came to in the end.

    Raises
    ------
    BadEditError
        When there is none: it was cancelled.
    """
    if now is None or now.document is None:
        raise BadEditError(CANCELLED)
    return Delivery(now.document["name"], now.arrays.get("file", now.document["file"])[0].tobytes())
