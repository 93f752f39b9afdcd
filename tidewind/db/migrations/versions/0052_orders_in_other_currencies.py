"""An order may be in another currency than the shop's books; empty is the shop's."""

from alembic import op

revision = "0052"
down_revision = "0051"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table customer_order add column currency varchar(3) not null default ''")
    op.execute("alter table customer_order alter column currency drop default")
