"""Which blobs a document names stands beside it, and states of a character may have names."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"

# The first eight bytes of each hash in a document, as `blobs.keys_of` has them.
NAMES = """
update {table} set names = coalesce((
    select string_agg(distinct decode(left(found[1], 16), 'hex'), ''::bytea)
    from regexp_matches(document::text, '"([0-9a-f]{{64}})"', 'g') as found
), ''::bytea)
"""


def upgrade() -> None:
    for table in ("revisions", "reports"):
        op.add_column(table, sa.Column("names", sa.LargeBinary, server_default="", nullable=False))
        op.execute(sa.text(NAMES.format(table=table).replace(":", "\\:")))
    op.create_index("line_of_character", "revisions", ["character_id", "number"])
    op.create_table(
        "named_revisions",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("character_id", sa.String(32), sa.ForeignKey("characters.id", ondelete="CASCADE"), nullable=False),
        sa.Column("revision_id", sa.String(32), sa.ForeignKey("revisions.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("picture_hash", sa.String(64), sa.ForeignKey("blobs.hash"), nullable=True),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    op.create_index("named_of_character", "named_revisions", ["character_id"])
