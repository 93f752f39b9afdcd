"""What shoppers are offered: offers and rate tables, in versions."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0023", "0022", None, None


def upgrade() -> None:
    """Nothing is offered so far."""
    op.create_table(
        "checkout_version",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("body", postgresql.JSONB(), nullable=False),
        sa.Column("note", sa.String(200), nullable=False),
        sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), index=True),
        sa.Column("holds_from", sa.DateTime(timezone=True), nullable=False, index=True),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
    )


def downgrade() -> None:
    """Nothing is offered any more."""
    op.drop_table("checkout_version")
