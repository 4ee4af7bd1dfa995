"""The server process, as `start` keeps it: the demo put in, the application on the port that it was given."""

from __future__ import annotations

import gc
import os
import socket
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

import structlog
import uvicorn
from sqlalchemy.exc import OperationalError

from plethos.launch.cluster import SetupError
from plethos.launch.start import LOOK, upload_bytes
from plethos.launch.tidying import Tidying, few_heaps
from plethos.launch.work import log_as_json, the_database
from plethos.service.library.reading import warm_up
from plethos.service.library.workbench import Workbench
from plethos.store.faults import fault_of
from plethos.store.migrate import migrate
from plethos.store.repository import Store
from plethos.store.sweep import Sweep
from plethos.store.transactions import AWAY
from plethos.web.app import create_app
from plethos.web.context import KEPT_ALIVE, Settings

HANDED_BACK = 0.0005  # seconds
ENDED_WITHIN = 5.0  # seconds
CLEAN_FIRST, CLEAN_EVERY = 60.0, 600.0  # seconds
log = structlog.get_logger()


def serve(listening: socket.socket, folder: Path, empty: bool, ready: Callable[[], None]) -> None:
    """Answer pages until SIGTERM.

    Parameters
    ----------
    ready
        Called once pages are answered.

    Raises
    ------
    SetupError
        When the data cannot be opened.
    """
    few_heaps()
    log_as_json()
    # A frame lets go of the interpreter a dozen times, in compiled code; whoever works in Python meanwhile hands it
    # back after so long. At the usual 5 ms a pose beside an upload waits for a tenth of a second and more.
    sys.setswitchinterval(HANDED_BACK)
    # What reads strangers' files is there by the time that the first one comes.
    threading.Thread(target=warm_up, daemon=True).start()
    url = the_database(folder)
    try:
        migrate(url)
        store = Store(url)
        if not empty:
            _seed(store, folder)
    except OperationalError as error:
        raise SetupError(fault_of(error)) from None
    limit = upload_bytes()
    settings = Settings(workers_elsewhere=True, **({} if limit is None else {"upload_bytes": limit}))
    config = uvicorn.Config(
        create_app(store, settings), loop="uvloop", ws="websockets-sansio", ws_per_message_deflate=False,
        ws_max_size=4_000_000, log_level="warning", timeout_graceful_shutdown=2, timeout_keep_alive=KEPT_ALIVE,
    )  # fmt: skip
    server = _Server(config, f"http://127.0.0.1:{listening.getsockname()[1]}/", ready)
    threading.Thread(target=_warm, daemon=True).start()
    threading.Thread(target=_look_after, args=(server, store), daemon=True).start()
    threading.Thread(target=_clean_up, args=(server, store), daemon=True).start()
    server.run(sockets=[listening])
    # Threads that still wait for something are not waited for: everything that was told as saved is stored.
    os._exit(0)


def _seed(store: Store, folder: Path) -> None:
    """Put the demo characters in, once."""
    seeded = folder / "seeded"
    if seeded.exists():
        return
    from plethos.demo.shelf import TITLES, shipped

    for name, title in reversed(TITLES.items()):
        Workbench(store).bring_in(title, shipped(name), demo=True)
    seeded.write_text("The demo was put here once; delete this file to have it again.\n")


def _look_after(server: uvicorn.Server, store: Store) -> None:
    """Tidy up in quiet moments; and see to it that a stop is one, whatever still hangs."""
    tidying = Tidying()
    while not server.should_exit:
        time.sleep(LOOK)
        if server.started and not server.should_exit:
            tidying.look()
    store.give_up()
    time.sleep(ENDED_WITHIN)
    os._exit(0)


def _clean_up(server: uvicorn.Server, store: Store) -> None:
    """Delete what nothing reaches any more, now and then."""

    def pause() -> None:
        time.sleep(LOOK)
        if server.should_exit:
            raise SystemExit

    at = time.monotonic() + CLEAN_FIRST
    while not server.should_exit:
        time.sleep(LOOK)
        if time.monotonic() < at:
            continue
        at = time.monotonic() + CLEAN_EVERY
        try:
            if gone := Sweep(store.transactions, pause).all():
                log.info("cleaned up", rows=gone)
        except AWAY:
            log.warning("the database is away: nothing is cleaned up")


def _warm() -> None:
    from plethos.launch.warm import warm_kernels

    warm_kernels()
    # What has been imported stays: looking through it for garbage would hold every pose up for a tenth of a second.
    gc.collect()
    gc.freeze()


class _Server(uvicorn.Server):
    """Says where it is once it listens."""

    def __init__(self, config: uvicorn.Config, address: str, ready: Callable[[], None]) -> None:
        super().__init__(config)
        self.address, self.ready = address, ready

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets=sockets)
        print(f"Plethos is ready: {self.address}   (Ctrl-C stops it)", flush=True)
        self.ready()
