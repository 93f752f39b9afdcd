"""A purchase that was given up is looked after until its carrier can no longer sell it."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0011", "0010", None, None


def upgrade() -> None:
    """What was given up before is not looked after."""
    op.add_column("shipment", sa.Column("watched_until", sa.DateTime(timezone=True)))
    op.add_column("shipment", sa.Column("late_sale", sa.String(300), nullable=False, server_default=""))
    op.alter_column("shipment", "late_sale", server_default=None)
    op.create_index(
        "ix_shipment_watched", "shipment", ["next_try_at"], postgresql_where=sa.text("watched_until is not null")
    )


def downgrade() -> None:
    """A late sale that was found stays in the words of the failure."""
    op.drop_index("ix_shipment_watched", "shipment")
    op.drop_column("shipment", "late_sale")
    op.drop_column("shipment", "watched_until")
