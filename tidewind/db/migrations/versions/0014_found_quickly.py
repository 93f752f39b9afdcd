"""What people look for among many orders is found by an index: the newest sent, each word of a search, each view's count."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0014", "0013", None, None
_GONE = "state in ('shipped', 'part_shipped')"


def upgrade() -> None:
    """An order knows its newest shipment, so that what was sent is listed without looking at every shipment."""
    op.add_column(
        "customer_order", sa.Column("newest_shipment_id", sa.BigInteger(), nullable=False, server_default="0")
    )
    op.execute(
        "update customer_order o set newest_shipment_id = s.newest"
        " from (select order_id, max(id) as newest from shipment group by 1) s where s.order_id = o.id"
    )
    op.alter_column("customer_order", "newest_shipment_id", server_default=None)
    op.create_index(
        "ix_customer_order_shipped", "customer_order", ["newest_shipment_id", "id"], postgresql_where=sa.text(_GONE)
    )
    op.create_index("ix_customer_order_view", "customer_order", ["state", "snag_level"])
    op.create_index(
        "ix_label_tracking_number_parts",
        "label",
        ["tracking_number"],
        postgresql_using="gin",
        postgresql_ops={"tracking_number": "gin_trgm_ops"},
    )
    op.create_index("ix_shipment_late_sale", "shipment", ["asked_at"], postgresql_where=sa.text("late_sale <> ''"))
    op.create_index(
        "ix_customer_order_departing",
        "customer_order",
        ["carrier", "network"],
        postgresql_where=sa.text("state = 'open'"),
    )


def downgrade() -> None:
    """Shipments are looked at again."""
    op.drop_index("ix_customer_order_departing", "customer_order")
    op.drop_index("ix_shipment_late_sale", "shipment")
    op.drop_index("ix_label_tracking_number_parts", "label")
    op.drop_index("ix_customer_order_view", "customer_order")
    op.drop_index("ix_customer_order_shipped", "customer_order")
    op.drop_column("customer_order", "newest_shipment_id")
