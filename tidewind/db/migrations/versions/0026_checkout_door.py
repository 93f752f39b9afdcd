"""What a key is for and how much it may ask; what an order was offered; baskets kept for trying."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision, branch_labels, depends_on = "0026", "0025", None, None


def upgrade() -> None:
    """Keys that there are stay good for everything their role may do."""
    op.add_column("api_key", sa.Column("scope", sa.String(20), nullable=False, server_default="all"))
    op.add_column("api_key", sa.Column("per_minute", sa.Integer(), nullable=False, server_default="3000"))
    op.create_check_constraint("scope", "api_key", "scope in ('all', 'checkout')")
    op.create_check_constraint("per_minute", "api_key", "per_minute > 0")
    op.create_table(
        "allowance",
        sa.Column("name", sa.String(80), primary_key=True),
        sa.Column("minute", sa.BigInteger(), nullable=False),
        sa.Column("taken", sa.Integer(), nullable=False),
    )
    op.add_column("customer_order", sa.Column("offer", sa.String(120), nullable=False, server_default=""))
    op.create_index("ix_customer_order_offer", "customer_order", ["offer"], postgresql_where=sa.text("offer <> ''"))
    op.create_table(
        "checkout_case",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("name", sa.String(80), nullable=False, unique=True),
        sa.Column("basket", JSONB(), nullable=False),
        sa.Column("seen", JSONB(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
    )


def downgrade() -> None:
    """What was offered and kept for trying is lost."""
    op.drop_table("checkout_case")
    op.drop_index("ix_customer_order_offer", "customer_order")
    op.drop_column("customer_order", "offer")
    op.drop_table("allowance")
    op.drop_column("api_key", "per_minute")
    op.drop_column("api_key", "scope")
