"""Long work: Procrastinate's own tables, and how far each piece of work has got."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    # Procrastinate hands its tables out as one script of many statements; it holds percent signs of its own.
    cursor = op.get_bind().connection.cursor()
    cursor.execute(SchemaManager.get_schema())
    cursor.close()
    op.create_table(
        "work",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("character_id", sa.String(32), sa.ForeignKey("characters.id", ondelete="CASCADE"), nullable=False),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("share", sa.Float, nullable=False),
        sa.Column("detail", sa.Text, nullable=True),
        sa.Column("unwanted", sa.Boolean, nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    op.create_index("work_of_character", "work", ["character_id", "asked_at"])


def downgrade() -> None:
    op.drop_table("work")
