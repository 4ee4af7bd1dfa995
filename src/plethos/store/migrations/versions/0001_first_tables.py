"""The first tables: blobs, characters, revisions."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "blobs",
        sa.Column("hash", sa.String(64), primary_key=True),
        sa.Column("size", sa.BigInteger, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "characters",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("file_hash", sa.String(64), sa.ForeignKey("blobs.hash"), nullable=False),
        sa.Column("demo", sa.Boolean, nullable=False),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("changed_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    op.create_table(
        "revisions",
        sa.Column("character_id", sa.String(32), sa.ForeignKey("characters.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("label", sa.String(200), nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )


def downgrade() -> None:
    for table in ("revisions", "characters", "blobs"):
        op.drop_table(table)
