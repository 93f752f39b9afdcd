"""What buyers are told by which channel, to whom nothing is sent any more, and why a message did not go."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision, branch_labels, depends_on = "0028", "0027", None, None
_OF_MESSAGES = (("trigger", 20, ""), ("by", 4, "mail"), ("language", 5, ""), ("not_sent", 200, ""), ("hold", 6, ""))


def upgrade() -> None:
    """The mails there are tell of labels, which is what they did."""
    for name, length, usual in _OF_MESSAGES:
        op.add_column("message", sa.Column(name, sa.String(length), nullable=False, server_default=usual))
    op.execute("update message set trigger = 'label', kind = 'label' where kind = 'shipped'")
    op.create_check_constraint(op.f("ck_message_by"), "message", "by in ('mail', 'sms')")
    op.create_check_constraint(op.f("ck_message_hold"), "message", "hold in ('', 'held', 'let_go')")
    op.drop_index("ix_message_due", "message")
    due = sa.text("sent_at is null and not_sent = ''")
    op.create_index("ix_message_due", "message", ["next_at"], postgresql_where=due)
    op.create_index("ix_message_newest", "message", ["created_at"])
    op.create_table(
        "message_rules",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("channel_id", sa.BigInteger(), sa.ForeignKey("channel.id", ondelete="cascade"), nullable=True),
        sa.Column("body", JSONB(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
    )
    op.create_index("uq_message_rules", "message_rules", [sa.text("coalesce(channel_id, 0)")], unique=True)
    op.create_table(
        "blocked_address",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("address", sa.String(200), nullable=False, unique=True),
        sa.Column("why", sa.String(10), nullable=False),
        sa.Column("words", sa.String(300), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        sa.CheckConstraint("why in ('bounced', 'complained', 'asked', 'by_hand')", name=op.f("ck_blocked_address_why")),
    )
    op.add_column("customer_order", sa.Column("also_tell", JSONB(), nullable=False, server_default="[]"))
    op.add_column("customer_order", sa.Column("own_line", sa.String(300), nullable=False, server_default=""))


def downgrade() -> None:
    """Who is told what is as usual again; messages that were not to be sent are gone."""
    op.drop_column("customer_order", "own_line")
    op.drop_column("customer_order", "also_tell")
    op.drop_table("blocked_address")
    op.drop_table("message_rules")
    op.execute("delete from message where not_sent <> '' or by = 'sms'")
    op.execute("update message set kind = 'shipped' where kind = 'label'")
    op.drop_index("ix_message_newest", "message")
    op.drop_index("ix_message_due", "message")
    op.create_index("ix_message_due", "message", ["next_at"], postgresql_where=sa.text("sent_at is null"))
    for name, _, _ in _OF_MESSAGES:
        op.drop_column("message", name)
