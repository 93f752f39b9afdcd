"""How much somebody may ask in a minute, counted over all processes of the program.

Each process takes a handful of the minute's requests at a time and hands them out by itself, so that the count costs
a way to the database once a handful.  Together they never hand out more than the limit; at the end of a minute a
process may hold some that another could have used.
"""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidewind.db.tables import Allowance, ApiKey

HANDFULS = 50
"""A handful is the fiftieth part of what a minute allows (shop policy)."""


def take_handful(session: Session, key_hash: str, minute: int) -> int | None:
    """Return how many more requests a key is given in a minute: 0 where it has had all, None for an unknown key."""
    found = session.execute(select(ApiKey.id, ApiKey.per_minute).where(ApiKey.key_hash == key_hash)).first()
    if found is None:
        return None
    name = f"key:{found.id}"
    session.execute(insert(Allowance).values(name=name, minute=minute, taken=0).on_conflict_do_nothing())
    row = session.scalars(select(Allowance).where(Allowance.name == name).with_for_update()).one()
    if row.minute < minute:
        row.minute, row.taken = minute, 0
    given: int = min(max(found.per_minute // HANDFULS, 1), max(found.per_minute - row.taken, 0))
    row.taken += given
    return given
