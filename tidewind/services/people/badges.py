"""A badge says who packs at a bench: it is printed on a code sheet, gives no right of its own, and can be made anew."""

from __future__ import annotations

import secrets
import string

from sqlalchemy.orm import Session

from tidewind.db.tables import Person
from tidewind.services.base import NotFound
from tidewind.services.people.signing_in import digest

_LETTERS = string.ascii_uppercase + string.digits
LENGTH = 12
PACKS = frozenset({"owner", "shipper", "packer"})


def digest_of_badge(secret: str) -> str:
    """Return what is kept of a badge; scanners may send small letters."""
    return digest(secret.strip().upper())


def make_badge(session: Session, person_id: int) -> tuple[str, str]:
    """Make somebody a badge, and return their name and what is printed on it; one made before is worth nothing.

    Raises NotFound for nobody who packs.
    """
    person = session.get(Person, person_id, with_for_update=True)
    if person is None or not person.active or person.role not in PACKS:
        raise NotFound("unknown_person", "There is nobody here by this number who packs.")
    secret = "".join(secrets.choice(_LETTERS) for _ in range(LENGTH))
    person.badge_hash = digest_of_badge(secret)
    return person.name, secret
