"""How many pieces of an article are left to sell, and what channels know of it."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0042", "0041", None, None


def upgrade() -> None:
    """Nothing was counted so far, and what was written off or put back before the first count is in that."""
    op.add_column("product", sa.Column("stock_base", sa.Integer(), nullable=True))
    op.add_column("product", sa.Column("stock_counted_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("channel", sa.Column("stock", sa.String(10), nullable=False, server_default=""))
    op.alter_column("channel", "stock", server_default=None)
    op.create_check_constraint(op.f("ck_channel_stock"), "channel", "stock in ('', 'theirs', 'ours')")
    op.add_column("parcel_return", sa.Column("restocked", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("parcel_return", "restocked", server_default=None)
    op.create_table(
        "channel_level",
        sa.Column("channel_id", sa.BigInteger(), sa.ForeignKey("channel.id", ondelete="cascade"), primary_key=True),
        sa.Column("sku", sa.String(60), primary_key=True),
        sa.Column("pieces", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("refused", sa.Boolean(), nullable=False),
    )


def downgrade() -> None:
    """Forget every count."""
    op.drop_table("channel_level")
    op.drop_column("parcel_return", "restocked")
    op.drop_constraint(op.f("ck_channel_stock"), "channel")
    op.drop_column("channel", "stock")
    op.drop_column("product", "stock_counted_at")
    op.drop_column("product", "stock_base")
