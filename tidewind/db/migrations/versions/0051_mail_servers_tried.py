"""A mail server counts once it took a test mail; those that were set before are taken to have done so."""

from alembic import op

revision = "0051"
down_revision = "0050"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""update shop set mail_server = mail_server || '{"tried": true}' where mail_server ? 'host'""")
