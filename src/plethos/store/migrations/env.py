"""Alembic's entry: one connection, one transaction."""

from alembic import context
from sqlalchemy import create_engine

from plethos.store.models import Base

url = context.config.get_main_option("sqlalchemy.url")
assert url
with create_engine(url).connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata)
    with context.begin_transaction():
        context.run_migrations()
