"""Batches that are filled first, voids and refunds, who pays, and a ledger that holds more by itself."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0005", "0004", None, None
_EMPTY, _EMPTY_LIST = sa.text("'{}'::jsonb"), sa.text("'[]'::jsonb")


def upgrade() -> None:
    """Add the columns and the rules."""
    op.add_column("batch", sa.Column("name", sa.String(80), nullable=False, server_default=""))
    op.add_column("batch", sa.Column("state", sa.String(20), nullable=False, server_default="asked"))
    op.add_column("batch", sa.Column("changes", postgresql.JSONB(), nullable=False, server_default=_EMPTY))
    op.add_column("batch", sa.Column("asked_at", sa.DateTime(timezone=True), nullable=True))
    op.create_index(op.f("ix_batch_state"), "batch", ["state"])
    op.add_column("carrier_account", sa.Column("payer", sa.String(20), nullable=False, server_default="balance"))
    op.add_column("customer_order", sa.Column("batch_id", sa.BigInteger(), nullable=True))
    op.add_column("customer_order", sa.Column("sender", postgresql.JSONB(), nullable=False, server_default=_EMPTY))
    op.create_index(
        "ix_customer_order_batch_id", "customer_order", ["batch_id"], postgresql_where=sa.text("batch_id is not null")
    )
    op.create_foreign_key(op.f("fk_customer_order_batch_id"), "customer_order", "batch", ["batch_id"], ["id"])
    op.add_column("ledger_line", sa.Column("balance_after", sa.BigInteger(), nullable=False, server_default="0"))
    op.add_column("message", sa.Column("attach", sa.String(20), nullable=False, server_default=""))
    op.add_column("recipe", sa.Column("place", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("shipment", sa.Column("reference", sa.String(60), nullable=False, server_default=""))
    op.add_column("shipment", sa.Column("payer", sa.String(20), nullable=False, server_default="balance"))
    op.add_column("shipment", sa.Column("bill_to", postgresql.JSONB(), nullable=False, server_default=_EMPTY))
    op.add_column("shipment", sa.Column("begun_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("shipment", sa.Column("attempts", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("shipment", sa.Column("next_try_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("shipment", sa.Column("void_asked_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("shipment", sa.Column("void_asked_by", sa.String(120), nullable=False, server_default=""))
    op.add_column("shipment", sa.Column("void_due_on", sa.Date(), nullable=True))
    op.add_column("shipment", sa.Column("void_settled_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("shipment", sa.Column("void_words", sa.String(300), nullable=False, server_default=""))
    op.add_column("shipment", sa.Column("chased_at", sa.DateTime(timezone=True), nullable=True))
    op.drop_index("ix_shipment_buying", table_name="shipment")
    op.create_index("ix_shipment_buying", "shipment", ["next_try_at"], postgresql_where=sa.text("state = 'buying'"))
    op.create_index(
        "ix_shipment_void_asked", "shipment", ["void_due_on"], postgresql_where=sa.text("state = 'void_asked'")
    )
    op.add_column("shop", sa.Column("approve_over_minor", sa.Integer(), nullable=True))
    op.add_column("shop", sa.Column("approve_services", postgresql.JSONB(), nullable=False, server_default=_EMPTY_LIST))
    op.add_column("shop", sa.Column("low_balance_minor", sa.Integer(), nullable=False, server_default="5000"))
    op.add_column("shop", sa.Column("slip", postgresql.JSONB(), nullable=False, server_default=_EMPTY))
    op.add_column("shop", sa.Column("logo", sa.LargeBinary(), nullable=True))
    op.drop_index("uq_shipment_live", table_name="shipment")
    op.create_index(
        "uq_shipment_live",
        "shipment",
        ["order_id"],
        unique=True,
        postgresql_where=sa.text("state in ('buying', 'bought')"),
    )
    op.execute("update shipment set next_try_at = asked_at where state = 'buying'")
    op.create_check_constraint(op.f("ck_batch_state"), "batch", "state in ('filling', 'asked', 'archived')")
    op.create_check_constraint(op.f("ck_shipment_payer"), "shipment", "payer in ('balance', 'account', 'elsewhere')")
    op.create_check_constraint(
        op.f("ck_shipment_void"),
        "shipment",
        "(state in ('void_asked', 'voided', 'void_refused')) = (void_asked_at is not null)",
    )
    op.create_check_constraint(
        op.f("ck_shipment_bought"), "shipment", "state in ('buying', 'failed') or bought_at is not null"
    )
    _ledger()


def _ledger() -> None:
    """An account for what is owed, a running balance on every line, and money that fits what was bought."""
    op.execute("insert into ledger_account (code, balance_minor) values ('owed', 0)")
    op.execute("alter table ledger_line disable trigger ledger_line_final")
    op.execute("""
        update ledger_line set balance_after = run.total
          from (select id, sum(amount_minor) over (partition by account order by id) as total from ledger_line) run
         where run.id = ledger_line.id""")
    op.execute("alter table ledger_line enable trigger ledger_line_final")
    op.execute("drop trigger ledger_line_post on ledger_line")
    op.execute("""
        create or replace function ledger_line_post() returns trigger language plpgsql as $$
        begin
          update ledger_account set balance_minor = balance_minor + new.amount_minor where code = new.account
            returning balance_minor into new.balance_after;
          return new;
        end $$""")
    op.execute(
        "create trigger ledger_line_post before insert on ledger_line for each row execute function ledger_line_post()"
    )
    op.execute("""
        create function ledger_account_guard() returns trigger language plpgsql as $$
        begin
          if pg_trigger_depth() < 2 then
            raise exception 'balances follow from ledger lines alone' using errcode = 'restrict_violation';
          end if;
          return new;
        end $$""")
    op.execute(
        "create trigger ledger_account_guard before update or delete on ledger_account "
        "for each row execute function ledger_account_guard()"
    )
    op.execute("""
        create function shipment_is_paid() returns trigger language plpgsql as $$
        declare held bigint; postage bigint; expected bigint; paid bigint;
        begin
          select coalesce(sum(l.amount_minor) filter (where l.account = 'held'), 0),
                 coalesce(sum(l.amount_minor) filter (where l.account = 'postage'), 0),
                 coalesce(sum(l.amount_minor) filter (where l.account = 'expected'), 0)
            into held, postage, expected
            from ledger_line l join ledger_entry e on e.id = l.entry_id where e.shipment_id = new.id;
          paid := case when new.payer = 'elsewhere' then 0 else new.price_minor end;
          if (select state from shipment where id = new.id) <> new.state then return null; end if;
          if new.state <> 'buying' and held <> 0
             or new.state = 'bought' and postage <> paid
             or new.state = 'failed' and postage <> 0
             or new.state = 'voided' and expected <> 0 then
            raise exception 'shipment % is %, its ledger says held %, postage %, expected %',
              new.id, new.state, held, postage, expected using errcode = 'check_violation';
          end if;
          return null;
        end $$""")
    op.execute(
        "create constraint trigger shipment_is_paid after update of state on shipment "
        "deferrable initially deferred for each row execute function shipment_is_paid()"
    )


def downgrade() -> None:
    """Take them away again; what is on account or being voided must be settled before."""
    op.execute("drop trigger shipment_is_paid on shipment")
    op.execute("drop function shipment_is_paid()")
    op.execute("drop trigger ledger_account_guard on ledger_account")
    op.execute("drop function ledger_account_guard()")
    op.execute("drop trigger ledger_line_post on ledger_line")
    op.execute("""
        create or replace function ledger_line_post() returns trigger language plpgsql as $$
        begin
          update ledger_account set balance_minor = balance_minor + new.amount_minor where code = new.account;
          return new;
        end $$""")
    op.execute(
        "create trigger ledger_line_post after insert on ledger_line for each row execute function ledger_line_post()"
    )
    op.execute("delete from ledger_account where code = 'owed'")
    op.drop_constraint("ck_shipment_bought", "shipment")  # the other checks go with their columns
    for table, column in (
        ("shop", "logo"),
        ("shop", "slip"),
        ("shop", "low_balance_minor"),
        ("shop", "approve_services"),
        ("shop", "approve_over_minor"),
        ("shipment", "chased_at"),
        ("shipment", "void_words"),
        ("shipment", "void_settled_at"),
        ("shipment", "void_due_on"),
        ("shipment", "void_asked_by"),
        ("shipment", "void_asked_at"),
        ("shipment", "next_try_at"),
        ("shipment", "attempts"),
        ("shipment", "begun_at"),
        ("shipment", "bill_to"),
        ("shipment", "payer"),
        ("shipment", "reference"),
        ("recipe", "place"),
        ("message", "attach"),
        ("ledger_line", "balance_after"),
        ("customer_order", "sender"),
        ("customer_order", "batch_id"),
        ("carrier_account", "payer"),
        ("batch", "asked_at"),
        ("batch", "changes"),
        ("batch", "state"),
        ("batch", "name"),
    ):
        op.drop_column(table, column)
    # It went with the column it was on; before, it was on another.
    op.create_index("ix_shipment_buying", "shipment", ["asked_at"], postgresql_where=sa.text("state = 'buying'"))
    op.drop_index("uq_shipment_live", table_name="shipment")
    op.create_index(
        "uq_shipment_live",
        "shipment",
        ["order_id"],
        unique=True,
        postgresql_where=sa.text("state in ('buying', 'bought', 'void_asked', 'void_refused')"),
    )
