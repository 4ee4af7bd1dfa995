"""Long work, done at once."""

from __future__ import annotations

from plethos.service.jobs.jobs import Jobs
from plethos.service.jobs.put_to_use import delivery_in
from plethos.service.jobs.worker import Worker
from plethos.service.library.delivery import Delivery
from plethos.store.work import DONE


def done(bench, kind, character_id, **arguments) -> str:
    """Have a piece of work done by this thread; its id."""
    work = Jobs(bench).ask(kind, character_id, **arguments)
    Worker(bench).do(work.id)
    ended = Jobs(bench).find(work.id)
    assert ended.state == DONE, ended
    return ended.id


def delivered(bench, character_id, **asked) -> Delivery:
    """Have a file made to hand out."""
    *_, last = Jobs(bench).have_done("delivery", character_id, **asked)
    return delivery_in(last)
