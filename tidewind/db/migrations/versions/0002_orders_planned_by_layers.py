"""Layers of planning, channels with their log, an address book, saved views, and what an order needs for them."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("create extension if not exists pg_trgm")
    op.create_table(
        "contact",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("code", sa.String(length=30), nullable=True),
        sa.Column("address", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("home", sa.Boolean(), nullable=False),
        sa.Column("search", sa.String(length=600), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_contact")),
        sa.UniqueConstraint("code", name=op.f("uq_contact_code")),
    )
    op.create_index(
        "ix_contact_search",
        "contact",
        ["search"],
        unique=False,
        postgresql_using="gin",
        postgresql_ops={"search": "gin_trgm_ops"},
    )
    op.create_table(
        "precedent",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("basket", sa.String(length=64), nullable=False),
        sa.Column("destination", sa.String(length=20), nullable=False),
        sa.Column("hand", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("order_number", sa.String(length=60), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_precedent")),
        sa.UniqueConstraint("basket", "destination", name=op.f("uq_precedent_basket_destination")),
    )
    op.create_table(
        "promise_link",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("promise", sa.String(length=120), nullable=False),
        sa.Column("recipe", sa.String(length=40), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_promise_link")),
        sa.UniqueConstraint("promise", name=op.f("uq_promise_link_promise")),
    )
    op.create_table(
        "recipe",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("code", sa.String(length=40), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("service", sa.String(length=30), nullable=True),
        sa.Column("packaging", sa.String(length=30), nullable=True),
        sa.Column("extras", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_recipe")),
        sa.UniqueConstraint("code", name=op.f("uq_recipe_code")),
        sa.UniqueConstraint("name", name=op.f("uq_recipe_name")),
    )
    op.create_table(
        "restricted_party",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("source", sa.String(length=80), nullable=False),
        sa.Column("key", sa.String(length=60), nullable=False),
        sa.Column("names", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("country", sa.String(length=2), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_restricted_party")),
        sa.UniqueConstraint("source", "key", name=op.f("uq_restricted_party_source_key")),
    )
    op.create_table(
        "work",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=30), nullable=False),
        sa.Column("words", sa.String(length=200), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("cursor", sa.Integer(), nullable=False),
        sa.Column("result", sa.String(length=300), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_work")),
    )
    op.create_table(
        "channel_log",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("channel_id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("counts", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("entries", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("failure", sa.String(length=300), nullable=False),
        sa.ForeignKeyConstraint(
            ["channel_id"], ["channel.id"], name=op.f("fk_channel_log_channel_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_channel_log")),
    )
    op.create_index(op.f("ix_channel_log_channel_id"), "channel_log", ["channel_id"], unique=False)
    op.create_table(
        "claim",
        sa.Column("order_id", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_claim_person_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("order_id", name=op.f("pk_claim")),
    )
    op.create_index(op.f("ix_claim_person_id"), "claim", ["person_id"], unique=False)
    op.create_table(
        "rule_set",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("rules", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("note", sa.String(length=200), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_rule_set_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rule_set")),
    )
    op.create_index(op.f("ix_rule_set_person_id"), "rule_set", ["person_id"], unique=False)
    op.create_table(
        "saved_view",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("asks", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_saved_view_person_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_saved_view")),
        sa.UniqueConstraint("person_id", "name", name=op.f("uq_saved_view_person_id_name")),
    )
    op.create_index(op.f("ix_saved_view_person_id"), "saved_view", ["person_id"], unique=False)
    op.create_table(
        "clearance",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("order_id", sa.BigInteger(), nullable=False),
        sa.Column("party", sa.String(length=60), nullable=False),
        sa.Column("words", sa.String(length=500), nullable=False),
        sa.Column("reason", sa.String(length=500), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["order_id"], ["customer_order.id"], name=op.f("fk_clearance_order_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_clearance_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_clearance")),
    )
    op.create_index(op.f("ix_clearance_order_id"), "clearance", ["order_id"], unique=False)
    op.create_index(op.f("ix_clearance_person_id"), "clearance", ["person_id"], unique=False)
    op.create_table(
        "order_change",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("order_id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("who", sa.String(length=120), nullable=False),
        sa.Column("what", sa.String(length=300), nullable=False),
        sa.Column("undo", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(
            ["order_id"], ["customer_order.id"], name=op.f("fk_order_change_order_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_order_change")),
    )
    op.create_index(op.f("ix_order_change_order_id"), "order_change", ["order_id"], unique=False)
    op.create_table(
        "order_difference",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("order_id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("changes", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("upstream", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("decided_by", sa.String(length=120), nullable=False),
        sa.Column("decided_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("state in ('waiting', 'taken', 'refused')", name=op.f("ck_order_difference_state")),
        sa.ForeignKeyConstraint(
            ["order_id"], ["customer_order.id"], name=op.f("fk_order_difference_order_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_order_difference")),
    )
    op.create_index(op.f("ix_order_difference_order_id"), "order_difference", ["order_id"], unique=False)
    op.create_index(
        "uq_order_difference_waiting",
        "order_difference",
        ["order_id"],
        unique=True,
        postgresql_where=sa.text("state = 'waiting'"),
    )
    op.add_column("carrier_account", sa.Column("latin_only", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("channel", sa.Column("adapter", sa.String(length=30), nullable=False, server_default=""))
    op.add_column("channel", sa.Column("state", sa.String(length=20), nullable=False, server_default="connected"))
    op.add_column("channel", sa.Column("secret_sealed", sa.String(length=1000), nullable=False, server_default=""))
    op.add_column(
        "channel", sa.Column("states", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="{}")
    )
    op.add_column(
        "channel", sa.Column("payments", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="{}")
    )
    op.add_column(
        "channel", sa.Column("write_back", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="{}")
    )
    op.add_column("channel", sa.Column("every_minutes", sa.Integer(), nullable=False, server_default="10"))
    op.add_column("channel", sa.Column("brand", sa.String(length=80), nullable=False, server_default=""))
    op.add_column("customer_order", sa.Column("state_by", sa.String(length=10), nullable=False, server_default=""))
    op.add_column("customer_order", sa.Column("payment", sa.String(length=20), nullable=False, server_default="paid"))
    op.add_column("customer_order", sa.Column("billing_name", sa.String(length=120), nullable=False, server_default=""))
    op.add_column("customer_order", sa.Column("reference", sa.String(length=60), nullable=False, server_default=""))
    op.add_column(
        "customer_order",
        sa.Column("tags", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="[]"),
    )
    op.add_column(
        "customer_order",
        sa.Column("plan_tags", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="[]"),
    )
    op.add_column("customer_order", sa.Column("desk", sa.String(length=60), nullable=False, server_default=""))
    op.add_column("customer_order", sa.Column("comment", sa.String(length=500), nullable=False, server_default=""))
    op.add_column(
        "customer_order",
        sa.Column("cleared", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="[]"),
    )
    op.add_column("customer_order", sa.Column("basket", sa.String(length=64), nullable=False, server_default=""))
    op.add_column("customer_order", sa.Column("destination", sa.String(length=20), nullable=False, server_default=""))
    op.add_column("customer_order", sa.Column("search", sa.Text(), nullable=False, server_default=""))
    op.add_column("customer_order", sa.Column("recipient_key", sa.String(length=64), nullable=False, server_default=""))
    op.add_column("customer_order", sa.Column("snag_level", sa.String(length=10), nullable=False, server_default=""))
    op.add_column("customer_order", sa.Column("promise_linked", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.add_column("customer_order", sa.Column("joined_to", sa.BigInteger(), nullable=True))
    op.add_column("customer_order", sa.Column("part_of", sa.BigInteger(), nullable=True))
    op.create_index("ix_customer_order_import_id", "customer_order", ["import_id"], unique=False)
    op.create_index("ix_customer_order_joined_to", "customer_order", ["joined_to"], unique=False)
    op.create_index("ix_customer_order_recipient_key", "customer_order", ["recipient_key"], unique=False)
    op.create_index(
        "ix_customer_order_search",
        "customer_order",
        ["search"],
        unique=False,
        postgresql_using="gin",
        postgresql_ops={"search": "gin_trgm_ops"},
    )
    op.add_column(
        "import_file",
        sa.Column("options", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="{}"),
    )
    op.add_column(
        "import_file",
        sa.Column("corrected", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="{}"),
    )
    op.add_column("import_file", sa.Column("total", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("import_file", sa.Column("progress", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("order_line", sa.Column("sent", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("packaging", sa.Column("holds_from_g", sa.Integer(), nullable=True))
    op.add_column("packaging", sa.Column("holds_to_g", sa.Integer(), nullable=True))
    op.add_column(
        "product", sa.Column("tags", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="[]")
    )
    op.add_column("product", sa.Column("material", sa.String(length=120), nullable=False, server_default=""))
    op.add_column("product", sa.Column("used_for", sa.String(length=120), nullable=False, server_default=""))
    op.add_column("product", sa.Column("recipe", sa.String(length=40), nullable=False, server_default=""))
    op.add_column("product", sa.Column("learned_from", sa.String(length=60), nullable=False, server_default=""))
    op.add_column(
        "shop",
        sa.Column("group_services", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="{}"),
    )
    op.add_column("shop", sa.Column("packaging_by_weight", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("shop", sa.Column("use_precedents", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.add_column(
        "shop", sa.Column("desks", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="[]")
    )
    _checks()
    _fill()


def _checks() -> None:
    op.create_check_constraint(
        op.f("ck_customer_order_payment"), "customer_order", "payment in ('paid', 'pay_on_delivery', 'unpaid')"
    )
    op.create_check_constraint(op.f("ck_order_line_sent"), "order_line", "sent between 0 and quantity")
    op.drop_constraint(op.f("ck_import_file_state"), "import_file")
    op.create_check_constraint(
        op.f("ck_import_file_state"), "import_file", "state in ('mapping', 'running', 'done', 'undone')"
    )


def _fill() -> None:
    """Bring what is there already to the new form; plans are made anew at the next start."""
    op.execute(
        "update channel set adapter = 'larkspur', write_back = '{\"shipped\": true}', "
        'states = \'{"processing": "fetch", "on_hold": "hold", "collected": "leave_out", "cancelled": "cancelled"}\', '
        'payments = \'{"paid": "paid", "pending": "unpaid"}\' where kind = \'webshop\''
    )
    op.execute("""
        update customer_order o set
          state_by = case when state in ('held', 'left_out') then 'channel' else '' end,
          snag_level = coalesce((select min(level) from snag where order_id = o.id), ''),
          search = lower(concat_ws(' ', number, address ->> 'name', address ->> 'company', address ->> 'city',
            address ->> 'postcode', address ->> 'email',
            (select string_agg(name || ' ' || sku, ' ') from order_line where order_id = o.id)))""")
