"""Alembic's entry: one connection, one transaction."""

from alembic import context
from sqlalchemy import NullPool, create_engine

from plethos.store.models import Base

url = context.config.get_main_option("sqlalchemy.url")
assert url
# Not pooled: what is pooled stays connected after the last migration.
with create_engine(url, poolclass=NullPool).connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata)
    with context.begin_transaction():
        context.run_migrations()
