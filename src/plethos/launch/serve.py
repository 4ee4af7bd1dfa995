"""`./plethos start` and `worker`: database, demo, server; and all of it stopped again."""

from __future__ import annotations

import asyncio
import contextlib
import fcntl
import gc
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import structlog
import uvicorn

from plethos.launch.cluster import Cluster, SetupError
from plethos.launch.front import build_front
from plethos.launch.tidying import Tidying

if TYPE_CHECKING:
    from plethos.store.repository import Store

FIRST_PORT = 8400
HANDED_BACK = 0.0005  # seconds
STOPPED_WITHIN = 9.0  # seconds
LOOK = 0.5
BACKSEAT = 10  # how nice a worker of our own is
STOPPING = "stopping"


def default_data() -> Path:
    """Where data is kept: root's own folder is closed to the database's account, so root uses /var/lib."""
    if os.geteuid() == 0:
        return Path("/var/lib/plethos")
    base = os.environ.get("XDG_DATA_HOME")
    return (Path(base) if base else Path.home() / ".local" / "share") / "plethos"


@contextmanager
def _alone_in(folder: Path) -> Iterator[None]:
    """Hold the data folder; a second start on it is told so instead of breaking the first."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        lock = open(folder / "lock", "a")  # noqa: SIM115  held for as long as we run
    except FileExistsError:
        raise SetupError(f"{folder} is a file: pass --data with a folder.") from None
    except OSError as error:
        raise SetupError(f"Cannot write in {folder} ({error.strerror}): pass --data with a folder of yours.") from None
    with lock:
        began = time.monotonic()
        while True:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                # One that is about to stop is waited for.
                stopping = (folder / "lock").read_text() == STOPPING
                if not stopping or time.monotonic() - began > STOPPED_WITHIN:
                    raise SetupError(
                        f"Plethos already runs on {folder}: use it, or pass another --data."
                    ) from None  # fmt: skip
                time.sleep(0.1)
        lock.truncate(0)
        try:
            yield
        finally:
            _mark_stopping(folder)


def _mark_stopping(folder: Path) -> None:
    (folder / "lock").write_text(STOPPING)


def _listen(port: int | None) -> socket.socket:
    """A bound loopback socket: `port`, or the first free one from 8400."""
    for candidate in [port] if port is not None else range(FIRST_PORT, FIRST_PORT + 200):
        s = socket.socket()
        s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            s.bind(("127.0.0.1", candidate))
            s.listen(128)
            return s
        except OSError:
            s.close()
    wanted = f"Port {port} is" if port is not None else f"The ports from {FIRST_PORT} are"
    raise SetupError(f"{wanted} taken: pass --port with a free one.")


def start(port: int | None, data: Path | None, empty: bool) -> None:
    """Run until Ctrl-C or SIGTERM."""
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    build_front()
    folder = (data or default_data()).resolve()
    with _alone_in(folder):
        listening = _listen(port)
        cluster = Cluster(folder / "database")
        address = folder / "database.url"
        try:
            url = cluster.start()
            # For `plethos worker`; only whoever may read the data may read it.
            address.touch(mode=0o600)
            address.write_text(url)
            _serve(url, cluster, folder, listening, empty)
        finally:
            address.unlink(missing_ok=True)
            _mark_stopping(folder)
            cluster.stop()


def work(data: Path | None, quiet: bool = False) -> None:
    """Do long work of the application that runs on the same data, until Ctrl-C or SIGTERM.

    Parameters
    ----------
    quiet
        Whether a start has begun this: it ends with that start, whose pipe closes.
    """
    from plethos.service.jobs import Jobs
    from plethos.service.workbench import Workbench
    from plethos.store.repository import Store

    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    folder = (data or default_data()).resolve()
    address = folder / "database.url"
    if not address.is_file():
        raise SetupError(f"Nothing runs on {folder}: start it first with `./plethos start`.")
    _log_as_json()
    jobs = Jobs(Workbench(Store(address.read_text())))

    def until_closed() -> None:
        sys.stdin.buffer.read()
        os._exit(0)

    if quiet:
        threading.Thread(target=until_closed, daemon=True).start()

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


def _serve(url: str, cluster: Cluster, folder: Path, listening: socket.socket, empty: bool) -> None:
    from plethos.service.workbench import Workbench
    from plethos.store.migrate import migrate
    from plethos.store.repository import Store
    from plethos.web.app import create_app
    from plethos.web.context import Settings

    _log_as_json()
    # A frame lets go of the interpreter a dozen times, in compiled code; whoever works in Python meanwhile hands it
    # back after so long. At the usual 5 ms a pose beside an upload waits for a tenth of a second and more.
    sys.setswitchinterval(HANDED_BACK)
    migrate(url)
    store = Store(url)
    store.sweep_blobs()
    seeded = folder / "seeded"
    if not empty and not seeded.exists():
        from plethos.demo.shelf import TITLES, shipped

        for name, title in reversed(TITLES.items()):
            Workbench(store).bring_in(title, shipped(name), demo=True)
        seeded.write_text("The demo was put here once; delete this file to have it again.\n")
    limit = os.environ.get("PLETHOS_UPLOAD_MB")
    upload = {"upload_bytes": int(limit) * 1_000_000} if limit else {}
    settings = Settings(workers_elsewhere=True, **upload)
    app = create_app(store, settings)
    config = uvicorn.Config(
        app, loop="uvloop", ws="websockets-sansio", ws_per_message_deflate=False, ws_max_size=4_000_000,
        log_level="warning", timeout_graceful_shutdown=2,
    )  # fmt: skip
    server = _Server(config, f"http://127.0.0.1:{listening.getsockname()[1]}/")
    threading.Thread(target=_warm, daemon=True).start()
    worker = Worker(folder)
    threading.Thread(target=_look_after, args=(server, cluster, worker, folder, store), daemon=True).start()
    try:
        server.run(sockets=[listening])
    finally:
        worker.stop()


class Worker:
    """A `plethos worker` of our own, so that long work takes the interpreter from no pose.

    Parameters
    ----------
    folder
        The data.
    """

    def __init__(self, folder: Path) -> None:
        self.command = [sys.executable, "-m", "plethos.launch", "worker", "--quiet", "--data", str(folder)]
        self._process: subprocess.Popen[bytes] | None = None

    def keep(self) -> None:
        """See to it that it runs."""
        if self._process is None or self._process.poll() is not None:
            self._process = subprocess.Popen(self.command, stdin=subprocess.PIPE, start_new_session=True)
            with contextlib.suppress(OSError):
                os.setpriority(os.PRIO_PROCESS, self._process.pid, BACKSEAT)
                # A session of its own is a group of its own where the kernel shares time out by sessions.
                Path(f"/proc/{self._process.pid}/autogroup").write_text(str(BACKSEAT))

    def stop(self) -> None:
        """Stop it at once: what it was at work on is given up by the next start."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()


def _look_after(server: uvicorn.Server, cluster: Cluster, worker: Worker, folder: Path, store: Store) -> None:
    """Start a database or a worker that has died again, and tidy up in quiet moments.

    And see to it that a stop is one, whatever still hangs.
    """
    log = structlog.get_logger()
    tidying = Tidying()
    pause = LOOK
    while not server.should_exit:
        time.sleep(pause)
        if server.started and not server.should_exit:
            worker.keep()
            tidying.look()
        if not cluster.runs() and not server.should_exit:
            log.warning("the database is gone: starting it again")
            pause = LOOK if cluster.restart() else min(2 * pause, 4.0)
    _mark_stopping(folder)
    store.give_up()
    time.sleep(STOPPED_WITHIN - 4)
    # Still here: what is under way does not end by itself. Everything that was told as saved is stored.
    worker.stop()
    cluster.stop()
    os._exit(0)


def _log_as_json() -> None:
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.WriteLoggerFactory(file=sys.stderr),
    )


def _warm() -> None:
    from plethos.launch.warm import warm_kernels

    warm_kernels()
    # What has been imported stays: looking through it for garbage would hold every pose up for a tenth of a second.
    gc.collect()
    gc.freeze()


class _Server(uvicorn.Server):
    """Says where it is once it listens."""

    def __init__(self, config: uvicorn.Config, address: str) -> None:
        super().__init__(config)
        self.address = address

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets=sockets)
        print(f"Plethos is ready: {self.address}   (Ctrl-C stops it)", flush=True)
