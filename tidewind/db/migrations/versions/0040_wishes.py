"""What buyers wish of a delivery."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0040", "0039", None, None


def upgrade() -> None:
    """Nobody has wished anything yet."""
    op.create_table(
        "parcel_wish",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("shipment_id", sa.BigInteger(), sa.ForeignKey("shipment.id", ondelete="cascade"), nullable=False),
        sa.Column("idempotency_key", sa.String(60), nullable=False, unique=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("day", sa.Date(), nullable=True),
        sa.Column("words", sa.String(120), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("next_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("failure", sa.String(300), nullable=False),
        sa.CheckConstraint("state in ('asked', 'taken', 'refused')", name=op.f("ck_parcel_wish_state")),
    )
    op.create_index("ix_parcel_wish_shipment_id", "parcel_wish", ["shipment_id"])
    op.create_index(
        "uq_parcel_wish_standing",
        "parcel_wish",
        ["shipment_id"],
        unique=True,
        postgresql_where=sa.text("state in ('asked', 'taken')"),
    )


def downgrade() -> None:
    """Forget them."""
    op.drop_table("parcel_wish")
