"""When whoever is at work was last heard of."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.add_column("work", sa.Column("beat_at", sa.DateTime(timezone=True), nullable=True))
