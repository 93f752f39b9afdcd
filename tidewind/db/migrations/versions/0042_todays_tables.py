"""Today's tables, in one step; a folder of an older version is brought here by ``older_folders.sql`` first."""

from pathlib import Path

from alembic import op
from procrastinate.schema import SchemaManager

revision = "0042"
down_revision = None
branch_labels = None
depends_on = None

TABLES = Path(__file__).parents[1] / "tables.sql"


def upgrade() -> None:
    op.get_bind().exec_driver_sql(TABLES.read_text("utf-8"))
    # The job queue keeps its own schema; its version is the locked one of the package.
    op.get_bind().exec_driver_sql(SchemaManager.get_schema())
