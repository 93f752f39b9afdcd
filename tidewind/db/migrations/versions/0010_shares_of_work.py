"""Workers share a long piece of work: who has taken which orders of it is kept with it."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision, branch_labels, depends_on = "0010", "0009", None, None


def upgrade() -> None:
    """Nobody has taken anything yet."""
    op.add_column("work", sa.Column("shares", JSONB, nullable=False, server_default="[]"))
    op.alter_column("work", "shares", server_default=None)


def downgrade() -> None:
    """One worker goes on from the cursor; what others had taken is planned when a truck leaves or a day begins."""
    op.drop_column("work", "shares")
