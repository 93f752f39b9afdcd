"""Claims for parcels that were lost or damaged; for how many days a carrier takes them."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0032", "0031", None, None


def upgrade() -> None:
    """Nothing is claimed yet; carriers take claims for as long as is usual."""
    op.execute("insert into ledger_account (code, balance_minor) values ('claims', 0)")
    op.add_column("carrier", sa.Column("claim_days", sa.Integer(), nullable=True))
    op.create_table(
        "claim",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("shipment_id", sa.BigInteger(), sa.ForeignKey("shipment.id", ondelete="cascade"), nullable=False),
        sa.Column("kind", sa.String(10), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("amount_minor", sa.Integer(), nullable=False),
        sa.Column("claim_by", sa.Date(), nullable=False),
        sa.Column("opened_by", sa.String(120), nullable=False),
        sa.Column("opened_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("mail_to", sa.String(200), nullable=False),
        sa.Column("sent_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("paid_minor", sa.Integer(), nullable=False),
        sa.Column("words", sa.String(500), nullable=False),
        sa.Column("settled_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("state in ('open', 'sent', 'paid', 'refused', 'dropped')", name=op.f("ck_claim_state")),
        sa.CheckConstraint("kind in ('lost', 'damaged')", name=op.f("ck_claim_kind")),
        sa.CheckConstraint("amount_minor > 0 and paid_minor >= 0", name=op.f("ck_claim_amounts")),
    )
    op.create_index("ix_claim_shipment_id", "claim", ["shipment_id"])
    op.create_index(
        "uq_claim_live",
        "claim",
        ["shipment_id"],
        unique=True,
        postgresql_where=sa.text("state in ('open', 'sent', 'paid')"),
    )


def downgrade() -> None:
    """What was claimed is known from the orders' history alone; where money came of it, it cannot be gone back."""
    op.drop_table("claim")
    op.drop_column("carrier", "claim_days")
    op.execute("alter table ledger_account disable trigger ledger_account_guard")
    op.execute("delete from ledger_account where code = 'claims'")
    op.execute("alter table ledger_account enable trigger ledger_account_guard")
