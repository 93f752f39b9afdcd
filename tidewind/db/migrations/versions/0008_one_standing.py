"""An order stands in one place with one meaning; who works on what is presence; a print knows its labels."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision, down_revision, branch_labels, depends_on = "0008", "0007", None, None

STANDINGS = (
    "(('open', ''), ('held', 'person'), ('held', 'rule'), ('held', 'channel'), ('left_out', 'rule'), "
    "('left_out', 'channel'), ('cancelled', 'channel'), ('held', 'join'), ('shipped', ''), ('shipped', 'join'))"
)


def upgrade() -> None:
    """Give orders that went along, or were kept back, the one standing that they mean; hold that from now on."""
    op.execute("update customer_order set state_by = 'join' where state = 'shipped' and joined_to is not null")
    op.execute("update customer_order set state_by = '' where state = 'shipped' and joined_to is null")
    op.execute("update customer_order set state = 'held' where state = 'left_out' and state_by = 'join'")
    op.execute("update customer_order set state_by = '', state_why = '' where state = 'open'")
    op.execute("update customer_order set state_by = 'channel' where state = 'cancelled'")
    op.execute("update customer_order set state_by = 'person' where state = 'held' and state_by = ''")
    op.execute("update customer_order set state_by = 'channel' where state = 'left_out' and state_by in ('', 'person')")
    op.create_check_constraint(
        op.f("ck_customer_order_standing"), "customer_order", f"(state, state_by) in {STANDINGS}"
    )
    op.add_column("print_job", sa.Column("shipment_ids", postgresql.JSONB(), nullable=False, server_default="[]"))
    op.alter_column("print_job", "shipment_ids", server_default=None)
    op.rename_table("claim", "presence")
    op.execute("alter table presence rename constraint pk_claim to pk_presence")
    op.execute("alter table presence rename constraint fk_claim_person_id to fk_presence_person_id")
    op.execute("alter index ix_claim_person_id rename to ix_presence_person_id")


def downgrade() -> None:
    """Take the check and the name back; the standings stay true."""
    op.execute("alter index ix_presence_person_id rename to ix_claim_person_id")
    op.execute("alter table presence rename constraint fk_presence_person_id to fk_claim_person_id")
    op.execute("alter table presence rename constraint pk_presence to pk_claim")
    op.rename_table("presence", "claim")
    op.drop_column("print_job", "shipment_ids")
    op.drop_constraint(op.f("ck_customer_order_standing"), "customer_order")
