"""The first page of the work list is read from an index, however many orders wait."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0041", "0040", None, None

DEPARTS = (
    "(\ncase\nwhen price_minor is null then ''\nelse (((lpad((ship_date - '2000-01-01'::date)::text, 6, '0') || ' ')"
    " || coalesce(carrier, '')) || ' ') || coalesce(network, '')\nend)"
)


def upgrade() -> None:
    """Nothing is stored anew."""
    op.create_index(
        "ix_customer_order_departs",
        "customer_order",
        [sa.text(DEPARTS), "id"],
        postgresql_where=sa.text("state = 'open'"),
    )
    # What Today counts and sums of each departure stands in this one whole.
    op.drop_index("ix_customer_order_departing", "customer_order")
    op.create_index(
        "ix_customer_order_departing",
        "customer_order",
        ["carrier", "network", "ship_date", "id"],
        postgresql_where=sa.text("state = 'open'"),
        postgresql_include=["price_minor"],
    )


def downgrade() -> None:
    """Sort them each time."""
    op.drop_index("ix_customer_order_departing", "customer_order")
    op.create_index(
        "ix_customer_order_departing",
        "customer_order",
        ["carrier", "network"],
        postgresql_where=sa.text("state = 'open'"),
    )
    op.drop_index("ix_customer_order_departs", "customer_order")
