"""Keys for scripts: a role, perhaps reading only or one room alone, until a day.

A key never may more than its maker may now: whoever is made less takes the keys along, and they end with their person.
"""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import bindparam, select, update
from sqlalchemy.orm import Session

from tidewind.db.tables import ApiKey, Person
from tidewind.services.base import Conflict, NotAllowed, NotFound, NotSignedIn
from tidewind.services.people.signing_in import Who, digest

ROOMS_IN_WORDS = {
    "checkout": "the checkout",
    "orders": "orders",
    "labels": "labels",
    "handover": "bench and departures",
    "following": "tracking, messages and returns",
}
USE_NOTED_EVERY = timedelta(minutes=5)
PER_MINUTE = 3_000
"""So many requests a minute a key has where nothing else is said (shop policy)."""
OLD_ONE_LASTS = timedelta(hours=24)
"""After a key was changed for another, the old one works so long, for stores to be told (shop policy)."""


def make_key(
    session: Session,
    person_id: int,
    name: str,
    role: str,
    *,
    reads_only: bool = False,
    expires_at: datetime | None = None,
    scope: str = "all",
    per_minute: int = PER_MINUTE,
) -> tuple[int, str]:
    """Create an API key with a role and return its id and the key; the key itself is shown this once only."""
    key = f"tw_{secrets.token_urlsafe(30)}"
    row = ApiKey(
        name=name.strip()[:120],
        role=role,
        key_hash=digest(key),
        person_id=person_id,
        reads_only=reads_only,
        expires_at=expires_at,
        scope=scope,
        per_minute=per_minute,
    )
    session.add(row)
    session.flush()
    return row.id, key


# Made once and read as plain columns: it stands before every request of a store.
_WITH_KEY = (
    select(
        *(ApiKey.id, ApiKey.person_id, ApiKey.name, ApiKey.role, ApiKey.reads_only, ApiKey.scope),
        *(ApiKey.used_at, ApiKey.used_from, Person.role.label("maker_role")),
    )
    .join(Person, Person.id == ApiKey.person_id)
    .where(ApiKey.key_hash == bindparam("key_hash"), ApiKey.revoked_at.is_(None), Person.active)
    .where(ApiKey.expires_at.is_(None) | (ApiKey.expires_at > bindparam("at")))
)


@dataclass(frozen=True, slots=True)
class KeyUse:
    """What a request with a key wants: the rooms it is about, whether it writes, and the address it comes from."""

    rooms: frozenset[str] = frozenset()
    writes: bool = False
    came_from: str = ""


CHECKOUT = KeyUse(frozenset({"checkout"}))


def who_has_key(session: Session, key: str, at: datetime, use: KeyUse) -> Who:
    """Return what an API key may do.

    Raises NotSignedIn; NotAllowed where it may only read and this writes, where it is for another room, or where its
    maker has no longer the role that it was made with.
    """
    found = session.execute(_WITH_KEY, {"key_hash": digest(key), "at": at}).first()
    if found is None:
        raise NotSignedIn("unknown_key", "This API key is not known, is over, or was revoked.")
    if found.maker_role not in {found.role, "owner"}:
        words = f"This API key is for a {found.role}, and whoever made it is none any more. Ask the owner for another."
        raise NotAllowed("maker_may_less", words)
    if use.writes and found.reads_only:
        raise NotAllowed("reads_only", "This API key may only read.")
    if found.scope != "all" and found.scope not in use.rooms:
        raise NotAllowed("scope", f"This API key is for {ROOMS_IN_WORDS[found.scope]} alone.")
    moved = use.came_from and use.came_from != found.used_from
    if found.used_at is None or moved or abs(at - found.used_at) > USE_NOTED_EVERY:
        noted = {"used_at": at} | ({"used_from": use.came_from[:45]} if moved else {})
        session.execute(update(ApiKey).where(ApiKey.id == found.id).values(**noted))
    return Who(found.person_id, found.name, found.role, "")


def keys(session: Session) -> Sequence[tuple[ApiKey, str]]:
    """Return every key that still works, or did, with the name of its person, the newest first."""
    rows = session.execute(
        select(ApiKey, Person.name)
        .join(Person, Person.id == ApiKey.person_id)
        .order_by(ApiKey.revoked_at.is_not(None), ApiKey.id.desc())
    )
    return [(key, name) for key, name in rows]


def change_key(session: Session, key_id: int, at: datetime) -> tuple[int, str]:
    """Make another key that may do the same, and let the old one end in a day; return id and the new key.

    Raises NotFound, Conflict for one that does not work any more.
    """
    row = session.get(ApiKey, key_id, with_for_update=True)
    if row is None:
        raise NotFound("unknown_key", "There is no such key.")
    if row.revoked_at or (row.expires_at and row.expires_at <= at):
        raise Conflict("key_is_over", "This key works no more. Make a new one.")
    lasted = row.expires_at - row.created_at if row.expires_at else None
    made = make_key(
        session,
        row.person_id,
        row.name,
        row.role,
        reads_only=row.reads_only,
        expires_at=at + lasted if lasted else None,
        scope=row.scope,
        per_minute=row.per_minute,
    )
    row.expires_at = min(row.expires_at or at + OLD_ONE_LASTS, at + OLD_ONE_LASTS)
    return made


def revoke_key(session: Session, key_id: int, at: datetime) -> None:
    """Revoke an API key.  Raises NotFound."""
    row = session.get(ApiKey, key_id)
    if row is None:
        raise NotFound("unknown_key", "There is no such key.")
    row.revoked_at = row.revoked_at or at
