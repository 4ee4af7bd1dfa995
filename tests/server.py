"""A database and a running server for the tests."""

from __future__ import annotations

import functools
import os
import socket
import threading
import time
import uuid

import psycopg
import structlog
import uvicorn
from sqlalchemy.engine import make_url

from plethos.service.library.reading import warm_up
from plethos.store.migrate import migrate
from plethos.store.repository import Store
from plethos.web.app import create_app
from plethos.web.context import KEPT_ALIVE

# Plain tracebacks: the pretty ones print every local variable, and a character takes minutes to print.
structlog.configure(processors=[structlog.processors.format_exc_info, structlog.processors.KeyValueRenderer()])


def fresh_database() -> str:
    """The address of a new database with our tables in the throw-away cluster."""
    return _made(_template())


@functools.cache
def _template() -> str:
    """A database that nobody uses but to copy it: migrating takes longer than that."""
    url = _made("template1")
    migrate(url)
    return str(make_url(url).database)


def _made(template: str) -> str:
    base = make_url(os.environ["PLETHOS_TEST_DATABASE"])
    name = f"t{uuid.uuid4().hex[:12]}"
    address = f"host={base.host} port={base.port} user={base.username} password={base.password} dbname=postgres"
    with psycopg.connect(address, autocommit=True) as connection:
        connection.execute(f"create database {name} template {template}")
    return base.set(database=name).render_as_string(hide_password=False)


# Seconds that a client waits for an answer: as long as it takes, on however busy a machine.
PATIENT = 120


class RunningServer:
    """The real application on a real port."""

    def __init__(self, url: str | None = None) -> None:
        warm_up()  # else the first file waits for it
        self.url = url or fresh_database()
        self.store = Store(self.url)
        self.app = create_app(self.store)
        self.socket = socket.socket()
        self.socket.bind(("127.0.0.1", 0))
        self.port = self.socket.getsockname()[1]
        config = uvicorn.Config(
            self.app, log_level="error", ws="websockets-sansio", ws_per_message_deflate=False,
            timeout_keep_alive=KEPT_ALIVE,
        )  # fmt: skip
        self.server = uvicorn.Server(config)
        self.thread = threading.Thread(target=self.server.run, kwargs={"sockets": [self.socket]}, daemon=True)
        self.thread.start()
        while not self.server.started:
            time.sleep(0.02)

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def stop(self) -> None:
        self.server.should_exit = True
        self.thread.join(10)
        self.store.close()
