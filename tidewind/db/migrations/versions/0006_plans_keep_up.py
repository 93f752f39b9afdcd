"""Plans that know until when they are good, and what the rules saw, so that less is planned anew."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0006", "0005", None, None
_EMPTY = sa.text("'{}'::jsonb")


def upgrade() -> None:
    """Add the columns."""
    op.add_column("customer_order", sa.Column("rule_facts", postgresql.JSONB(), nullable=False, server_default=_EMPTY))
    op.add_column("customer_order", sa.Column("good_until", sa.DateTime(timezone=True), nullable=True))
    op.create_index(
        "ix_customer_order_good_until",
        "customer_order",
        ["good_until"],
        postgresql_where=sa.text("good_until is not null"),
    )
    op.add_column("work", sa.Column("scope", postgresql.JSONB(), nullable=False, server_default=_EMPTY))
    op.add_column("shop", sa.Column("planned_on", sa.Date(), nullable=True))
    # A plan is written again and again while nothing that is indexed changes: room on the page keeps that cheap.
    op.execute("alter table customer_order set (fillfactor = 60)")
    op.execute("alter table customer_order alter column plan set compression lz4")
    op.execute("alter table customer_order alter column imported set compression lz4")


def downgrade() -> None:
    """Take them away again."""
    op.execute("alter table customer_order reset (fillfactor)")
    op.execute("alter table customer_order alter column plan set compression default")
    op.execute("alter table customer_order alter column imported set compression default")
    op.drop_column("shop", "planned_on")
    op.drop_column("work", "scope")
    op.drop_column("customer_order", "good_until")
    op.drop_column("customer_order", "rule_facts")
