"""Orders from files that are fetched, days on which the shop is closed, a sender for each channel, an SMS gateway."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0018", "0017", None, None

_EMPTY = sa.text("'{}'")


def _text(name: str, length: int) -> sa.Column[str]:
    return sa.Column(name, sa.String(length), nullable=False, server_default="")


def upgrade() -> None:
    """Imports so far were brought by people."""
    for table, column in (
        ("shop", sa.Column("closed", postgresql.JSONB(), nullable=False, server_default=sa.text("'[]'"))),
        ("shop", sa.Column("sms_gateway", postgresql.JSONB(), nullable=False, server_default=_EMPTY)),
        ("channel", _text("mail_from", 200)),
    ):
        op.add_column(table, column)
        op.alter_column(table, column.name, server_default=None)
    op.create_table(
        "feed",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("channel_id", sa.BigInteger(), sa.ForeignKey("channel.id"), nullable=False, index=True),
        sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False, index=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("address", sa.String(300), nullable=False),
        sa.Column("header", sa.String(60), nullable=False),
        sa.Column("secret_sealed", sa.String(10_000), nullable=False),
        sa.Column("host_key", sa.String(2_000), nullable=False),
        sa.Column("mapping", postgresql.JSONB(), nullable=False),
        sa.Column("weight_unit", sa.String(4), nullable=False),
        sa.Column("every_minutes", sa.Integer(), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("looked_at", sa.DateTime(timezone=True)),
        sa.Column("fetched_at", sa.DateTime(timezone=True)),
        sa.Column("failure", sa.String(300), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        sa.CheckConstraint("kind in ('http', 'folder', 'sftp')", name="kind"),
        sa.CheckConstraint("every_minutes between 1 and 1440", name="every"),
    )
    op.add_column("import_file", sa.Column("feed_id", sa.BigInteger(), sa.ForeignKey("feed.id", ondelete="SET NULL")))
    op.add_column("import_file", sa.Column("channel_id", sa.BigInteger(), sa.ForeignKey("channel.id"), index=True))
    op.create_index("ix_import_file_feed", "import_file", ["feed_id", "digest"])


def downgrade() -> None:
    """What feeds brought stays, as if a person had."""
    op.drop_index("ix_import_file_feed", "import_file")
    op.drop_column("import_file", "channel_id")
    op.drop_column("import_file", "feed_id")
    op.drop_table("feed")
    op.drop_column("channel", "mail_from")
    op.drop_column("shop", "sms_gateway")
    op.drop_column("shop", "closed")
