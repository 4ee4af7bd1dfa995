"""What a sweep has measured, way by way, and what people said of its spots."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    of_character = sa.ForeignKey("characters.id", ondelete="CASCADE")
    op.create_table(
        "swept_ways",
        sa.Column("character_id", sa.String(32), of_character, primary_key=True),
        sa.Column("name", sa.Text, primary_key=True),
        sa.Column("reads", sa.String(64), nullable=False),
        sa.Column("revision_id", sa.String(32), nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("before", JSONB, nullable=True),
        sa.Column("measured_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    op.create_table(
        "spot_words",
        sa.Column("character_id", sa.String(32), sa.ForeignKey("characters.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("spot_id", sa.Text, primary_key=True),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("said_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
