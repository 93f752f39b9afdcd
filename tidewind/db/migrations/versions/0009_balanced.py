"""The policy that weighs price against days is called balanced."""

from __future__ import annotations

from alembic import op

revision, down_revision, branch_labels, depends_on = "0009", "0008", None, None


def upgrade() -> None:
    """Give the policy its name."""
    op.execute("update shop set policy = 'balanced' where policy = 'best_value'")


def downgrade() -> None:
    """Give it the name that the version before knows."""
    op.execute("update shop set policy = 'best_value' where policy = 'balanced'")
