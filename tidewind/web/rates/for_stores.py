"""What stores ask while somebody orders: a whole answer within the budget, made once while nothing changes."""

from __future__ import annotations

import asyncio
import hashlib
import json
import time
from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import Annotated, Any

from anyio import CapacityLimiter, to_thread
from fastapi import APIRouter, Query, Request, Response
from fastapi.exceptions import RequestValidationError
from pydantic import SkipValidation, ValidationError
from sqlalchemy.orm import Session

from tidewind.core.checkout.sold import Sold
from tidewind.outside.channels.checkouts import FORMATS, Format
from tidewind.services.base import Invalid, ServiceError
from tidewind.services.people import CHECKOUT, who_has_key
from tidewind.services.rates import (
    BUDGET_S,
    BasketAsked,
    CheckoutAnswer,
    InTime,
    kept_offers,
    key_now,
    offers_by_heart,
    offers_for,
)
from tidewind.services.shop import get_channel, signed_by
from tidewind.web.access import Parts, Wiring, key_of, recognise
from tidewind.web.rates.offering_schemas import BasketIn, OffersOut, ShownOut
from tidewind.web.rates.together import Together

router = APIRouter(prefix="/api/checkout/v1", tags=["checkout"])
_THREADS = CapacityLimiter(2)
"""More at once would only wait for each other: what is done here is work, not waiting."""
_MOST_BYTES = 100_000
Unread = Annotated[BasketIn | None, SkipValidation()]
"""A basket as JSON values: nobody is told what is wrong with it before we know who asks."""
_GOOD: dict[int | str, dict[str, Any]] = {200: {"model": OffersOut, "description": "What the shopper is offered"}}


def basket_asked(body: BasketIn) -> BasketAsked:
    """Return a basket as services take it."""
    return BasketAsked(
        tuple((line.sku, line.quantity, line.unit_price_minor) for line in body.lines),
        body.country,
        body.postcode,
        body.city,
        body.region,
        body.discount_minor,
        body.channel,
        body.customer_group,
        body.language,
        home=not body.business,
    )


@router.post("/offers", response_model=OffersOut)
async def offers(request: Request, parts: Parts, body: Unread = None) -> Response:
    """Return what the shopper of a basket is offered.  A store asks with an API key; it may be for this alone."""
    return await _answer(request, parts, lambda: _read_basket(body))


@router.get("/offers", response_model=OffersOut)
async def offers_of(
    request: Request,
    parts: Parts,
    basket: Annotated[str, Query(max_length=20_000, description="The basket as JSON, as in the body of POST")] = "",
) -> Response:
    """Return the same for a basket in the address, so that whoever stands between may keep it as long as is said."""
    return await _answer(request, parts, lambda: _read_json(basket))


@router.post("/channels/{code}/offers", responses=_GOOD)
async def offers_to_channel(code: str, request: Request, parts: Parts) -> Response:
    """Return what the shopper of a channel's basket is offered, asked and answered in the channel's own format.

    With an API key, or signed by the secret that the channel shares with us (Standard Webhooks 1.0).
    """
    until = time.monotonic() + BUDGET_S
    body = await request.body()
    if len(body) > _MOST_BYTES:
        raise Invalid("too_large", "A basket is at most 100 kB.")
    signed = "webhook-signature" in request.headers

    def read(session: Session) -> _Question:
        if signed:
            channel = signed_by(session, parts.outside, code, request.headers, body, parts.real_clock())
        else:
            channel = get_channel(session, code)
        own = FORMATS.get(channel.adapter)
        asked = _read_theirs(own, body) if own else _read_json(body)
        return _Question(asked.model_copy(update={"channel": code}), own)

    return await _answer_slowly(request, parts, read, until, by_key=not signed)


@dataclass(frozen=True, slots=True)
class _Question:
    """A basket as it was read, and the format in which its answer is written; None: ours."""

    basket: BasketIn
    own: Format | None = None


def _read_theirs(own: Format, body: bytes) -> BasketIn:
    try:
        said = own.basket(json.loads(body))
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise Invalid("bad_basket", "This is no basket as this channel writes it.") from error
    return _read_basket(said)


def _read_json(written: str | bytes) -> BasketIn:
    try:
        return _read_basket(json.loads(written))
    except (ValueError, RecursionError) as error:
        raise Invalid("unreadable_json", "The basket is not readable as JSON.") from error


def _read_basket(body: Any) -> BasketIn:
    try:
        return BasketIn.model_validate(body)
    except ValidationError as error:
        raise RequestValidationError([{**one, "loc": ("basket", *one["loc"])} for one in error.errors()]) from error


async def _answer(request: Request, parts: Wiring, read: Callable[[], BasketIn]) -> Response:
    """Answer from memory where the key is good and nothing has changed, on the loop itself; else make the answer."""
    until = time.monotonic() + BUDGET_S
    key = key_of(request)
    if not key:
        return await _answer_slowly(request, parts, lambda _: _Question(read()), until)
    state = await _states(request, parts).find(key)
    question = _Question(read())
    asked = basket_asked(question.basket)
    found = kept_offers(state, asked, parts.clock()) or await _in_time(request, parts, state, asked, until)
    return _response(request, question, found)


_State = tuple[object, ...]


def _states(request: Request, parts: Wiring) -> Together[str, _State]:
    """Return what looks up keys, and the state of everything a price is made of, for all who ask at a time."""

    def look(keys: Collection[str]) -> dict[str, _State | Exception]:
        found: dict[str, _State | Exception] = {}
        with parts.sessions.begin() as session:
            for key in keys:
                try:
                    who_has_key(session, key, parts.real_clock(), CHECKOUT)
                except ServiceError as refused:
                    found[key] = refused
            state = key_now(session, parts.clock())
        return dict.fromkeys(keys, state) | found

    kept: Together[str, _State] | None = getattr(request.app.state, "checkout_states", None)
    if kept is None:
        kept = request.app.state.checkout_states = Together(look)
    return kept


async def _answer_slowly(
    request: Request, parts: Wiring, read: Callable[[Session], _Question], until: float, *, by_key: bool = True
) -> Response:
    """Answer somebody who is recognised by more than a key, or whose format is looked up first."""

    def look() -> tuple[_Question, _State]:
        with parts.sessions.begin() as session:
            if by_key:
                recognise(request, session, parts.real_clock())
            return read(session), key_now(session, parts.clock())

    question, state = await to_thread.run_sync(look, limiter=_THREADS)
    asked = basket_asked(question.basket)
    found = kept_offers(state, asked, parts.clock()) or await _in_time(request, parts, state, asked, until)
    return _response(request, question, found)


async def _in_time(request: Request, parts: Wiring, state: _State, asked: BasketAsked, until: float) -> CheckoutAnswer:
    """Return a basket's answer, made now; carriers that have to be asked have what is left of the budget."""
    found = await _made(parts, state, asked)
    waits = found.waits_for
    if waits and await _asking(request).ask(parts.sessions, parts.outside, waits, parts.clock(), until):
        found = await _made(parts, state, asked, anew=True)
    return found


def _asking(request: Request) -> InTime:
    """Return what carriers are being asked by this application."""
    kept: InTime | None = getattr(request.app.state, "checkout_asking", None)
    if kept is None:
        kept = request.app.state.checkout_asking = InTime()
    return kept


_making: dict[tuple[int, _State, BasketAsked, bool], asyncio.Task[CheckoutAnswer]] = {}
"""What is being made just now: by application, the state of everything, basket, and whether it must be made anew.

With the state in it, who asks after a change never gets what was begun before.
"""


async def _made(parts: Wiring, state: _State, asked: BasketAsked, *, anew: bool = False) -> CheckoutAnswer:
    key = (id(parts), state, asked, anew)

    def make() -> CheckoutAnswer:
        made = None if anew else offers_by_heart(state, asked, parts.clock())
        if made is not None:
            return made
        with parts.sessions.begin() as session:
            return offers_for(session, asked, parts.clock(), anew=anew)

    if key not in _making:
        _making[key] = asyncio.create_task(to_thread.run_sync(make, limiter=_THREADS))
        _making[key].add_done_callback(lambda _: _making.pop(key, None))
    return await asyncio.shield(_making[key])


def _response(request: Request, question: _Question, found: CheckoutAnswer) -> Response:
    body, tag = _written(found, question.own)
    kept = f"private, max-age={found.keep_s}" if found.keep_s and not found.waits_for else "no-store"
    headers = {"ETag": tag, "Cache-Control": kept}
    if request.method == "GET" and tag in request.headers.get("If-None-Match", ""):
        return Response(status_code=304, headers=headers)
    return Response(body, media_type="application/json", headers=headers)


def _written(found: CheckoutAnswer, own: Format | None) -> tuple[bytes, str]:
    """Return an answer as it is sent, and its tag; both are made once for each format."""
    name = "own" if own else "offers"
    if name not in found.bodies:
        shown = [
            ShownOut(
                code=line.code,
                name=line.name,
                reference=str(
                    Sold(line.code.partition(":")[0], found.version, line.service, found.packed.boxes, line.price)
                ),
                price_minor=line.price,
                arrives_from=line.earliest,
                arrives_by=line.latest,
                to_free_minor=line.to_free,
                duties_minor=line.duties,
            )
            for line in found.answer.offered
        ]
        said: Any = OffersOut(version=found.version, currency=found.currency, offers=shown).model_dump(mode="json")
        body = json.dumps(own.offers(said["offers"]) if own else said, ensure_ascii=False).encode()
        found.bodies[name] = body, f'"{hashlib.sha256(body).hexdigest()[:20]}"'
    return found.bodies[name]
