"""Signing in and out, the first set-up, and who works on what."""

from __future__ import annotations

from datetime import timedelta

from fastapi import APIRouter, Request, Response
from sqlalchemy.orm import Session

from tidewind.db.tables import Shop
from tidewind.services import people as service
from tidewind.services import shop as shop_room
from tidewind.services.base import NotSignedIn
from tidewind.services.people import SESSION_LASTS, Trying, Who, anybody, has_factor, who_has_token
from tidewind.services.planning import shop_settings
from tidewind.settings import DEMO_PASSWORD, DEMO_PEOPLE
from tidewind.web.access import COOKIE, Anyone, Now, Parts, Tx, Wiring, token_of
from tidewind.web.base.schemas import OrdersIn
from tidewind.web.people.presenting import browser_of
from tidewind.web.people.schemas import (
    AtWorkOut,
    DemoPerson,
    FirstOwnerIn,
    Me,
    PresenceIn,
    SignInIn,
    Start,
)

router = APIRouter(prefix="/api", tags=["sign-in"])
KNOWN = "tidewind_known"
_MISSING = {
    "wrong_password": "That login and password do not go together.",
    "second_factor": "Type the six digits of your second factor, too.",
    "wrong_code": "Those digits are wrong, over, or were used. Wait for the next ones.",
}


@router.get("/start")
def start(parts: Parts, session: Tx) -> Start:
    """Tell the start page whether the shop is set up, and in the demo who may be chosen."""
    ready = anybody(session)
    people = DEMO_PEOPLE if ready and parts.settings.demo else ()
    return Start(
        set_up=ready,
        brand=shop_settings(session).brand if ready else "",
        demo_people=[DemoPerson(login=lo, name=n, role=r, password=DEMO_PASSWORD) for lo, n, r in people],
    )


def _me(parts: Wiring, session: Session, who: Who) -> Me:
    shop = shop_settings(session)
    return Me(
        id=who.id,
        name=who.name,
        role=who.role,
        csrf_token=who.csrf_token,
        shop=shop.name,
        currency=shop.currency,
        time_zone=shop.time_zone,
        units=shop.units,
        second_factor=has_factor(session, who.id),
        now=parts.clock(),
        standins_url=parts.settings.standins_url if parts.settings.demo else "",
    )


@router.post("/sign-in")
def sign_in(body: SignInIn, request: Request, response: Response, parts: Parts) -> Me:
    """Sign in and receive a session cookie; wrong guesses are counted and slow further ones down.

    Who has a second factor and sends no code is told so by the problem's code ``second_factor``.
    """
    trying = Trying(
        body.login,
        body.password,
        body.code,
        request.client.host if request.client else "unknown",
        request.cookies.get(parts.settings.cookie_prefix + KNOWN, ""),
        browser_of(request.headers.get("User-Agent", "")),
    )
    with parts.sessions.begin() as session:
        signed = service.sign_in(session, parts.outside.sealer, trying, parts.real_clock())
    if isinstance(signed, str):
        raise NotSignedIn(signed, _MISSING[signed])
    lasts = ((COOKIE, signed.token, SESSION_LASTS), (KNOWN, signed.known, timedelta(days=365)))
    for name, value, time in lasts:
        response.set_cookie(
            parts.settings.cookie_prefix + name,
            value,
            httponly=True,
            samesite="lax",
            secure=parts.settings.over_tls,
            path="/",
            max_age=int(time.total_seconds()),
        )
    with parts.sessions() as session:
        return _me(parts, session, who_has_token(session, signed.token, parts.real_clock()))


@router.post("/first-owner", status_code=201)
def first_owner(body: FirstOwnerIn, session: Tx) -> Start:
    """Set an empty installation up with its shop and owner."""
    shop = Shop(
        id=1,
        name=body.shop,
        brand=body.shop,
        time_zone=body.time_zone,
        currency=body.currency,
        units="metric",
        policy="cheapest",
        day_value_minor=40,
        late_value_minor=250,
        price_tolerance_minor=0,
        mail_from="shop@localhost",
    )
    shop_room.first_owner(session, shop, body.login, body.name, body.password)
    return Start(set_up=True, brand=shop.brand, demo_people=[])


@router.get("/me")
def me(who: Anyone, parts: Parts, session: Tx) -> Me:
    """Return who is signed in and what the pages need to know of the shop."""
    return _me(parts, session, who)


@router.post("/sign-out", status_code=204)
def sign_out(_who: Anyone, request: Request, response: Response, parts: Parts, session: Tx) -> None:
    """End the session."""
    service.sign_out(session, token_of(request))
    response.delete_cookie(parts.settings.cookie_prefix + COOKIE, secure=parts.settings.over_tls, httponly=True)


@router.post("/presence")
def start_work(body: PresenceIn, who: Anyone, session: Tx, now: Now) -> list[AtWorkOut]:
    """Say that one is working on orders, and return those somebody else has; again within two minutes to keep them."""
    others = service.start_work(session, body.order_ids, who.id, body.take_over, now)
    return [AtWorkOut.model_validate(held) for held in others.values()]


@router.post("/presence/let-go", status_code=204)
def let_go(body: OrdersIn, who: Anyone, session: Tx) -> None:
    """Say that one is done with orders."""
    service.let_go(session, body.order_ids, who.id)
