"""Where each parcel stands, what its carrier said word for word, and what was done about it."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0027", "0026", None, None


def upgrade() -> None:
    """Parcels stand as their shipment did; what is over is not looked at again."""
    for name, length in (("event_id", 80), ("takes_back", 80), ("code", 40), ("reason", 20)):
        op.add_column("tracking_event", sa.Column(name, sa.String(length), nullable=False, server_default=""))
    op.add_column("tracking_event", sa.Column("heard_at", sa.DateTime(timezone=True), nullable=True))
    op.create_index("ix_tracking_event_unknown", "tracking_event", ["code"], postgresql_where=sa.text("state = ''"))
    op.add_column("label", sa.Column("tracking_state", sa.String(30), nullable=False, server_default="announced"))
    op.add_column("label", sa.Column("tracking_since", sa.DateTime(timezone=True), nullable=True))
    op.add_column("label", sa.Column("tracking_reason", sa.String(20), nullable=False, server_default=""))
    op.add_column("label", sa.Column("last_event_at", sa.DateTime(timezone=True), nullable=True))
    op.execute("update label set tracking_state = s.tracking_state from shipment s where s.id = label.shipment_id")
    op.create_index(
        "ix_label_under_way",
        "label",
        ["shipment_id"],
        postgresql_where=sa.text("tracking_state not in ('announced', 'delivered', 'returned')"),
    )
    op.create_table(
        "parcel_deed",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("shipment_id", sa.BigInteger(), sa.ForeignKey("shipment.id", ondelete="cascade"), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("who", sa.String(120), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("trouble", sa.String(20), nullable=False),
        sa.Column("words", sa.String(2000), nullable=False),
        sa.Column("mail_to", sa.String(200), nullable=False),
    )
    op.create_index("ix_parcel_deed_shipment_id", "parcel_deed", ["shipment_id"])


def downgrade() -> None:
    """What carriers said beside our states is lost."""
    op.drop_table("parcel_deed")
    op.drop_index("ix_label_under_way", "label")
    for name in ("tracking_state", "tracking_since", "tracking_reason", "last_event_at"):
        op.drop_column("label", name)
    op.drop_index("ix_tracking_event_unknown", "tracking_event")
    for name in ("event_id", "takes_back", "code", "reason", "heard_at"):
        op.drop_column("tracking_event", name)
