"""Customs: the shop's own numbers, its tables by version, and what was declared with each shipment."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision, branch_labels, depends_on = "0034", "0033", None, None


def upgrade() -> None:
    """No numbers are known yet, the tables that ship hold, and nothing was declared."""
    for table, column in (("shop", "customs_numbers"), ("shipment", "customs")):
        op.add_column(table, sa.Column(column, JSONB(), nullable=False, server_default="{}"))
        op.alter_column(table, column, server_default=None)
    op.create_table(
        "customs_tables",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("body", JSONB(), nullable=False),
        sa.Column("by", sa.String(120), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
    )


def downgrade() -> None:
    """Take them away."""
    op.drop_table("customs_tables")
    op.drop_column("shipment", "customs")
    op.drop_column("shop", "customs_numbers")
