"""What a bench packed today is found among all that it ever packed."""

from __future__ import annotations

from alembic import op

revision, down_revision, branch_labels, depends_on = "0021", "0020", None, None


def upgrade() -> None:
    """The bench shows it after every scan."""
    op.drop_index("ix_packing_bench_id", "packing")
    op.create_index("ix_packing_bench_id", "packing", ["bench_id", "started_at"])


def downgrade() -> None:
    """Back to the bench alone."""
    op.drop_index("ix_packing_bench_id", "packing")
    op.create_index("ix_packing_bench_id", "packing", ["bench_id"])
