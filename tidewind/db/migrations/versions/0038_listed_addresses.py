"""Addresses of restricted parties."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision, branch_labels, depends_on = "0038", "0037", None, None


def upgrade() -> None:
    """Lists that are there name none."""
    op.add_column("restricted_party", sa.Column("addresses", JSONB(), nullable=False, server_default="[]"))


def downgrade() -> None:
    """Take them away."""
    op.drop_column("restricted_party", "addresses")
