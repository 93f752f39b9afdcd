"""Signing in and out, and the sessions that come of it; tokens are kept as hashes."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from cryptography.fernet import InvalidToken
from sqlalchemy import bindparam, delete, func, select, update
from sqlalchemy.orm import Session, sessionmaker

from tidewind.db.tables import Person, SignIn
from tidewind.services.base import Conflict, Invalid, NotFound, NotSignedIn, Sealer
from tidewind.services.people.guessing import count_wrong, forget, keys_of, may_guess
from tidewind.services.people.passwords import fits
from tidewind.services.people.second_factor import code_fits

SESSION_LASTS = timedelta(hours=14)
SEEN_EVERY = timedelta(minutes=5)


@dataclass(frozen=True, slots=True)
class Who:
    """Somebody who was recognised, and the token that his forms must carry (empty for keys)."""

    id: int
    name: str
    role: str
    csrf_token: str


@dataclass(frozen=True, slots=True)
class Trying:
    """Somebody who tries to sign in: what was typed, and from where.

    ``known`` is the mark a browser got when somebody signed in there before, ``browser`` what it calls itself.
    """

    login: str
    password: str
    code: str = ""
    source: str = "unknown"
    known: str = ""
    browser: str = ""


@dataclass(frozen=True, slots=True)
class SignedIn:
    """A session's token, who it is, and the mark by which this browser is known from now on."""

    token: str
    person: Person
    known: str


def digest(token: str) -> str:
    """Return the hash under which a token or a key is kept."""
    return hashlib.sha256(token.encode()).hexdigest()


def anybody(session: Session) -> bool:
    """Tell whether any login exists; without one the first owner sets the shop up."""
    return session.scalar(select(func.count()).select_from(Person)) != 0


def sign_in(session: Session, sealer: Sealer, trying: Trying, at: datetime) -> SignedIn | str:
    """Return a new session, or the code of what is missing: ``wrong_password``, ``second_factor``, ``wrong_code``.

    A failed attempt is kept in the same transaction, so the caller must commit either way.
    Raises TooMany with the seconds to wait after too many wrong guesses.
    """
    plain = trying.login.lower().strip()[:120]
    known = _known_as(sealer, trying.known)
    keys = keys_of(plain, trying.source, digest(trying.known)[:32] if known == plain else "")
    may_guess(session, keys, at)
    person = session.scalar(select(Person).where(Person.login == plain, Person.active).with_for_update())
    if not fits(trying.password, person.password_hash if person else "") or person is None:
        count_wrong(session, keys, at)
        return "wrong_password"
    if person.factor_sealed:
        if not trying.code:
            return "second_factor"
        if not code_fits(sealer, person, trying.code, at):
            count_wrong(session, keys, at)
            return "wrong_code"
    forget(session, keys)
    session.execute(delete(SignIn).where(SignIn.expires_at < at))
    token, person.seen_at = secrets.token_urlsafe(32), at
    session.add(
        SignIn(
            token_hash=digest(token),
            csrf_token=secrets.token_urlsafe(24),
            person_id=person.id,
            expires_at=at + SESSION_LASTS,
            browser=trying.browser[:120],
            seen_at=at,
        )
    )
    return SignedIn(token, person, trying.known if known == plain else sealer.seal(f"{plain} {secrets.token_hex(8)}"))


def ask_own_password(sessions: sessionmaker[Session], person_id: int, given: str, at: datetime) -> None:
    """Let somebody who is signed in say their password again: a screen left open is not enough.

    A wrong one is counted in a transaction of its own, whatever becomes of the request.  Raises Invalid, and TooMany
    with the seconds to wait after too many wrong ones.
    """
    keys = [f"own:{person_id}"]
    with sessions.begin() as session:
        may_guess(session, keys, at)
        right = fits(given, session.get_one(Person, person_id).password_hash)
        if right:
            forget(session, keys)
        else:
            count_wrong(session, keys, at)
    if not right:
        raise Invalid("wrong_password", "That is not your password. Nothing was changed.")


def _known_as(sealer: Sealer, mark: str) -> str:
    """Return the login that a browser is known to be of; empty where the mark is none of ours."""
    try:
        return sealer.open(mark[:400]).partition(" ")[0]
    except (Conflict, InvalidToken, ValueError):
        return ""


# Made once and read as plain columns: it stands before every request of everybody.
_SIGNED_IN = (
    select(SignIn.id, SignIn.person_id, SignIn.csrf_token, SignIn.seen_at, Person.name, Person.role)
    .join(Person, Person.id == SignIn.person_id)
    .where(SignIn.token_hash == bindparam("token_hash"), SignIn.expires_at > bindparam("at"), Person.active)
)


def who_has_token(session: Session, token: str, at: datetime) -> Who:
    """Return who is signed in with a session token.  Raises NotSignedIn."""
    found = session.execute(_SIGNED_IN, {"token_hash": digest(token), "at": at}).first()
    if found is None:
        raise NotSignedIn("not_signed_in", "Sign in first. Nothing you typed elsewhere is lost.")
    if found.seen_at is None or abs(at - found.seen_at) > SEEN_EVERY:
        session.execute(update(SignIn).where(SignIn.id == found.id).values(seen_at=at))
        session.execute(update(Person).where(Person.id == found.person_id).values(seen_at=at))
    return Who(found.person_id, found.name, found.role, found.csrf_token)


def sign_out(session: Session, token: str) -> None:
    """End a session."""
    session.execute(delete(SignIn).where(SignIn.token_hash == digest(token)))


def sessions_of(session: Session, person_id: int, at: datetime) -> Sequence[SignIn]:
    """Return somebody's open sessions, the newest first."""
    mine = (SignIn.person_id == person_id) & (SignIn.expires_at > at)
    return session.scalars(select(SignIn).where(mine).order_by(SignIn.id.desc())).all()


def is_session(row: SignIn, token: str) -> bool:
    """Tell whether a session is the one with a token."""
    return row.token_hash == digest(token)


def end_session(session: Session, person_id: int, session_id: int) -> None:
    """End one of somebody's own sessions.  Raises NotFound."""
    mine = delete(SignIn).where(SignIn.id == session_id, SignIn.person_id == person_id).returning(SignIn.id)
    if not session.scalars(mine).all():
        raise NotFound("no_session", "There is no such session of yours.")


def names_of_people(session: Session) -> dict[int, str]:
    """Return everybody's name by id, also of those who left."""
    return {person.id: person.name for person in session.scalars(select(Person))}
