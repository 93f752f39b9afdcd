"""A label for the way back that was not made stays with the shop: beside it no other stands for the shipment."""

from __future__ import annotations

from alembic import op

revision, down_revision, branch_labels, depends_on = "0033", "0032", None, None


def upgrade() -> None:
    """What failed before and was asked for again since is settled; the newest that was not stands open."""
    op.execute(
        "update parcel_return as old set state = 'cancelled', outcome = 'asked for again' where state = 'failed' and "
        "exists (select 1 from parcel_return as new where new.shipment_id = old.shipment_id and new.id > old.id)"
    )
    _index("'making', 'ready', 'on_its_way', 'back', 'failed'")


def downgrade() -> None:
    """A failed one stands beside others again."""
    _index("'making', 'ready', 'on_its_way', 'back'")


def _index(states: str) -> None:
    op.execute("drop index uq_parcel_return_live")
    op.execute(f"create unique index uq_parcel_return_live on parcel_return (shipment_id) where state in ({states})")
