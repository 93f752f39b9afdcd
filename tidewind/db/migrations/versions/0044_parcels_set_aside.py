"""Parcels that wait at a bench for their label, and what a bench did last."""

from alembic import op

revision = "0044"
down_revision = "0043"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table packing add column aside boolean default false not null")
    op.execute("create index ix_packing_aside on packing (bench_id) where aside")
    op.execute("alter table bench add column last jsonb default '{}' not null")
