"""Two events of one instant are two where their carrier numbers them, or they take back different ones."""

from alembic import op

revision = "0046"
down_revision = "0045"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table tracking_event drop constraint uq_tracking_event_label_id_at_state_spot")
    op.execute(
        "alter table tracking_event add constraint uq_tracking_event_label_id_at_state_spot_takes_back"
        " unique (label_id, at, state, spot, takes_back)"
    )
