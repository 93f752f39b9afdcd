"""Saved views of more than the work list; what customs charged in the end."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0039", "0038", None, None


def upgrade() -> None:
    """All there are are of the work list."""
    op.add_column("saved_view", sa.Column("page", sa.String(20), nullable=False, server_default="orders"))
    op.drop_constraint(op.f("uq_saved_view_person_id_name"), "saved_view", type_="unique")
    op.create_unique_constraint(op.f("uq_saved_view_person_id_page_name"), "saved_view", ["person_id", "page", "name"])
    op.add_column("shipment", sa.Column("duties_charged_minor", sa.Integer(), nullable=True))


def downgrade() -> None:
    """Views of other pages go."""
    op.drop_column("shipment", "duties_charged_minor")
    op.execute("delete from saved_view where page <> 'orders'")
    op.drop_constraint(op.f("uq_saved_view_person_id_page_name"), "saved_view", type_="unique")
    op.create_unique_constraint(op.f("uq_saved_view_person_id_name"), "saved_view", ["person_id", "name"])
    op.drop_column("saved_view", "page")
