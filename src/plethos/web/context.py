"""What every route is given: the workbench and the limits."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import AsyncIterator
from dataclasses import dataclass
from typing import Annotated, cast

from fastapi import Depends, File, Header, HTTPException, Request, UploadFile
from starlette.requests import HTTPConnection

from plethos.service.jobs.jobs import Jobs
from plethos.service.library.workbench import Workbench

# Seconds that a connection is kept though nobody asks. After the usual five, whoever polls over one (a test, a script)
# now and then asks in the very moment in which it is closed.
KEPT_ALIVE = 3600
LOOK = 0.25  # seconds between two looks whether whoever sent a file is still there


@dataclass(frozen=True)
class Settings:
    """Limits that a start may set.

    Parameters
    ----------
    upload_bytes
        The most that one upload may hold.
    workers_elsewhere
        Whether long work is done by other processes, so that it takes no turn from the poses.
    """

    upload_bytes: int = 256_000_000
    workers_elsewhere: bool = False


@dataclass(frozen=True)
class Upload:
    """One file that was sent, no larger than the limits let it be."""

    name: str
    data: bytes


def _page(page: Annotated[str | None, Header(alias="Plethos-Page", max_length=64)] = None) -> str | None:
    """Which page asks, so that its edits are known from those of another: see `Lease`. Programs say none."""
    return page or None


Page = Annotated[str | None, Depends(_page)]


def _bench(connection: HTTPConnection, page: Page) -> Workbench:
    return cast(Workbench, connection.app.state.bench).of(page)


async def _sender(request: Request) -> AsyncIterator[threading.Event]:
    """Set once whoever asks has gone away, so that what they sent is not read for nobody."""
    gone = threading.Event()

    async def look() -> None:
        while not await request.is_disconnected():
            await asyncio.sleep(LOOK)
        gone.set()

    looking = asyncio.create_task(look())
    try:
        yield gone
    finally:
        looking.cancel()


def _reading_bench(
    connection: HTTPConnection, page: Page, gone: Annotated[threading.Event, Depends(_sender)]
) -> Workbench:
    return cast(Workbench, connection.app.state.bench).of(page, gone)


def _limits(connection: HTTPConnection) -> Settings:
    return cast(Settings, connection.app.state.settings)


Limits = Annotated[Settings, Depends(_limits)]


def _upload(limits: Limits, file: Annotated[UploadFile, File()]) -> Upload:
    data = file.file.read(limits.upload_bytes + 1)
    if len(data) > limits.upload_bytes:
        raise HTTPException(413, f"The file is larger than {limits.upload_bytes // 1_000_000} MB.")
    return Upload(file.filename or "file", data)


Bench = Annotated[Workbench, Depends(_bench)]
ReadingBench = Annotated[Workbench, Depends(_reading_bench)]
"""For routes that take a file: what reads it ends when its sender goes."""
OneFile = Annotated[Upload, Depends(_upload)]


def _jobs(bench: Bench) -> Jobs:
    return Jobs(bench)


AllJobs = Annotated[Jobs, Depends(_jobs)]
