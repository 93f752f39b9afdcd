"""A departure whose count was opened again after it was handed over, and why."""

from alembic import op

revision = "0045"
down_revision = "0044"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table departure add column recount varchar(300) default '' not null")
