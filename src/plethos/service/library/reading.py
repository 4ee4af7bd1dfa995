"""What strangers sent is read in a process of its own, within limits: nothing in a file can take the server with it.

Processes come from a small server of Python's own (`multiprocessing`, "forkserver") that has imported what reads files
already: one more takes some hundredths of a second.
"""

from __future__ import annotations

import contextlib
import math
import multiprocessing
import resource
import signal
import threading
import time
import traceback
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, TypeVar

import structlog

from plethos.core.errors import BadFileError, PlethosError

T = TypeVar("T")
SECONDS = 20  # of processor time
BYTES = 1_000_000_000  # of memory, beside what the process begins with
WAITED = 120.0  # seconds on the clock: a machine may be busy, but nobody waits for ever
LOOK = 0.05  # seconds between two looks whether who sent the file is still there
TOO_LONG = f"The file takes more than {SECONDS} seconds to read: bring in a part of it, or a simpler one."
TOO_LARGE = f"The file takes more than {BYTES // 1_000_000} MB of memory to read: bring in a part of it."
BROKEN = "The file is broken in a way that cannot be read."

_processes = multiprocessing.get_context("forkserver")
_processes.set_forkserver_preload(
    [
        "plethos.core.formats.files",
        "plethos.core.formats.usd_file",
        "plethos.core.formats.bvh",
        "plethos.core.formats.obj_match",
        "plethos.core.weights.table",
        "plethos.launch.__main__",  # each process looks at the program that it is of
        "plethos.service.library.reading",
    ]
)
log = structlog.get_logger()


class SenderGoneError(PlethosError):
    """Whoever sent a file has gone away: it is not read any further."""


def read_apart(work: Callable[..., T], *given: Any, gone: threading.Event | None = None) -> T:
    """What `work` makes of a file, done in a process of its own.

    Parameters
    ----------
    work
        A function of a module, so that the process finds it.
    given
        What it is given.
    gone
        Set when whoever sent the file has gone away.

    Raises
    ------
    BadFileError
        When it takes too long or too much memory, or whatever `work` raises.
    SenderGoneError
        When they have.
    """
    receiver, sender = _processes.Pipe(duplex=False)
    process = _processes.Process(target=_within_limits, args=(sender, work, given, SECONDS, BYTES), daemon=True)
    with receiver:
        with sender:
            process.start()
        try:
            how, what = _told(receiver, gone or threading.Event())
        except EOFError:
            process.join()
            raise BadFileError(_ended_by(process.exitcode)) from None
        finally:
            process.kill()
            process.join()
    if how == "done":
        return what  # type: ignore[no-any-return]
    if how == "refused":
        raise what
    log.error("a file could not be read", trace=what)
    raise BadFileError(BROKEN)


def warm_up() -> None:
    """Have the processes' own server imported what it needs before the first file comes."""
    read_apart(bool)


def _told(receiver: Connection, gone: threading.Event) -> tuple[str, Any]:
    began = time.monotonic()
    while not receiver.poll(LOOK):
        if gone.is_set():
            raise SenderGoneError("Whoever sent the file has gone away: nothing of it was kept.")
        if time.monotonic() - began > WAITED:
            raise BadFileError(TOO_LONG)
    return receiver.recv()  # type: ignore[no-any-return]


def _ended_by(code: int | None) -> str:
    """Why a process ended without a word."""
    if code == -signal.SIGXCPU:
        return TOO_LONG
    # What cannot go on without memory, and knows no exception, aborts.
    return TOO_LARGE if code in (-signal.SIGABRT, -signal.SIGKILL) else BROKEN


def _within_limits(
    sender: Connection, work: Callable[..., Any], given: tuple[Any, ...], seconds: int, most: int
) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # a stop ends it from above
    began_with = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    seconds += math.ceil(time.process_time())
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 2))
    resource.setrlimit(resource.RLIMIT_AS, (began_with + most, began_with + most))
    told: tuple[str, Any]
    try:
        told = ("done", work(*given))
    except PlethosError as error:
        told = ("refused", error)
    except MemoryError:
        told = ("refused", BadFileError(TOO_LARGE))
    except Exception:
        told = ("failed", traceback.format_exc())
    with contextlib.suppress(BrokenPipeError):
        try:
            sender.send(told)
        except MemoryError:
            sender.send(("refused", BadFileError(TOO_LARGE)))
