"""Which parcels of a shipment a claim is about; of claims made before: all."""

from alembic import op

revision = "0048"
down_revision = "0047"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table claim add column label_ids jsonb default '[]' not null")
