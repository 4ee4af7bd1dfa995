"""What long work comes to, put to use for whoever waits for it."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import closing

from plethos.core.errors import BadEditError
from plethos.service.jobs.jobs import Jobs
from plethos.service.library.delivery import Delivery
from plethos.service.library.poses import pose_of
from plethos.service.library.trials import Trial, TrialSubject
from plethos.service.proposals.joint import joint_of
from plethos.service.schemas.character import DeliveryAsked
from plethos.service.schemas.mending import KindsTried, ProposalRequest

CANCELLED = "The delivery was cancelled."


def which_kinds(
    jobs: Jobs, character_id: str, body: ProposalRequest, handed_on: Callable[[], object]
) -> Iterator[KindsTried]:
    """Have each kind of remedy tried, and told after each; what was tried is kept at hand for the page."""
    opened = jobs.bench.open(character_id)
    version = opened.version
    pose = pose_of(version, body.pose.plain())
    subject = TrialSubject.of(version.evaluator, joint_of(version, pose, body.joint), pose)
    found = opened.trials.of(jobs.bench.page).of(subject)
    found.clear()
    for now in jobs.have_done("which_kind", character_id, handed_on, **body.model_dump()):
        if now.document is None:
            continue
        for kind, document in now.document["trials"].items():
            if kind not in found:
                found[kind] = Trial(opened.bare, version.character, document, now.arrays)
        yield KindsTried(**now.document["told"])


def delivery_of(
    jobs: Jobs, character_id: str, asked: DeliveryAsked, gone: threading.Event, handed_on: Callable[[], object]
) -> Delivery:
    """Have a file made to hand out, and wait for it; no longer than whoever asked does.

    Raises
    ------
    BadEditError
        When it was cancelled.
    """
    document = None
    with closing(jobs.have_done("delivery", character_id, handed_on, **asked.model_dump())) as steps:
        for now in steps:
            document, arrays = now.document, now.arrays
            if gone.is_set():
                break
    if document is None:
        raise BadEditError(CANCELLED)
    return Delivery(document["name"], arrays.get("file", document["file"])[0].tobytes())
