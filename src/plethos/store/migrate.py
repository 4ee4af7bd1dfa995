"""Bringing a database up to the tables of this version."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config


def migrate(url: str) -> None:
    """Run all migrations that the database has not seen."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).with_name("migrations")))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    command.upgrade(config, "head")
