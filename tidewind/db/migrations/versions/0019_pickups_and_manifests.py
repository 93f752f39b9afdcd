"""Pickups, manifests and the driver's count; each label knows the departure it goes with."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0019", "0018", None, None

_NOW = sa.func.now()


def _text(name: str, length: int) -> sa.Column[str]:
    return sa.Column(name, sa.String(length), nullable=False, server_default="")


def _moment(name: str, *, needed: bool = False) -> sa.Column[object]:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=not needed)


def _number(name: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), nullable=False, server_default="0")


def upgrade() -> None:
    """Labels go with what their shipment was bought for; departures of days that are over went when their cut-off was."""
    for column in (
        sa.Column("brought", sa.Boolean(), nullable=False, server_default=sa.false()),
        _moment("handed_over_at"),
        _text("handed_over_by", 120),
        _text("driver", 120),
        sa.Column("signature", sa.Text(), nullable=False, server_default=""),
    ):
        op.add_column("departure", column)
    op.execute(
        "update departure set state = 'handed_over', handed_over_at = cutoff_at "
        "where state = 'handed_over' or day < current_date"
    )
    _labels()
    op.create_check_constraint("handed_over", "departure", "state <> 'handed_over' or handed_over_at is not null")
    op.add_column("carrier", sa.Column("can", postgresql.JSONB(), nullable=False, server_default=sa.text("'[]'")))
    op.add_column("shop", _text("calendar_key", 43))
    _pickups()
    _manifests()
    op.execute("insert into ledger_account (code, balance_minor) values ('pickups', 0)")
    op.add_column("ledger_entry", sa.Column("pickup_id", sa.BigInteger(), sa.ForeignKey("pickup.id"), index=True))


def _labels() -> None:
    op.add_column("label", sa.Column("departure_id", sa.BigInteger()))
    op.execute("update label set departure_id = s.departure_id from shipment s where s.id = label.shipment_id")
    op.alter_column("label", "departure_id", nullable=False)
    op.create_foreign_key(op.f("fk_label_departure_id"), "label", "departure", ["departure_id"], ["id"])
    op.create_index("ix_label_departure_id", "label", ["departure_id"])
    op.add_column("label", _moment("counted_at"))
    op.add_column("label", _moment("handed_over_at"))
    op.execute(
        "update label set handed_over_at = d.cutoff_at from departure d "
        "where d.id = label.departure_id and d.state = 'handed_over'"
    )
    op.drop_column("shipment", "departure_id")


def _pickups() -> None:
    op.create_table(
        "pickup",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("departure_id", sa.BigInteger(), sa.ForeignKey("departure.id"), nullable=False, index=True),
        sa.Column("replaces_id", sa.BigInteger(), sa.ForeignKey("pickup.id")),
        sa.Column("idempotency_key", sa.String(60), nullable=False, unique=True),
        sa.Column("state", sa.String(20), nullable=False, server_default="asked"),
        sa.Column("start", sa.Time(), nullable=False),
        sa.Column("until", sa.Time(), nullable=False),
        _moment("begins_at", needed=True),
        _moment("ends_at", needed=True),
        _moment("change_until", needed=True),
        sa.Column("parcels", sa.Integer(), nullable=False),
        sa.Column("classes", postgresql.JSONB(), nullable=False),
        sa.Column("gross_g", sa.Integer(), nullable=False),
        _number("heaviest_g"),
        _number("longest_mm"),
        sa.Column("address", postgresql.JSONB(), nullable=False),
        _text("spot", 120),
        _text("note", 300),
        _text("contact", 120),
        _text("phone", 40),
        _text("manifest", 40),
        _number("fee_minor"),
        sa.Column("payer", sa.String(20), nullable=False),
        _text("account", 40),
        _text("confirmation", 60),
        _text("words", 300),
        sa.Column("asked_by", sa.String(120), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False, index=True),
        _text("cancelled_by", 120),
        _text("answer", 300),
        _moment("settled_at"),
        _number("attempts"),
        _moment("next_try_at"),
        _moment("chased_at"),
        _text("chased_by", 120),
        sa.Column("calendar_key", sa.String(43), nullable=False, unique=True),
        sa.CheckConstraint(
            "state in ('asked', 'booked', 'refused', 'cancelling', 'cancelled', 'done', 'missed')", name="state"
        ),
        sa.CheckConstraint("fee_minor >= 0 and parcels >= 0 and gross_g >= 0", name="figures"),
        sa.CheckConstraint("payer in ('balance', 'account')", name="payer"),
    )
    asked, at_the_carrier = sa.text("state = 'asked'"), sa.text("state in ('booked', 'cancelling')")
    op.create_index("uq_pickup_asked", "pickup", ["departure_id"], unique=True, postgresql_where=asked)
    op.create_index("uq_pickup_booked", "pickup", ["departure_id"], unique=True, postgresql_where=at_the_carrier)
    standing = sa.text("state in ('asked', 'booked', 'cancelling')")
    missed = sa.text("state = 'missed' and settled_at is null")
    op.create_index("ix_pickup_open_missed", "pickup", ["id"], postgresql_where=missed)
    op.create_index("ix_pickup_due", "pickup", ["next_try_at"], postgresql_where=standing)
    op.create_table(
        "standing_pickup",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("carrier", sa.String(30), nullable=False),
        sa.Column("network", sa.String(30), nullable=False),
        sa.Column("weekdays", postgresql.JSONB(), nullable=False),
        sa.Column("start", sa.Time()),
        sa.Column("until", sa.Time()),
        sa.Column("paused", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("asked_for", sa.Date()),
        sa.Column("created_by", sa.String(120), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=_NOW),
        sa.UniqueConstraint("carrier", "network"),
    )


def _manifests() -> None:
    op.create_table(
        "manifest",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("departure_id", sa.BigInteger(), sa.ForeignKey("departure.id"), nullable=False, index=True),
        sa.Column("number", sa.String(40), nullable=False, unique=True),
        sa.Column("idempotency_key", sa.String(60), nullable=False, unique=True),
        sa.Column("lines", postgresql.JSONB(), nullable=False),
        sa.Column("gross_g", sa.Integer(), nullable=False),
        sa.Column("closed_by", sa.String(120), nullable=False),
        _moment("closed_at", needed=True),
        _text("reopened_by", 120),
        _moment("reopened_at"),
        sa.Column("told", sa.String(20), nullable=False, server_default="unasked"),
        _text("words", 300),
        _number("attempts"),
        _moment("next_try_at"),
        sa.CheckConstraint("told in ('unasked', 'asked', 'told', 'refused')", name="told"),
    )
    standing, due = sa.text("reopened_at is null"), sa.text("told = 'asked'")
    op.create_index("uq_manifest_standing", "manifest", ["departure_id"], unique=True, postgresql_where=standing)
    op.create_index("ix_manifest_due", "manifest", ["next_try_at"], postgresql_where=due)


def downgrade() -> None:
    """Fees that were charged stay in the ledger only where there were none; labels go with their shipment again."""
    op.drop_column("ledger_entry", "pickup_id")
    op.execute("alter table ledger_account disable trigger ledger_account_guard")
    op.execute("delete from ledger_account where code = 'pickups'")
    op.execute("alter table ledger_account enable trigger ledger_account_guard")
    for table in ("manifest", "standing_pickup", "pickup"):
        op.drop_table(table)
    op.drop_column("shop", "calendar_key")
    op.drop_column("carrier", "can")
    op.drop_constraint("handed_over", "departure", type_="check")
    for column in ("signature", "driver", "handed_over_by", "handed_over_at", "brought"):
        op.drop_column("departure", column)
    op.add_column("shipment", sa.Column("departure_id", sa.BigInteger(), sa.ForeignKey("departure.id"), index=True))
    op.execute(
        "update shipment set departure_id = "
        "(select min(label.departure_id) from label where label.shipment_id = shipment.id)"
    )
    op.alter_column("shipment", "departure_id", nullable=False)
    for column in ("handed_over_at", "counted_at", "departure_id"):
        op.drop_column("label", column)
