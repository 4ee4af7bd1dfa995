"""`./plethos worker`: long work, in a process beside the server."""

from __future__ import annotations

import asyncio
import os
import signal
import sys
import threading
from pathlib import Path

import structlog

from plethos.launch.cluster import SetupError
from plethos.launch.start import default_data


def the_database(folder: Path) -> str:
    """The address of the database of a start that runs on a folder.

    Raises
    ------
    SetupError
        When none does.
    """
    address = folder / "database.url"
    if not address.is_file():
        raise SetupError(f"Nothing runs on {folder}: start it first with `./plethos start`.")
    return address.read_text()


def ends_with_start() -> None:
    """End this process when the start that began it ends, however: its pipe closes."""

    def until_closed() -> None:
        sys.stdin.buffer.read()
        os._exit(0)

    threading.Thread(target=until_closed, daemon=True).start()


def work(data: Path | None, quiet: bool = False) -> None:
    """Do long work of the application that runs on the same data, until Ctrl-C or SIGTERM.

    Parameters
    ----------
    quiet
        Whether a start has begun this: it ends with that start, whose pipe closes.
    """
    from plethos.service.jobs.jobs import Jobs
    from plethos.service.library.workbench import Workbench
    from plethos.store.repository import Store

    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    folder = (data or default_data()).resolve()
    url = the_database(folder)
    log_as_json()
    jobs = Jobs(Workbench(Store(url)))
    if quiet:
        ends_with_start()

    async def until_stopped() -> None:
        # An exit raised wherever Python just is may be taken there for a fault of its own, and go no further.
        told = asyncio.Event()
        for one in (signal.SIGTERM, signal.SIGINT):
            asyncio.get_running_loop().add_signal_handler(one, told.set)
        async with jobs.working() as worker:
            if not quiet:
                print("Plethos works along.   (Ctrl-C stops it)", flush=True)
            await asyncio.wait({worker, asyncio.create_task(told.wait())}, return_when=asyncio.FIRST_COMPLETED)
            if worker.done():
                await worker  # what ended it is told
        # Tasks of the database's pool that were cut off while they began may never end.
        os._exit(0)

    asyncio.run(until_stopped())


def log_as_json() -> None:
    """Structured logs, a line of JSON each, on the error channel."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.WriteLoggerFactory(file=sys.stderr),
    )
