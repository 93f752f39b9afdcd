"""Invoices that the shop made elsewhere, drawn anew page by page."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0036", "0035", None, None


def upgrade() -> None:
    """There are none yet."""
    op.create_table(
        "own_paper",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("order_id", sa.BigInteger(), sa.ForeignKey("customer_order.id", ondelete="cascade"), nullable=False),
        sa.Column("page_no", sa.Integer(), nullable=False),
        sa.Column("picture", sa.LargeBinary(), nullable=False),
        sa.Column("file_name", sa.String(120), nullable=False),
        sa.Column("by", sa.String(120), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        sa.UniqueConstraint("order_id", "page_no", name=op.f("uq_own_paper_order_id_page_no")),
    )
    op.create_index("ix_own_paper_order_id", "own_paper", ["order_id"])


def downgrade() -> None:
    """Take them away."""
    op.drop_table("own_paper")
