"""What carriers tell by themselves, as it came; where each of them knows that it is to be told."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision, branch_labels, depends_on = "0029", "0028", None, None


def upgrade() -> None:
    """No carrier has told anything yet."""
    op.add_column("carrier", sa.Column("subscribed", sa.String(300), nullable=False, server_default=""))
    op.create_table(
        "carrier_notice",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("carrier", sa.String(30), nullable=False),
        sa.Column("notice_id", sa.String(100), nullable=False),
        sa.Column("body", JSONB(), nullable=False),
        sa.Column("heard_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("done_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("failure", sa.String(200), nullable=False, server_default=""),
        sa.UniqueConstraint("carrier", "notice_id"),
    )
    op.create_index("ix_carrier_notice_waits", "carrier_notice", ["id"], postgresql_where=sa.text("done_at is null"))


def downgrade() -> None:
    """What was told and not gone through is asked for again."""
    op.drop_table("carrier_notice")
    op.drop_column("carrier", "subscribed")
