"""Labels that a person has to settle: not only those sold late, also those whose void was refused."""

from alembic import op

revision = "0049"
down_revision = "0048"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table shipment rename column late_sale to unsettled")
    op.execute("alter index ix_shipment_late_sale rename to ix_shipment_unsettled")
