"""A label whose order was changed after it was bought is known as such, whatever becomes of its void."""

from alembic import op

revision = "0043"
down_revision = "0042"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table shipment add column overtaken boolean default false not null")
