"""Who is asking, may they, and the transaction their request runs in."""

from __future__ import annotations

import hmac
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import datetime
from typing import Annotated, Any

from fastapi import Depends, Request
from sqlalchemy import Connection
from sqlalchemy.orm import Session, sessionmaker

from tidewind.db.tables.people import ROLES
from tidewind.services.base import Jumps, NotAllowed, NotSignedIn, Outside, SharedAnswers
from tidewind.services.people import KeyUse, Who, who_has_key, who_has_token
from tidewind.settings import Settings, now, real_now
from tidewind.web.news import NewsHub

COOKIE = "tidewind_session"
SAFE = frozenset({"GET", "HEAD", "OPTIONS"})


@dataclass(frozen=True)
class Wiring:
    """What the application was put together from."""

    settings: Settings
    sessions: sessionmaker[Session]
    outside: Outside
    clock: Callable[[], datetime]
    news: NewsHub
    jumps: Jumps
    shared: SharedAnswers[Any] = field(default_factory=SharedAnswers)
    """What many pages ask for at once, by what it is and what is asked."""

    @contextmanager
    def single_statements(self) -> Iterator[Connection]:
        """Give a connection for statements each whole by itself: begin and end of a transaction are two more."""
        with self.sessions.kw["bind"].connect() as connection:
            yield connection.execution_options(isolation_level="AUTOCOMMIT")

    def real_clock(self) -> datetime:
        """Return the real instant, which in the demo is not the shop's."""
        return real_now() if self.clock is now else self.clock()


def wiring(request: Request) -> Wiring:
    """Return the application's parts."""
    parts: Wiring = request.app.state.wiring
    return parts


# What waits for nothing is asynchronous: each other dependency is a way to a thread and back, and under many requests
# these ways, not the work, are what people wait for.
async def _parts(request: Request) -> Wiring:
    return wiring(request)


Parts = Annotated[Wiring, Depends(_parts)]


def _transaction(parts: Parts) -> Iterator[Session]:
    with parts.sessions.begin() as session:
        yield session


# Function scope: the transaction is committed before the answer leaves, so a 200 is never a lie.
Tx = Annotated[Session, Depends(_transaction, scope="function")]


async def present(parts: Parts) -> datetime:
    """Return the instant of this request."""
    return parts.clock()


Now = Annotated[datetime, Depends(present)]


async def really_present(parts: Parts) -> datetime:
    """Return the real instant of this request."""
    return parts.real_clock()


RealNow = Annotated[datetime, Depends(really_present)]
"""For sessions, one-time codes and signatures: they keep real time, wherever the demo's clock stands."""


ASKS = "/api/checkout/v1/"
"""Questions that need a body, and change nothing: a key that only reads may ask them."""


PEOPLE_ALONE = frozenset({"people", "sign-in"})
"""Tags of what no key opens but to read who it is: who has found a key must not become somebody else by it."""


def key_of(request: Request) -> str:
    """Return the API key that a request brings, empty where it brings none (RFC 6750)."""
    scheme, _, key = request.headers.get("Authorization", "").partition(" ")
    return key.strip() if scheme.lower() == "bearer" else ""


# What a key for one room may reach, by the tags of the API's document.
ROOMS = {
    "orders": {"orders", "orders in", "addresses", "address book", "products"},
    "labels": {"rates", "buying", "batches", "printing", "requests", "customs"},
    "handover": {"bench", "handing over"},
    "following": {"following", "claims", "returns", "messages"},
}


def _use(request: Request) -> KeyUse:
    """Return what a request with a key wants."""
    tags = _tags(request)
    asks = request.url.path.startswith(ASKS)
    rooms = {room for room, its in ROOMS.items() if not tags.isdisjoint(its)} | ({"checkout"} if asks else set())
    came_from = request.client.host if request.client else ""
    return KeyUse(frozenset(rooms), not asks and request.method not in SAFE, came_from)


def _not_for_keys(request: Request) -> None:
    tags = _tags(request)
    if not tags.isdisjoint(PEOPLE_ALONE) and (request.method not in SAFE or "people" in tags):
        raise NotAllowed("people_alone", "Logins, sessions and keys are changed by somebody who has signed in.")


def _tags(request: Request) -> frozenset[str]:
    return frozenset(getattr(request.scope.get("route"), "tags", ()))


def token_of(request: Request) -> str:
    """Return the token of the session that a browser brings; empty for none."""
    return request.cookies.get(wiring(request).settings.cookie_prefix + COOKIE, "")


def recognise(request: Request, session: Tx, now: RealNow) -> Who:
    """Return who is asking, by API key or by session cookie; cookies need the form token for anything that writes."""
    if key := key_of(request):
        who = who_has_key(session, key, now, _use(request))
        _not_for_keys(request)
        request.state.person_id = who.id
        return who
    who = who_has_token(session, token_of(request), now)
    request.state.person_id = who.id
    if request.method not in SAFE and not hmac.compare_digest(
        request.headers.get("X-CSRF-Token", "").encode(), who.csrf_token.encode()
    ):
        raise NotAllowed("csrf", "This page is out of date. Reload it; what you typed is still there.")
    return who


def still_signed_in(request: Request, parts: Wiring) -> bool:
    """Tell whether who opened a stream may still hear it."""
    try:
        with parts.sessions() as session:
            recognise(request, session, parts.real_clock())
    except NotSignedIn:
        return False
    return True


def allow(*roles: str) -> Any:
    """Return a dependency that lets only these roles in and gives the person; the owner may do everything."""
    permitted = frozenset({*roles, "owner"})

    async def check(who: Annotated[Who, Depends(recognise)]) -> Who:
        if who.role not in permitted:
            raise NotAllowed("role", f"Your role ({who.role}) may not do this. Ask the owner.")
        return who

    check.roles = permitted  # type: ignore[attr-defined]
    return Depends(check)


MONEY_ROLES = frozenset({"owner", "shipper"})
"""Who may see the ledger, and what an order cost."""

Anyone = Annotated[Who, allow(*ROLES)]
Shipper = Annotated[Who, allow("shipper")]
Bench = Annotated[Who, allow("shipper", "packer")]
Care = Annotated[Who, allow("shipper", "care")]
Owner = Annotated[Who, allow()]
