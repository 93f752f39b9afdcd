"""People of the shop: invited by a link, given a role, helped back in by another link, let go with all they had."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import datetime, timedelta

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from tidewind.db.tables import ApiKey, DoorLink, Person, PresenceRow, SignIn
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.people.passwords import fits, hash_of
from tidewind.services.people.signing_in import digest

LINK_LASTS = timedelta(days=3)


def people(session: Session) -> Sequence[Person]:
    """Return everybody who has or had a login, those at work first."""
    return session.scalars(select(Person).order_by(Person.active.desc(), Person.name, Person.id)).all()


def add_person(session: Session, login: str, name: str, role: str, password: str, about: Sequence[str] = ()) -> Person:
    """Create a login with a password.  Raises Invalid for a bad password, Conflict for a login that is taken."""
    person = _new_person(session, login, name, role)
    person.password_hash = hash_of(password, (login, name, *about))
    return person


def invite(session: Session, login: str, name: str, role: str, at: datetime) -> tuple[Person, str]:
    """Create a login without a password, and return the key of the link by which its person sets one."""
    person = _new_person(session, login, name, role)
    return person, make_door_link(session, person.id, at)


def _new_person(session: Session, login: str, name: str, role: str) -> Person:
    plain = login.lower().strip()
    if not plain or any(c.isspace() for c in plain):
        raise Invalid("bad_login", "A login is one word, like ana or ana.lopes.")
    if session.scalar(select(Person.id).where(Person.login == plain)):
        raise Conflict("login_taken", f"There is already a login {plain}.")
    person = Person(login=plain, name=name.strip(), role=role, password_hash="")
    session.add(person)
    session.flush()
    return person


def make_door_link(session: Session, person_id: int, at: datetime) -> str:
    """Return the key of a link by which somebody sets a password, for three days; earlier ones do not work any more.

    Raises NotFound, Conflict for who has left.
    """
    person = _person(session, person_id)
    if not person.active:
        raise Conflict("has_left", f"{person.name} has left. Let them in again first.")
    session.execute(delete(DoorLink).where((DoorLink.person_id == person_id) | (DoorLink.expires_at < at)))
    key = secrets.token_urlsafe(32)
    session.add(DoorLink(token_hash=digest(key), person_id=person_id, expires_at=at + LINK_LASTS))
    return key


def who_has_link(session: Session, key: str, at: datetime) -> Person:
    """Return whose link it is.  Raises NotFound."""
    found = session.scalar(
        select(Person)
        .join(DoorLink, DoorLink.person_id == Person.id)
        .where(DoorLink.token_hash == digest(key), DoorLink.expires_at > at, Person.active)
    )
    if found is None:
        raise NotFound("no_link", "This link was used, or is over three days old. Ask the owner for a new one.")
    return found


def set_by_link(session: Session, key: str, password: str, at: datetime) -> Person:
    """Set a password by a link, which ends with it, as do all sessions and a second factor that may be lost."""
    person = who_has_link(session, key, at)
    person.password_hash = hash_of(password, (person.login, person.name))
    person.factor_sealed, person.factor_step = "", 0
    session.execute(delete(DoorLink).where(DoorLink.person_id == person.id))
    end_sessions(session, person.id)
    return person


def change_password(session: Session, person_id: int, after: str, stays: str) -> None:
    """Change one's own password, asked for before (``ask_own_password``); every other session and each link ends.

    ``stays`` is the token of this session.  Raises Invalid for a bad new one.
    """
    person = _person(session, person_id)
    session.execute(delete(DoorLink).where(DoorLink.person_id == person_id))
    person.password_hash = hash_of(after, (person.login, person.name))
    end_sessions(session, person_id, but=stays)


def keep_password(session: Session, login: str, password: str) -> None:
    """Give somebody a password, unless it is theirs already; nothing happens where there is no such login."""
    person = session.scalar(select(Person).where(Person.login == login))
    if person is not None and not fits(password, person.password_hash):
        person.password_hash = hash_of(password, (login, person.name))


def set_person(session: Session, person_id: int, *, name: str, role: str, active: bool) -> Person:
    """Change what somebody is called and may do, or let them go, or in again; who goes loses sessions, links and keys.

    Raises NotFound; Conflict where no owner would be left.
    """
    # All owners are locked, so that two of them cannot make each other the last at once.  Who was invited and has no
    # password yet may never come.
    can_come = (Person.role == "owner") & Person.active & (Person.password_hash != "")
    owners = session.scalars(select(Person.id).where(can_come).order_by(Person.id).with_for_update()).all()
    person = _person(session, person_id)
    if list(owners) == [person_id] and (role != "owner" or not active):
        raise Conflict("last_owner", "Somebody has to be the owner. Make somebody else an owner first.")
    if person.role != role or not active:
        end_sessions(session, person_id)
    person.name, person.role, person.active = name.strip(), role, active
    if not active:
        session.execute(delete(DoorLink).where(DoorLink.person_id == person_id))
        session.execute(delete(PresenceRow).where(PresenceRow.person_id == person_id))
        mine = (ApiKey.person_id == person_id) & ApiKey.revoked_at.is_(None)
        session.execute(update(ApiKey).where(mine).values(revoked_at=func.now()))
    return person


def end_sessions(session: Session, person_id: int, but: str = "") -> None:
    """End somebody's sessions, all or all but the one with a token."""
    theirs = SignIn.person_id == person_id
    session.execute(delete(SignIn).where(theirs & (SignIn.token_hash != digest(but)) if but else theirs))


def _person(session: Session, person_id: int) -> Person:
    found = session.get(Person, person_id)
    if found is None:
        raise NotFound("no_person", "There is nobody like that here.")
    return found
