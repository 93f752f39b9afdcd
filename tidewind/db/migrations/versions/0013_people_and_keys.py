"""People are invited by a link, may use a second factor, and see their sessions; keys expire and say when they were used."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0013", "0012", None, None


def upgrade() -> None:
    """Who has a password keeps it, and sessions and keys that are open stay open."""
    op.add_column("person", sa.Column("factor_sealed", sa.String(300), nullable=False, server_default=""))
    op.add_column("person", sa.Column("factor_step", sa.BigInteger(), nullable=False, server_default="0"))
    op.add_column("person", sa.Column("seen_at", sa.DateTime(timezone=True)))
    op.add_column("sign_in", sa.Column("browser", sa.String(120), nullable=False, server_default=""))
    op.add_column("sign_in", sa.Column("seen_at", sa.DateTime(timezone=True)))
    op.add_column("api_key", sa.Column("reads_only", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("api_key", sa.Column("expires_at", sa.DateTime(timezone=True)))
    op.add_column("api_key", sa.Column("used_at", sa.DateTime(timezone=True)))
    for table, column in (
        ("person", "factor_sealed"),
        ("person", "factor_step"),
        ("sign_in", "browser"),
        ("api_key", "reads_only"),
    ):
        op.alter_column(table, column, server_default=None)
    op.create_table(
        "door_link",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("token_hash", sa.String(64), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_door_link_person_id", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name="pk_door_link"),
        sa.UniqueConstraint("token_hash", name="uq_door_link_token_hash"),
    )
    op.create_index("ix_door_link_person_id", "door_link", ["person_id"])


def downgrade() -> None:
    """Links that nobody used yet, and second factors, are gone."""
    op.drop_table("door_link")
    for table, columns in (
        ("api_key", ("used_at", "expires_at", "reads_only")),
        ("sign_in", ("seen_at", "browser")),
        ("person", ("seen_at", "factor_step", "factor_sealed")),
    ):
        for column in columns:
            op.drop_column(table, column)
