"""People and keys of the shop, for the owner; and everybody's own password, sessions and second factor."""

from __future__ import annotations

from datetime import timedelta

from fastapi import APIRouter, Request

from tidewind.documents.barcodes import qr_picture
from tidewind.services import people as service
from tidewind.services.planning import shop_settings
from tidewind.web.access import Anyone, Owner, Parts, RealNow, Tx, token_of
from tidewind.web.people.presenting import key_row, person_out
from tidewind.web.people.schemas import (
    DoorLinkOut,
    DoorOut,
    FactorIn,
    FactorOut,
    InviteIn,
    KeyIn,
    KeyOut,
    KeyRow,
    PasswordChangeIn,
    PasswordIn,
    PersonIn,
    PersonOut,
    SessionOut,
)

router = APIRouter(prefix="/api", tags=["people"])


@router.get("/people")
def people(_who: Owner, session: Tx) -> list[PersonOut]:
    """Return everybody who has or had a login."""
    return [person_out(person) for person in service.people(session)]


@router.post("/people", status_code=201)
def invite(body: InviteIn, _who: Owner, parts: Parts, session: Tx, now: RealNow) -> DoorLinkOut:
    """Make a login, and a link by which its person sets a password."""
    person, key = service.invite(session, body.login, body.name, body.role, now)
    return DoorLinkOut(person_id=person.id, name=person.name, link=f"{parts.settings.base_url}/door/{key}")


@router.patch("/people/{person_id}")
def set_person(person_id: int, body: PersonIn, _who: Owner, session: Tx) -> PersonOut:
    """Change what somebody is called and may do, or let them go, or in again; one owner always stays."""
    return person_out(service.set_person(session, person_id, name=body.name, role=body.role, active=body.active))


@router.post("/people/{person_id}/link", status_code=201)
def link(person_id: int, _who: Owner, parts: Parts, session: Tx, now: RealNow) -> DoorLinkOut:
    """Make a link by which somebody who lost password or second factor sets a password again."""
    key = service.make_door_link(session, person_id, now)
    name = service.names_of_people(session)[person_id]
    return DoorLinkOut(person_id=person_id, name=name, link=f"{parts.settings.base_url}/door/{key}")


@router.post("/people/{person_id}/sign-out", status_code=204)
def end_sessions(person_id: int, _who: Owner, session: Tx) -> None:
    """End all sessions of somebody."""
    service.end_sessions(session, person_id)


@router.get("/door/{key}")
def door(key: str, session: Tx, now: RealNow) -> DoorOut:
    """Return whose link it is."""
    person = service.who_has_link(session, key, now)
    return DoorOut(name=person.name, login=person.login, brand=shop_settings(session).brand)


@router.post("/door/{key}", status_code=204)
def set_by_link(key: str, body: PasswordIn, session: Tx, now: RealNow) -> None:
    """Set a password by a link; it works once."""
    service.set_by_link(session, key, body.password, now)


@router.post("/me/password", status_code=204)
def change_password(
    body: PasswordChangeIn, who: Anyone, request: Request, parts: Parts, session: Tx, now: RealNow
) -> None:
    """Change one's own password; one's other sessions end."""
    service.ask_own_password(parts.sessions, who.id, body.before, now)
    service.change_password(session, who.id, body.after, token_of(request))


@router.get("/me/sessions")
def sessions(who: Anyone, request: Request, session: Tx, now: RealNow) -> list[SessionOut]:
    """Return one's own open sessions."""
    token = token_of(request)
    return [
        SessionOut(
            id=row.id,
            browser=row.browser,
            since=row.created_at,
            seen_at=row.seen_at,
            this_one=service.is_session(row, token),
        )
        for row in service.sessions_of(session, who.id, now)
    ]


@router.delete("/me/sessions/{session_id}", status_code=204)
def end_session(session_id: int, who: Anyone, session: Tx) -> None:
    """End one of one's own sessions."""
    service.end_session(session, who.id, session_id)


@router.post("/me/second-factor")
def offer_factor(who: Anyone, session: Tx) -> FactorOut:
    """Return a secret for an authenticator app; it is asked for once its code has come back."""
    offered = service.offer_factor(session, who.id, shop_settings(session).brand)
    return FactorOut(secret=offered.secret, address=offered.address, picture=qr_picture(offered.address))


@router.put("/me/second-factor", status_code=204)
def keep_factor(body: FactorIn, who: Anyone, parts: Parts, session: Tx, now: RealNow) -> None:
    """Ask for the second factor from now on."""
    service.keep_factor(session, parts.outside.sealer, who.id, body.secret, body.code, now)


@router.post("/me/second-factor/off", status_code=204)
def take_factor_off(body: PasswordIn, who: Anyone, parts: Parts, session: Tx, now: RealNow) -> None:
    """Ask for a password alone again."""
    service.ask_own_password(parts.sessions, who.id, body.password, now)
    service.take_factor_off(session, who.id)


@router.get("/keys")
def keys(_who: Owner, session: Tx, now: RealNow) -> list[KeyRow]:
    """Return the API keys, also those that do not work any more."""
    return [key_row(key, name, now) for key, name in service.keys(session)]


@router.post("/keys", status_code=201)
def make_key(body: KeyIn, who: Owner, session: Tx, now: RealNow) -> KeyOut:
    """Create an API key with a role for a script."""
    until = now + timedelta(days=body.days) if body.days else None
    made, key = service.make_key(
        session,
        who.id,
        body.name,
        body.role,
        reads_only=body.reads_only,
        expires_at=until,
        scope=body.scope,
        per_minute=body.per_minute,
    )
    return KeyOut(id=made, key=key)


@router.post("/keys/{key_id}/change", status_code=201)
def change_key(key_id: int, _who: Owner, session: Tx, now: RealNow) -> KeyOut:
    """Make another key that may do the same; the old one works for another day."""
    made, key = service.change_key(session, key_id, now)
    return KeyOut(id=made, key=key)


@router.delete("/keys/{key_id}", status_code=204)
def revoke_key(key_id: int, _who: Owner, session: Tx, now: RealNow) -> None:
    """Revoke an API key."""
    service.revoke_key(session, key_id, now)
