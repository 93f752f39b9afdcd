"""Parcels that are followed though we did not send them: to us, or bought elsewhere."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision, branch_labels, depends_on = "0031", "0030", None, None


def upgrade() -> None:
    """Nobody follows anything yet."""
    op.create_table(
        "followed_number",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("carrier", sa.String(30), nullable=False),
        sa.Column("number", sa.String(40), nullable=False),
        sa.Column("what", sa.String(200), nullable=False),
        sa.Column("tell_mail", sa.String(200), nullable=False),
        sa.Column("asked_by", sa.String(120), nullable=False),
        sa.Column("state", sa.String(30), nullable=False),
        sa.Column("events", JSONB(), nullable=False),
        sa.Column("told", sa.String(30), nullable=False),
        sa.Column("failure", sa.String(200), nullable=False),
        sa.Column("next_look_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        sa.UniqueConstraint("carrier", "number"),
    )
    op.create_index(
        "ix_followed_number_due",
        "followed_number",
        ["next_look_at"],
        postgresql_where=sa.text("next_look_at is not null"),
    )


def downgrade() -> None:
    """They are followed no more."""
    op.drop_table("followed_number")
