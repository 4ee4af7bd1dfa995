"""A blob may be stored as what differs from another: a stroke takes what it changed, not all that is sculpted."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("blobs", sa.Column("base", sa.String(64), sa.ForeignKey("blobs.hash"), nullable=True))
    op.add_column("blobs", sa.Column("depth", sa.Integer, server_default="0", nullable=False))
    op.create_index("blobs_on_others", "blobs", ["base"], postgresql_where=sa.text("base is not null"))
