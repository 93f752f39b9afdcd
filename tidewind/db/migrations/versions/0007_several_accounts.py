"""Several accounts with a carrier; what a shipment is bought on; cover from an insurer."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0007", "0006", None, None
_MOVED = ("discounts_bp", "services_off", "payer")


def upgrade() -> None:
    """What was a carrier with its one account becomes a carrier, and an account of its own."""
    op.rename_table("carrier_account", "carrier")
    op.execute("alter sequence carrier_account_id_seq rename to carrier_id_seq")
    op.execute("alter table carrier rename constraint pk_carrier_account to pk_carrier")
    op.execute("alter table carrier rename constraint uq_carrier_account_code to uq_carrier_code")
    op.create_table(
        "carrier_account",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("carrier_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.String(length=40), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("discounts_bp", postgresql.JSONB(), nullable=False),
        sa.Column("services_off", postgresql.JSONB(), nullable=False),
        sa.Column("payer", sa.String(length=20), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.CheckConstraint("payer in ('balance', 'account')", name=op.f("ck_carrier_account_payer")),
        sa.ForeignKeyConstraint(
            ["carrier_id"], ["carrier.id"], name=op.f("fk_carrier_account_carrier_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_carrier_account")),
        sa.UniqueConstraint("carrier_id", "number", name=op.f("uq_carrier_account_carrier_id_number")),
    )
    op.create_index(op.f("ix_carrier_account_carrier_id"), "carrier_account", ["carrier_id"])
    op.execute(
        "insert into carrier_account (carrier_id, number, name, discounts_bp, services_off, payer, active)"
        " select id, account_number, '', discounts_bp, services_off, payer, true from carrier order by id"
    )
    for name in ("account_number", *_MOVED):
        op.drop_column("carrier", name)
    _rename_owner("account_id", "carrier_id")
    op.add_column("shipment", sa.Column("account", sa.String(length=40), nullable=False, server_default=""))
    op.alter_column("shipment", "account", server_default=None)
    op.add_column("shipment", sa.Column("premium_minor", sa.Integer(), nullable=False, server_default="0"))
    op.alter_column("shipment", "premium_minor", server_default=None)
    op.execute("insert into ledger_account (code, balance_minor) values ('cover', 0)")
    op.add_column("shop", sa.Column("cover", postgresql.JSONB(), nullable=False, server_default="{}"))
    op.alter_column("shop", "cover", server_default=None)


def downgrade() -> None:
    """Back to one account a carrier: the first one stays."""
    op.drop_column("shop", "cover")
    op.execute("alter table ledger_account disable trigger user")
    op.execute("delete from ledger_account where code = 'cover'")
    op.execute("alter table ledger_account enable trigger user")
    op.drop_column("shipment", "premium_minor")
    op.drop_column("shipment", "account")
    _rename_owner("carrier_id", "account_id")
    op.add_column("carrier", sa.Column("account_number", sa.String(40), nullable=False, server_default=""))
    op.add_column("carrier", sa.Column("discounts_bp", postgresql.JSONB(), nullable=False, server_default="{}"))
    op.add_column("carrier", sa.Column("services_off", postgresql.JSONB(), nullable=False, server_default="[]"))
    op.add_column("carrier", sa.Column("payer", sa.String(20), nullable=False, server_default="balance"))
    op.execute(
        "update carrier c set account_number = a.number, discounts_bp = a.discounts_bp, services_off = a.services_off,"
        " payer = a.payer from (select distinct on (carrier_id) * from carrier_account order by carrier_id, id) a"
        " where a.carrier_id = c.id"
    )
    op.drop_table("carrier_account")
    op.execute("alter table carrier rename constraint uq_carrier_code to uq_carrier_account_code")
    op.execute("alter table carrier rename constraint pk_carrier to pk_carrier_account")
    op.execute("alter sequence carrier_id_seq rename to carrier_account_id_seq")
    op.rename_table("carrier", "carrier_account")


def _rename_owner(before: str, after: str) -> None:
    op.alter_column("rate_card", before, new_column_name=after)
    op.execute(f"alter index ix_rate_card_{before} rename to ix_rate_card_{after}")
    for kind, rest in (("fk", ""), ("uq", "_valid_from")):
        op.execute(
            f"alter table rate_card rename constraint {kind}_rate_card_{before}{rest} to {kind}_rate_card_{after}{rest}"
        )
