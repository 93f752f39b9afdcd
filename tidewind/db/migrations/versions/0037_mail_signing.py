"""The key that mails are signed with."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision, branch_labels, depends_on = "0037", "0036", None, None


def upgrade() -> None:
    """There is none yet."""
    op.add_column("shop", sa.Column("mail_signing", JSONB(), nullable=False, server_default="{}"))


def downgrade() -> None:
    """Take it away."""
    op.drop_column("shop", "mail_signing")
