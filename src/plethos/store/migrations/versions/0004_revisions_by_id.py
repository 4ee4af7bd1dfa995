"""A revision has an identity and a parent; what was undone and overwritten is kept."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("revisions", sa.Column("id", sa.String(32), nullable=True))
    op.add_column("revisions", sa.Column("parent", sa.String(32), nullable=True))
    op.add_column("revisions", sa.Column("overwritten", sa.Boolean, nullable=False, server_default=sa.false()))
    op.execute("update revisions set id = md5(character_id || ':' || number)")
    op.execute("update revisions set parent = md5(character_id || ':' || (number - 1)) where number > 0")
    op.alter_column("revisions", "id", nullable=False)
    op.drop_constraint("revisions_pkey", "revisions", type_="primary")
    op.create_primary_key("revisions_pkey", "revisions", ["id"])
    op.create_index("revisions_of_character", "revisions", ["character_id", "number"])
    op.add_column("characters", sa.Column("head_id", sa.String(32), nullable=True))
    op.execute("update characters set head_id = md5(id || ':' || head)")
    op.drop_column("characters", "head")


def downgrade() -> None:
    op.add_column("characters", sa.Column("head", sa.Integer, nullable=False, server_default="0"))
    op.execute("update characters c set head = r.number from revisions r where r.id = c.head_id")
    op.drop_column("characters", "head_id")
    op.execute("delete from revisions where overwritten")
    op.drop_index("revisions_of_character", "revisions")
    op.drop_constraint("revisions_pkey", "revisions", type_="primary")
    op.create_primary_key("revisions_pkey", "revisions", ["character_id", "number"])
    for column in ("overwritten", "parent", "id"):
        op.drop_column("revisions", column)
