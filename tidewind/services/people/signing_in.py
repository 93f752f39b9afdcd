"""People, sessions and keys: passwords by argon2, tokens kept as hashes, guessing slowed down."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from tidewind.db.tables import ApiKey, Attempt, Person, SignIn
from tidewind.services.base import Conflict, Invalid, NotFound, NotSignedIn, TooMany

SESSION_LASTS = timedelta(hours=14)
GUESSES, GUESS_WINDOW = 8, timedelta(minutes=10)
SHORTEST_PASSWORD = 10
_hasher = PasswordHasher(time_cost=2, memory_cost=19_456, parallelism=1)  # OWASP password storage, argon2id
_NOBODY = _hasher.hash("nobody has this password")


@dataclass(frozen=True, slots=True)
class Who:
    """Somebody who was recognised, and the token that his forms must carry (empty for keys)."""

    id: int
    name: str
    role: str
    csrf_token: str


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def add_person(session: Session, login: str, name: str, role: str, password: str) -> Person:
    """Create a login.  Raises Invalid for a short password, Conflict for a login that is taken."""
    if len(password) < SHORTEST_PASSWORD:
        raise Invalid("short_password", f"A password needs at least {SHORTEST_PASSWORD} characters.")
    if session.scalar(select(Person).where(Person.login == login.lower().strip())):
        raise Conflict("login_taken", f"There is already a login {login}.")
    person = Person(login=login.lower().strip(), name=name.strip(), role=role, password_hash=_hasher.hash(password))
    session.add(person)
    session.flush()
    return person


def anybody(session: Session) -> bool:
    """Tell whether any login exists; without one the first owner sets the shop up."""
    return session.scalar(select(func.count()).select_from(Person)) != 0


def sign_in(session: Session, login: str, password: str, source: str, at: datetime) -> tuple[str, Person] | None:
    """Return a session token and the person, or None for a wrong login or password.

    The failed attempt is kept in the same transaction, so the caller must commit either way.
    Raises TooMany after eight failures in ten minutes from one address or for one login.
    """
    plain = login.lower().strip()[:120]
    for key in (f"from:{source}", f"login:{plain}"):
        counted = select(func.count()).where(Attempt.source == key, Attempt.at > at - GUESS_WINDOW)
        if (session.scalar(counted) or 0) >= GUESSES:
            raise TooMany("too_many_guesses", "Too many failed sign-ins. Wait ten minutes and try again.")
    person = session.scalar(select(Person).where(Person.login == plain, Person.active))
    try:
        _hasher.verify(person.password_hash if person else _NOBODY, password)
    except (VerifyMismatchError, InvalidHashError):
        person = None
    if person is None:
        session.add_all(Attempt(source=key, at=at) for key in (f"from:{source}", f"login:{plain}"))
        return None
    session.execute(delete(Attempt).where(Attempt.source == f"login:{plain}"))
    session.execute(delete(SignIn).where(SignIn.expires_at < at))
    token = secrets.token_urlsafe(32)
    session.add(
        SignIn(
            token_hash=_digest(token),
            csrf_token=secrets.token_urlsafe(24),
            person_id=person.id,
            expires_at=at + SESSION_LASTS,
        )
    )
    return token, person


def who_has_token(session: Session, token: str, at: datetime) -> Who:
    """Return who is signed in with a session token.  Raises NotSignedIn."""
    found = session.execute(
        select(SignIn, Person)
        .join(Person, Person.id == SignIn.person_id)
        .where(SignIn.token_hash == _digest(token), SignIn.expires_at > at, Person.active)
    ).first()
    if found is None:
        raise NotSignedIn("not_signed_in", "Sign in first. Nothing you typed elsewhere is lost.")
    return Who(found[1].id, found[1].name, found[1].role, found[0].csrf_token)


def who_has_key(session: Session, key: str) -> Who:
    """Return what an API key may do.  Raises NotSignedIn."""
    found = session.scalar(select(ApiKey).where(ApiKey.key_hash == _digest(key), ApiKey.revoked_at.is_(None)))
    if found is None:
        raise NotSignedIn("unknown_key", "This API key is not known or was revoked.")
    return Who(found.person_id, found.name, found.role, "")


def sign_out(session: Session, token: str) -> None:
    """End a session."""
    session.execute(delete(SignIn).where(SignIn.token_hash == _digest(token)))


def make_key(session: Session, person_id: int, name: str, role: str) -> tuple[int, str]:
    """Create an API key with a role and return its id and the key; the key itself is shown this once only."""
    key = f"tw_{secrets.token_urlsafe(30)}"
    row = ApiKey(name=name.strip()[:120], role=role, key_hash=_digest(key), person_id=person_id)
    session.add(row)
    session.flush()
    return row.id, key


def revoke_key(session: Session, key_id: int, at: datetime) -> None:
    """Revoke an API key.  Raises NotFound."""
    row = session.get(ApiKey, key_id)
    if row is None:
        raise NotFound("unknown_key", "There is no such key.")
    row.revoked_at = at


def names_of_people(session: Session) -> dict[int, str]:
    """Return everybody's name by id, also of those who left."""
    return {person.id: person.name for person in session.scalars(select(Person))}
