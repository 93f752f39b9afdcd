"""Carriers that a shop adds by itself: by a price list with numbers of its own, or by the open protocol."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0016", "0015", None, None


def upgrade() -> None:
    """Carriers known so far are reached by the protocol."""
    for column in (
        sa.Column("kind", sa.String(20), nullable=False, server_default="protocol"),
        sa.Column("key_sealed", sa.String(1000), nullable=False, server_default=""),
        sa.Column("states", postgresql.JSONB(), nullable=False, server_default=sa.text("'{}'")),
    ):
        op.add_column("carrier", column)
        op.alter_column("carrier", column.name, server_default=None)
    op.add_column("carrier", sa.Column("removed_at", sa.DateTime(timezone=True)))
    op.create_check_constraint("kind", "carrier", "kind in ('list', 'protocol')")
    op.create_table(
        "number_range",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("carrier_id", sa.BigInteger(), sa.ForeignKey("carrier.id"), nullable=False, index=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("prefix", sa.String(20), nullable=False),
        sa.Column("country", sa.String(2), nullable=False),
        sa.Column("digits", sa.Integer(), nullable=False),
        sa.Column("check_digit", sa.Boolean(), nullable=False),
        sa.Column("first", sa.BigInteger(), nullable=False),
        sa.Column("last", sa.BigInteger(), nullable=False),
        sa.Column("next", sa.BigInteger(), nullable=False),
        sa.Column("warn_at", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        sa.CheckConstraint("kind in ('s10', 'sscc', 'counter')", name="kind"),
        # One beyond the last: the range is used up.
        sa.CheckConstraint("first >= 0 and first <= last and next between first and last + 1", name="serials"),
    )
    op.create_table(
        "own_sale",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("carrier_id", sa.BigInteger(), sa.ForeignKey("carrier.id"), nullable=False, index=True),
        sa.Column("key", sa.String(60), nullable=False, unique=True),
        sa.Column("numbers", postgresql.JSONB(), nullable=False),
        sa.Column("price_minor", sa.Integer(), nullable=False),
        sa.Column("cancelled", sa.Boolean(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
    )
    op.add_column("shop", sa.Column("mail_server", postgresql.JSONB(), nullable=False, server_default=sa.text("'{}'")))
    op.alter_column("shop", "mail_server", server_default=None)


def downgrade() -> None:
    """Carriers by a price list cannot be known before; their history stays, and they are switched off."""
    op.drop_column("shop", "mail_server")
    op.drop_table("own_sale")
    op.drop_table("number_range")
    op.execute("update carrier set active = false where kind = 'list' or removed_at is not null")
    op.drop_constraint("ck_carrier_kind", "carrier")
    for name in ("kind", "key_sealed", "states", "removed_at"):
        op.drop_column("carrier", name)
