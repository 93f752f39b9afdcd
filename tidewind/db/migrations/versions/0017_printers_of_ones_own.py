"""Printers that a shop adds by itself, and prints that a printer has taken but not printed yet."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0017", "0016", None, None


def upgrade() -> None:
    """Printers known so far are small servers that take PDF."""
    for table, column in (
        ("printer", sa.Column("kind", sa.String(20), nullable=False, server_default="server")),
        ("printer", sa.Column("facts", postgresql.JSONB(), nullable=False, server_default=sa.text("'{}'"))),
        ("printer", sa.Column("failure", sa.String(300), nullable=False, server_default="")),
        ("print_job", sa.Column("paper", sa.String(20), nullable=False, server_default="")),
        ("print_job", sa.Column("ref", sa.String(40), nullable=False, server_default="")),
    ):
        op.add_column(table, column)
        op.alter_column(table, column.name, server_default=None)
    op.add_column("printer", sa.Column("seen_at", sa.DateTime(timezone=True)))
    op.create_check_constraint("kind", "printer", "kind in ('ipp', 'server')")
    _states("('waiting', 'taken', 'printed', 'in_doubt', 'cancelled')", "state in ('waiting', 'taken')")


def downgrade() -> None:
    """What is not on paper waits again; printers by IPP cannot be known before, and are left out of use."""
    op.execute("update print_job set state = 'waiting' where state in ('taken', 'in_doubt')")
    _states("('waiting', 'printed', 'cancelled')", "state = 'waiting'")
    op.execute("update printer set active = false where kind = 'ipp'")
    op.drop_constraint("ck_printer_kind", "printer")
    for name in ("ref", "paper"):
        op.drop_column("print_job", name)
    for name in ("failure", "seen_at", "facts", "kind"):
        op.drop_column("printer", name)


def _states(known: str, due: str) -> None:
    op.drop_constraint("ck_print_job_state", "print_job")
    op.create_check_constraint("state", "print_job", f"state in {known}")
    op.drop_index("ix_print_job_due", "print_job")
    op.create_index("ix_print_job_due", "print_job", ["next_at"], postgresql_where=sa.text(due))
