"""Transactions that wait for a database which is away for a moment."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import Engine
from sqlalchemy.exc import InterfaceError, InternalError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

AWAY = (OperationalError, InterfaceError, InternalError)
"""What is raised when the database went away, or gave up on whoever was suspended in the middle of a transaction."""
PATIENCE = 5.0  # seconds: a server that died is started again in two or three
AGAIN = 0.2


class Transactions:
    """Opens sessions on a database that answers; while it is away, it is tried again.

    Parameters
    ----------
    engine
        Of the database.
    """

    def __init__(self, engine: Engine) -> None:
        self.patience = PATIENCE
        self._make = sessionmaker(engine, expire_on_commit=False)

    @contextmanager
    def __call__(self) -> Iterator[Session]:
        """For reading.

        Raises
        ------
        OperationalError
            When the database stays away.
        """
        session = self._reached()
        try:
            yield session
        finally:
            session.close()

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """For writing: all of it or nothing."""
        with self() as session:
            yield session
            session.commit()

    def _reached(self) -> Session:
        began = time.monotonic()
        while True:
            session = self._make()
            try:
                session.connection()
            except OperationalError:
                session.close()
                if time.monotonic() - began >= self.patience:
                    raise
                time.sleep(AGAIN)
            else:
                return session
