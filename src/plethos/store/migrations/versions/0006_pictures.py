"""A character's picture in the library, so that looking at the library opens no character."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.add_column("characters", sa.Column("picture_hash", sa.String(64), sa.ForeignKey("blobs.hash"), nullable=True))
