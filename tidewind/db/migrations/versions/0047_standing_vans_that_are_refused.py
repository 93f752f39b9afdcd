"""Why a standing van was not asked for yet, and for which day."""

from alembic import op

revision = "0047"
down_revision = "0046"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table standing_pickup add column refusal varchar(300) default '' not null")
    op.execute("alter table standing_pickup add column refused_for date")
