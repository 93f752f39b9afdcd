"""A count that rises with every change that a price at the checkout depends on."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0024", "0023", None, None


def upgrade() -> None:
    """It begins with one."""
    op.create_table(
        "checkout_stamp",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("changes", sa.BigInteger(), nullable=False),
    )
    op.execute("insert into checkout_stamp (id, changes) values (1, 1)")


def downgrade() -> None:
    """Prices are made anew each time."""
    op.drop_table("checkout_stamp")
