"""`./plethos start`: the database, the server and a worker, kept running for as long as this runs, and stopped whole.

The server is a process of its own: whatever kills it, it is started again, and pages find their way back. What stands
here imports little, so that a wrong start says its sentence at once.
"""

from __future__ import annotations

import contextlib
import fcntl
import multiprocessing
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from pathlib import Path

from plethos.launch.cluster import Cluster, SetupError
from plethos.launch.front import build_front

FIRST_PORT = 8400
STOPPED_WITHIN = 9.0  # seconds
LOOK = 0.5
BACKSEAT = 10  # how nice a worker of our own is
STOPPING = "stopping"
MOST_FAILED = 3  # servers in a row that die before they are ready


def default_data() -> Path:
    """Where data is kept: root's own folder is closed to the database's account, so root uses /var/lib."""
    if os.geteuid() == 0:
        return Path("/var/lib/plethos")
    base = os.environ.get("XDG_DATA_HOME")
    return (Path(base) if base else Path.home() / ".local" / "share") / "plethos"


def upload_bytes() -> int | None:
    """How much one upload may hold, as the environment says it; None where it says nothing.

    Raises
    ------
    SetupError
        When that is no number.
    """
    told = os.environ.get("PLETHOS_UPLOAD_MB")
    if not told:
        return None
    if not told.isdecimal() or int(told) == 0:
        raise SetupError(f"PLETHOS_UPLOAD_MB has to be a number of megabytes, not “{told}”.")
    return int(told) * 1_000_000


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
    with contextlib.suppress(OSError):  # on a full disk whoever starts next does not wait
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


def start(port: int | None, data: Path | None, empty: bool, workers: int = 1, database_port: int | None = None) -> None:
    """Run until Ctrl-C or SIGTERM.

    Parameters
    ----------
    workers
        How many processes do long work.
    database_port
        Where the database listens on loopback; None = anywhere.

    Raises
    ------
    SetupError
        With one sentence, when it cannot.
    """
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    upload_bytes()
    folder = (data or default_data()).resolve()
    with _alone_in(folder), _listen(port) as listening:
        cluster = Cluster(folder / "database", fixed_port=database_port)
        address = folder / "database.url"
        server, crew = Server(folder, listening, empty), [Worker(folder) for _ in range(workers)]
        try:
            build_front()
            url = cluster.start()
            # For the processes that work on it; only whoever may read the data may read it.
            address.touch(mode=0o600)
            address.write_text(url)
            _look_after(cluster, server, crew)
        except OSError as error:
            where = error.filename or folder
            raise SetupError(f"The data cannot be kept in {folder}: {where}: {error.strerror}.") from None
        finally:
            _mark_stopping(folder)
            server.stop()
            for worker in crew:
                worker.stop()
            with contextlib.suppress(OSError):
                address.unlink(missing_ok=True)
            cluster.stop()


class Server:
    """The process that answers pages. The port is bound here: while it is started again, whoever asks waits.

    It is forked from a process that has imported everything already (`multiprocessing`, "forkserver"), so that it is
    back within a second or two, and shares with that what both only read.

    Parameters
    ----------
    folder
        The data.
    listening
        The bound socket.
    empty
        Whether the demo characters are left out.
    """

    def __init__(self, folder: Path, listening: socket.socket, empty: bool) -> None:
        self._given = (listening, folder, empty)
        self._processes = multiprocessing.get_context("forkserver")
        self._processes.set_forkserver_preload(["plethos.launch.serve"])
        # It imports beside whatever has to be there before the server is.
        forkserver.ensure_running()
        self._process: BaseProcess | None = None
        self._said: Connection | None = None
        self._ready = False

    def begin(self) -> None:
        """Start it."""
        self._ready = False
        self._said, says = self._processes.Pipe(duplex=False)
        self._process = self._processes.Process(target=serve_apart, args=(*self._given, says), name="server")
        self._process.start()
        says.close()

    @property
    def ready(self) -> bool:
        """Whether it has begun to answer since it was started."""
        if not self._ready and self._said is not None and self._said.poll():
            with contextlib.suppress(EOFError):  # it died before
                self._ready = bool(self._said.recv())
        return self._ready

    def ended(self, seconds: float) -> int | None:
        """How it ended, within so long; None while it runs."""
        assert self._process is not None
        self._process.join(seconds)
        return self._process.exitcode

    def stop(self) -> None:
        """Tell it to stop, and see to it that it does: everything that was told as saved is stored."""
        if self._process is None:
            return
        self._process.terminate()
        if self.ended(STOPPED_WITHIN - 2) is None:
            self._process.kill()
            self._process.join()


def serve_apart(listening: socket.socket, folder: Path, empty: bool, says: Connection) -> None:
    """The server's process, which ends when this one ends, however."""
    from plethos.launch.serve import serve

    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the start ends it
    threading.Thread(target=_end_with_parent, daemon=True).start()
    try:
        serve(listening, folder, empty, lambda: says.send(True))
    except SetupError as error:
        print(f"plethos: {error}", file=sys.stderr, flush=True)
        sys.exit(1)


def _end_with_parent() -> None:
    parent = multiprocessing.parent_process()
    assert parent is not None
    parent.join()
    os._exit(0)


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
        """Stop it at once: what it was at work on is taken up anew by the next start."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()


def _look_after(cluster: Cluster, server: Server, crew: list[Worker]) -> None:
    """Start again whatever has died, until the server says that it is done."""
    server.begin()
    pause, look, failed = 0.0, 0.0, 0
    while True:
        code, began = server.ended(LOOK), server.ready
        if code == 0:
            return
        if code is not None:
            failed = 0 if began else failed + 1
            if failed and code > 0:
                sys.exit(code)  # it has said why
            if failed >= MOST_FAILED:
                raise SetupError("The server dies whenever it starts.")
            print(f"plethos: the server died ({code}): starting it again.", file=sys.stderr, flush=True)
            server.begin()
        elif began:
            for worker in crew:
                worker.keep()
        if time.monotonic() >= look and not cluster.runs():
            print("plethos: the database is gone: starting it again.", file=sys.stderr, flush=True)
            pause = LOOK if cluster.restart() else min(2 * pause + LOOK, 4.0)
            look = time.monotonic() + pause
