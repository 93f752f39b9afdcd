"""Indexes that no question needs whole are narrowed: every order that comes in had to be written into each."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0012", "0011", None, None
_SELDOM = ("import_id", "joined_to")


def upgrade() -> None:
    """The number leads: while a table had no statistics all orders of a channel were read to find one by its number."""
    _unique("channel_id_number", "number_channel_id")
    for column in ("number", "channel_id"):
        op.drop_index(f"ix_customer_order_{column}", "customer_order")
    for column in _SELDOM:
        _again(column, sa.text(f"{column} is not null"))


def downgrade() -> None:
    """Every order stands in each of them again."""
    for column in _SELDOM:
        _again(column, None)
    for column in ("channel_id", "number"):
        op.create_index(f"ix_customer_order_{column}", "customer_order", [column])
    _unique("number_channel_id", "channel_id_number")


def _unique(before: str, after: str) -> None:
    columns = ["channel_id", "number"] if after.startswith("channel") else ["number", "channel_id"]
    op.drop_constraint(f"uq_customer_order_{before}", "customer_order")
    op.create_unique_constraint(f"uq_customer_order_{after}", "customer_order", columns)


def _again(column: str, where: sa.TextClause | None) -> None:
    op.drop_index(f"ix_customer_order_{column}", "customer_order")
    op.create_index(f"ix_customer_order_{column}", "customer_order", [column], postgresql_where=where)
