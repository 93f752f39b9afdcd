"""The packing bench, serial numbers, sets made of parts, badges, pictures, how many boxes are left."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0020", "0019", None, None


def _to(name: str, target: str, *, needed: bool = True, index: bool = True, cascade: bool = False) -> sa.Column[int]:
    key = sa.ForeignKey(target, ondelete="CASCADE" if cascade else None)
    return sa.Column(name, sa.BigInteger(), key, nullable=not needed, index=index)


def _moment(name: str, *, needed: bool = True, index: bool = False) -> sa.Column[object]:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=not needed, index=index)


def _json(name: str, empty: str) -> sa.Column[object]:
    return sa.Column(name, postgresql.JSONB(), nullable=False, server_default=sa.text(f"'{empty}'"))


def upgrade() -> None:
    """Products so far have no serial numbers and no parts; nobody has a badge."""
    op.add_column("packaging", sa.Column("stock", sa.Integer()))
    for table, column in (
        ("packaging", sa.Column("low_at", sa.Integer(), nullable=False, server_default="0")),
        ("product", sa.Column("serial", sa.Boolean(), nullable=False, server_default=sa.false())),
        ("product", _json("parts", "[]")),
        ("person", sa.Column("badge_hash", sa.String(64), nullable=False, server_default="")),
        ("shop", _json("bench", "{}")),
    ):
        op.add_column(table, column)
        op.alter_column(table, column.name, server_default=None)
    op.create_index("ix_product_barcode", "product", ["barcode"], postgresql_where=sa.text("barcode <> ''"))
    op.create_index(
        "uq_person_badge", "person", ["badge_hash"], unique=True, postgresql_where=sa.text("badge_hash <> ''")
    )
    op.create_table(
        "bench",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("name", sa.String(40), nullable=False, unique=True),
        _to("packer_id", "person.id", needed=False, index=False),
        sa.Column("packing_id", sa.BigInteger()),
        _json("said", "{}"),
        sa.Column("pieces", sa.Integer(), nullable=False, server_default="1"),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
    )
    op.create_table(
        "packing",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        _to("order_id", "customer_order.id"),
        _to("bench_id", "bench.id"),
        _to("person_id", "person.id"),
        _to("shipment_id", "shipment.id", needed=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("bought_here", sa.Boolean(), nullable=False),
        sa.Column("prints", sa.Boolean(), nullable=False),
        _json("items", "[]"),
        _json("facts", "{}"),
        _json("steps", "[]"),
        _json("weights_g", "[]"),
        sa.Column("mistakes", sa.Integer(), nullable=False),
        sa.Column("words", sa.String(300), nullable=False),
        _moment("started_at"),
        _moment("packed_at", needed=False),
        sa.CheckConstraint("state in ('open', 'buying', 'packed', 'left', 'undone')", name="state"),
        sa.CheckConstraint("state <> 'packed' or packed_at is not null", name="packed"),
    )
    holds = sa.text("state in ('open', 'buying')")
    op.create_index("uq_packing_holds", "packing", ["order_id"], unique=True, postgresql_where=holds)
    op.create_index("ix_packing_buying", "packing", ["id"], postgresql_where=sa.text("state = 'buying'"))
    op.create_index("ix_packing_packed_at", "packing", ["packed_at"])
    op.create_table(
        "bench_scan",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        _to("bench_id", "bench.id"),
        _to("packing_id", "packing.id", needed=False),
        _to("person_id", "person.id"),
        _moment("at", index=True),
        sa.Column("code", sa.String(120), nullable=False),
        sa.Column("client_key", sa.String(40), unique=True),
        sa.Column("verdict", sa.String(20), nullable=False),
    )
    op.create_table(
        "serial_number",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        _to("packing_id", "packing.id", cascade=True),
        sa.Column("sku", sa.String(60), nullable=False),
        sa.Column("number", sa.String(60), nullable=False, index=True),
    )
    op.create_table(
        "photo",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        _to("packing_id", "packing.id", cascade=True),
        _to("person_id", "person.id"),
        _moment("at"),
        sa.Column("picture", sa.LargeBinary(), nullable=False),
        sa.Column("small", sa.LargeBinary(), nullable=False),
    )


def downgrade() -> None:
    """What was packed stays shipped; who packed it is forgotten."""
    for table in ("photo", "serial_number", "bench_scan", "packing", "bench"):
        op.drop_table(table)
    op.drop_index("uq_person_badge", "person")
    op.drop_index("ix_product_barcode", "product")
    op.drop_column("packaging", "low_at")
    op.drop_column("packaging", "stock")
    for table, column in (("shop", "bench"), ("person", "badge_hash"), ("product", "parts"), ("product", "serial")):
        op.drop_column(table, column)
