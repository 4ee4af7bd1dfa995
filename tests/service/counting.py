"""A kind of long work that only counts, and a process that does it: `python -m tests.service.counting DATABASE`."""

import asyncio
import os
import sys
import time

from sqlalchemy import text

from plethos.core.errors import BadEditError
from plethos.service.jobs.kind import JobKind
from plethos.service.jobs.kinds import KINDS
from plethos.service.jobs.worker import Worker
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.common import Schema
from plethos.store.repository import Store


class Count(Schema):
    count: int
    breaks: int | None = None
    seconds: float = 0.0


class Counting(JobKind):
    name = "counting"
    arguments = Count
    ends_with_page = True

    def parts(self, task):
        return [{**task.work.arguments, "number": n} for n in range(task.work.arguments["count"])]

    def run(self, task, arguments):
        if arguments["number"] == arguments["breaks"]:
            raise BadEditError(f"The number {arguments['breaks']} cannot be counted.")
        assert task.version.revision.id == task.work.revision_id
        with task.bench.store.transactions.begin() as session:
            session.execute(text("create table if not exists begun (pid int)"))
            session.execute(text("insert into begun values (:pid)"), {"pid": os.getpid()})
        steps = 4 + int(4 * arguments["seconds"])
        for step in range(steps):
            task.progress(step / steps)
            time.sleep(arguments["seconds"] / steps)
        return {"number": arguments["number"]}

    def merge(self, task, documents):
        return {"numbers": [d["number"] for d in documents]}


COUNTING = Counting()


def begun_by(store: Store) -> set[int]:
    """The processes that have taken up a part."""
    with store.transactions() as session:
        if session.scalar(text("select to_regclass('begun')")) is None:
            return set()
        return set(session.scalars(text("select pid from begun")))


async def _work(url: str) -> None:
    KINDS[COUNTING.name] = COUNTING
    async with Worker(Workbench(Store(url)), 3.0).working() as working:
        await working


if __name__ == "__main__":
    asyncio.run(_work(sys.argv[1]))
