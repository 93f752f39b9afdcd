"""Rates: what live carriers answered, services switched off, an own ranking."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0003", "0002", None, None
_EMPTY_LIST, _EMPTY = sa.text("'[]'::jsonb"), sa.text("'{}'::jsonb")


def upgrade() -> None:
    """Make the table and the columns."""
    op.create_table(
        "live_answer",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("carrier", sa.String(30), nullable=False),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("prices", postgresql.JSONB(), nullable=False, server_default=_EMPTY),
        sa.Column("refusals", postgresql.JSONB(), nullable=False, server_default=_EMPTY),
        sa.Column("failure", sa.String(300), nullable=False, server_default=""),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_live_answer")),
        sa.UniqueConstraint("carrier", "key", name=op.f("uq_live_answer_carrier_key")),
    )
    op.create_index(op.f("ix_live_answer_asked_at"), "live_answer", ["asked_at"])
    op.add_column(
        "carrier_account", sa.Column("services_off", postgresql.JSONB(), nullable=False, server_default=_EMPTY_LIST)
    )
    op.add_column(
        "carrier_account", sa.Column("asks_prices", sa.Boolean(), nullable=False, server_default=sa.text("false"))
    )
    op.add_column("rate_card", sa.Column("source", sa.String(200), nullable=False, server_default=""))
    op.add_column("shop", sa.Column("ranking", postgresql.JSONB(), nullable=False, server_default=_EMPTY_LIST))


def downgrade() -> None:
    """Take them away again."""
    op.drop_column("shop", "ranking")
    op.drop_column("rate_card", "source")
    op.drop_column("carrier_account", "asks_prices")
    op.drop_column("carrier_account", "services_off")
    op.drop_table("live_answer")
