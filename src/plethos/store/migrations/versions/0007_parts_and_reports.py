"""Long work has an owner, arguments, a revision that it is of, parts, and reports of what they came to."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    # Work of before knows no arguments: what was under way when the program was renewed is asked for anew.
    op.execute(
        "update work set state = 'failed', detail = 'Plethos was renewed meanwhile: start it again.'"
        " where state in ('waiting', 'running')"
    )
    for column in (
        sa.Column("arguments", JSONB, server_default="{}", nullable=False),
        sa.Column("revision_id", sa.String(32), nullable=True),
        sa.Column("page", sa.String(64), nullable=True),
        sa.Column("parent_id", sa.String(32), sa.ForeignKey("work.id", ondelete="CASCADE"), nullable=True),
        sa.Column("part", sa.Integer, server_default="0", nullable=False),
        sa.Column("owner", sa.String(32), nullable=True),
        sa.Column("attempts", sa.Integer, server_default="0", nullable=False),
    ):
        op.add_column("work", column)
    op.create_index("parts_of_work", "work", ["parent_id"])
    op.create_index("work_under_way", "work", ["state"], postgresql_where=sa.text("state in ('waiting', 'running')"))
    op.create_table(
        "reports",
        sa.Column("work_id", sa.String(32), sa.ForeignKey("work.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
