"""Bringing a database up to the tables of this version."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import create_engine


def migrate(url: str) -> None:
    """Run all migrations that the database has not seen."""
    if not is_current(url):
        command.upgrade(_config(url), "head")


def is_current(url: str) -> bool:
    """Whether a database has the tables of this version.

    Raises
    ------
    OperationalError
        When it does not answer.
    """
    engine = create_engine(url)
    try:
        with engine.connect() as connection:
            has = MigrationContext.configure(connection).get_current_revision()
    finally:
        engine.dispose()
    return has == ScriptDirectory.from_config(_config(url)).get_current_head()


def _config(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).with_name("migrations")))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    return config
