"""What a channel says afterwards: what its state means with each difference, and orders that are kept aside."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0015", "0014", None, None
_PART_OF = "part_of is not null"


def upgrade() -> None:
    """A change of address or goods found before stops its order from now on, as new ones do."""
    op.add_column(
        "order_difference", sa.Column("fate", postgresql.JSONB(), nullable=False, server_default=sa.text("'{}'"))
    )
    op.alter_column("order_difference", "fate", server_default=None)
    op.drop_constraint("ck_order_difference_state", "order_difference")
    op.create_check_constraint("state", "order_difference", "state in ('waiting', 'taken', 'refused', 'withdrawn')")
    op.create_table(
        "channel_aside",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("channel_id", sa.BigInteger(), sa.ForeignKey("channel.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.String(60), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("stage", sa.String(60), nullable=False),
        sa.Column("why", sa.String(300), nullable=False),
        sa.Column("body", postgresql.JSONB(), nullable=False),
        sa.Column("cursor", sa.String(200), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("channel_id", "number"),
        sa.CheckConstraint("kind in ('ignored', 'unreadable')", name="kind"),
    )
    for column in (
        sa.Column("changed", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("reading", postgresql.JSONB(), nullable=False, server_default=sa.text("'{}'")),
        sa.Column("data", sa.LargeBinary(), nullable=False, server_default=sa.text("''::bytea")),
    ):
        op.add_column("import_file", column)
        op.alter_column("import_file", column.name, server_default=None)
    op.add_column("product", sa.Column("not_stackable", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("product", "not_stackable", server_default=None)
    op.add_column("rate_card", sa.Column("shortened", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("rate_card", "shortened", server_default=None)
    # A card that ends on the eve of the next one was ended by it, as far as anybody can tell now.
    op.execute(
        "update rate_card c set shortened = true from rate_card n"
        " where n.carrier_id = c.carrier_id and n.valid_from = c.valid_until + 1"
    )
    # As ``core/searching`` does: small letters without accents; parts are found by their own number.
    op.execute(
        "update contact set search = replace(replace(regexp_replace(normalize(lower(search), NFKD),"
        " '[\u0300-\u036f]', '', 'g'), 'ß', 'ss'), 'ø', 'o')"
    )
    op.execute(
        "update customer_order set search = replace(replace(regexp_replace(normalize("
        "lower(case when part_of is null then search else number || ' ' || search end), NFKD),"
        " '[\u0300-\u036f]', '', 'g'), 'ß', 'ss'), 'ø', 'o')"
    )
    op.create_index("ix_customer_order_part_of", "customer_order", ["part_of"], postgresql_where=sa.text(_PART_OF))


def downgrade() -> None:
    """What was withdrawn counts as refused, and what is aside is only in the channel's log."""
    op.drop_index("ix_customer_order_part_of", "customer_order")
    op.drop_table("channel_aside")
    op.drop_column("product", "not_stackable")
    op.drop_column("rate_card", "shortened")
    for name in ("changed", "reading", "data"):
        op.drop_column("import_file", name)
    op.execute("update order_difference set state = 'refused' where state = 'withdrawn'")
    op.drop_constraint("ck_order_difference_state", "order_difference")
    op.create_check_constraint("state", "order_difference", "state in ('waiting', 'taken', 'refused')")
    op.drop_column("order_difference", "fate")
