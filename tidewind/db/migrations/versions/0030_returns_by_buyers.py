"""Returns that buyers start: the shop's rules, what comes back and why, a picture, in which condition it came."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision, branch_labels, depends_on = "0030", "0029", None, None


def upgrade() -> None:
    """Of the returns there are nobody has said what comes back."""
    op.add_column("shop", sa.Column("return_rules", JSONB(), nullable=False, server_default="{}"))
    op.add_column("parcel_return", sa.Column("items", JSONB(), nullable=False, server_default="[]"))
    op.add_column("parcel_return", sa.Column("words", sa.String(500), nullable=False, server_default=""))
    op.add_column("parcel_return", sa.Column("buyer_pays", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("parcel_return", sa.Column("photo", sa.LargeBinary(), nullable=True))


def downgrade() -> None:
    """What buyers wrote and showed is lost."""
    for name in ("photo", "buyer_pays", "words", "items"):
        op.drop_column("parcel_return", name)
    op.drop_column("shop", "return_rules")
