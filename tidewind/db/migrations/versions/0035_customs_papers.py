"""Customs papers are a kind of document that is printed."""

from __future__ import annotations

from alembic import op

revision, down_revision, branch_labels, depends_on = "0035", "0034", None, None
_KINDS = "'label', 'packing_slip', 'pick_list', 'batch_summary', 'invoice', 'return_label'"


def upgrade() -> None:
    """They stand beside the others."""
    _only(f"{_KINDS}, 'customs'")


def downgrade() -> None:
    """No preference for them is kept."""
    op.execute("delete from print_preference where kind = 'customs'")
    op.execute("delete from print_job where kind = 'customs'")
    _only(_KINDS)


def _only(kinds: str) -> None:
    op.drop_constraint(op.f("ck_print_preference_kind"), "print_preference")
    op.create_check_constraint(op.f("ck_print_preference_kind"), "print_preference", f"kind in ({kinds})")
