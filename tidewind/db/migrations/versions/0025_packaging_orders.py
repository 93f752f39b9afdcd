"""Carriers' packaging that was ordered from them."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0025", "0024", None, None


def upgrade() -> None:
    """Nothing was ordered so far."""
    op.create_table(
        "packaging_order",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("carrier", sa.String(30), nullable=False),
        sa.Column("idempotency_key", sa.String(60), nullable=False, unique=True),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("pieces", postgresql.JSONB(), nullable=False),
        sa.Column("confirmation", sa.String(60), nullable=False),
        sa.Column("arrives", sa.Date()),
        sa.Column("words", sa.String(300), nullable=False),
        sa.Column("asked_by", sa.String(120), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("next_try_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint("state in ('asked', 'confirmed', 'refused', 'arrived')", name="state"),
    )


def downgrade() -> None:
    """What was ordered comes anyway."""
    op.drop_table("packaging_order")
