"""What is wrong with the database, as a sentence."""

from __future__ import annotations

from psycopg import errors
from sqlalchemy.exc import OperationalError

AWAY = "The database does not answer."
FULL = "The disk that the data is kept on is full: free some space."


def fault_of(error: OperationalError) -> str:
    """Whether the database is away, or its disk is full: an error of either comes as the same."""
    told = error.orig
    full = isinstance(told, errors.DiskFull) or "No space left on device" in str(told)
    return FULL if full else AWAY
