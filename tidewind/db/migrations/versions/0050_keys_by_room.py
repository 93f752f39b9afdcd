"""Keys that open one room alone, and where a key last came from."""

from alembic import op

revision = "0050"
down_revision = "0049"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table api_key add column used_from varchar(45) default '' not null")
    op.execute("alter table api_key drop constraint ck_api_key_scope")
    op.execute(
        "alter table api_key add constraint ck_api_key_scope check (scope in "
        "('all', 'checkout', 'orders', 'labels', 'handover', 'following'))"
    )
