"""Papers and printers, labels for the way back, and labels that colleagues ask for."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0004", "0003", None, None


def upgrade() -> None:
    """Make the tables."""
    op.create_table(
        "print_preference",
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("paper", sa.String(20), nullable=False),
        sa.Column("printer", sa.String(30), nullable=False),
        sa.Column("copies", sa.Integer(), nullable=False),
        sa.CheckConstraint(
            "kind in ('label', 'packing_slip', 'pick_list', 'batch_summary', 'invoice', 'return_label')",
            name=op.f("ck_print_preference_kind"),
        ),
        sa.CheckConstraint("copies between 1 and 9", name=op.f("ck_print_preference_copies")),
        sa.PrimaryKeyConstraint("kind", name=op.f("pk_print_preference")),
    )
    op.create_table(
        "printer",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("code", sa.String(30), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("base_url", sa.String(200), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_printer")),
        sa.UniqueConstraint("code", name=op.f("uq_printer_code")),
    )
    op.create_table(
        "request_link",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("key", sa.String(43), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("cost_codes", postgresql.JSONB(), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_request_link")),
        sa.UniqueConstraint("key", name=op.f("uq_request_link_key")),
    )
    op.create_table(
        "print_job",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("client_key", sa.String(80), nullable=False),
        sa.Column("printer", sa.String(30), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("title", sa.String(120), nullable=False),
        sa.Column("copies", sa.Integer(), nullable=False),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("next_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("printed_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("last_error", sa.String(300), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint("state in ('waiting', 'printed', 'cancelled')", name=op.f("ck_print_job_state")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_print_job_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_print_job")),
        sa.UniqueConstraint("client_key", name=op.f("uq_print_job_client_key")),
    )
    op.create_index("ix_print_job_due", "print_job", ["next_at"], postgresql_where=sa.text("state = 'waiting'"))
    op.create_index(op.f("ix_print_job_person_id"), "print_job", ["person_id"])
    op.create_table(
        "label_request",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("link_id", sa.BigInteger(), nullable=False),
        sa.Column("client_key", sa.String(80), nullable=False),
        sa.Column("view_key", sa.String(43), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("asked_by", sa.String(120), nullable=False),
        sa.Column("source", sa.String(200), nullable=False),
        sa.Column("why", sa.String(300), nullable=False),
        sa.Column("cost_code", sa.String(60), nullable=False),
        sa.Column("sender", postgresql.JSONB(), nullable=False),
        sa.Column("address", postgresql.JSONB(), nullable=False),
        sa.Column("what", sa.String(120), nullable=False),
        sa.Column("gross_g", sa.Integer(), nullable=False),
        sa.Column("sides_mm", postgresql.JSONB(), nullable=False),
        sa.Column("value_minor", sa.Integer(), nullable=False),
        sa.Column("sticker_mail", sa.String(200), nullable=False),
        sa.Column("waiter_mail", sa.String(200), nullable=False),
        sa.Column("order_id", sa.BigInteger(), nullable=True),
        sa.Column("decided_by", sa.String(120), nullable=False),
        sa.Column("decided_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("words", sa.String(300), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint(
            "state in ('asked', 'approved', 'declined', 'labelled')", name=op.f("ck_label_request_state")
        ),
        sa.ForeignKeyConstraint(["link_id"], ["request_link.id"], name=op.f("fk_label_request_link_id")),
        sa.ForeignKeyConstraint(["order_id"], ["customer_order.id"], name=op.f("fk_label_request_order_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_label_request")),
        sa.UniqueConstraint("client_key", name=op.f("uq_label_request_client_key")),
        sa.UniqueConstraint("view_key", name=op.f("uq_label_request_view_key")),
    )
    op.create_index(op.f("ix_label_request_link_id"), "label_request", ["link_id"])
    op.create_index(op.f("ix_label_request_order_id"), "label_request", ["order_id"])
    op.create_index(op.f("ix_label_request_state"), "label_request", ["state"])
    op.create_table(
        "parcel_return",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("shipment_id", sa.BigInteger(), nullable=False),
        sa.Column("idempotency_key", sa.String(60), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("in_box", sa.Boolean(), nullable=False),
        sa.Column("reason", sa.String(200), nullable=False),
        sa.Column("price_minor", sa.Integer(), nullable=False),
        sa.Column("tracking_number", sa.String(40), nullable=True),
        sa.Column("routing", sa.String(40), nullable=False),
        sa.Column("asked_by", sa.String(120), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("back_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("outcome", sa.String(200), nullable=False),
        sa.Column("failure", sa.String(300), nullable=False),
        sa.CheckConstraint(
            "state in ('making', 'ready', 'on_its_way', 'back', 'closed', 'cancelled', 'failed')",
            name=op.f("ck_parcel_return_state"),
        ),
        sa.CheckConstraint("price_minor >= 0", name=op.f("ck_parcel_return_price")),
        sa.CheckConstraint("used_at is null or tracking_number is not null", name=op.f("ck_parcel_return_used")),
        sa.ForeignKeyConstraint(["shipment_id"], ["shipment.id"], name=op.f("fk_parcel_return_shipment_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_parcel_return")),
        sa.UniqueConstraint("idempotency_key", name=op.f("uq_parcel_return_idempotency_key")),
        sa.UniqueConstraint("tracking_number", name=op.f("uq_parcel_return_tracking_number")),
    )
    op.create_index(
        "ix_parcel_return_open",
        "parcel_return",
        ["state"],
        postgresql_where=sa.text("state in ('making', 'ready', 'on_its_way')"),
    )
    op.create_index(op.f("ix_parcel_return_shipment_id"), "parcel_return", ["shipment_id"])
    op.create_index(
        "uq_parcel_return_live",
        "parcel_return",
        ["shipment_id"],
        unique=True,
        postgresql_where=sa.text("state in ('making', 'ready', 'on_its_way', 'back')"),
    )


def downgrade() -> None:
    """Take them away again."""
    for table in ("parcel_return", "label_request", "print_job", "request_link", "printer", "print_preference"):
        op.drop_table(table)
