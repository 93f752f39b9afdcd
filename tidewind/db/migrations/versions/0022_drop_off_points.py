"""Drop-off points, which departures are brought to, and where places lie on earth."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision, down_revision, branch_labels, depends_on = "0022", "0021", None, None
_SPOT = ("latitude_e6", "longitude_e6")


def _text(name: str, length: int) -> sa.Column[str]:
    return sa.Column(name, sa.String(length), nullable=False)


def upgrade() -> None:
    """No carrier has points so far; what was brought was brought anywhere."""
    op.create_table(
        "drop_off_point",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        _text("carrier", 30),
        _text("code", 40),
        _text("name", 120),
        _text("kind", 20),
        _text("street", 120),
        _text("postcode", 20),
        _text("city", 80),
        _text("country", 2),
        *(sa.Column(name, sa.Integer()) for name in _SPOT),
        _text("hours", 300),
        sa.Column("heaviest_g", sa.Integer(), nullable=False),
        sa.Column("longest_mm", sa.Integer(), nullable=False),
        sa.Column("full", sa.Boolean(), nullable=False),
        _text("learned_from", 80),
        sa.Column("learned_at", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("carrier", "code", name="uq_drop_off_point_carrier_code"),
        sa.CheckConstraint("(latitude_e6 is null) = (longitude_e6 is null)", name="spot"),
    )
    point = sa.ForeignKey("drop_off_point.id", ondelete="SET NULL", name="fk_departure_point_id")
    op.add_column("departure", sa.Column("point_id", sa.BigInteger(), point))
    op.create_index("ix_departure_point_id", "departure", ["point_id"])
    for name in _SPOT:
        op.add_column("place", sa.Column(name, sa.Integer()))


def downgrade() -> None:
    """Where things are brought is forgotten."""
    for name in _SPOT:
        op.drop_column("place", name)
    op.drop_column("departure", "point_id")
    op.drop_table("drop_off_point")
