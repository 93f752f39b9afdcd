"""Prices: services × boxes for one order, the matrix for many, a quote without any order."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query

from tidewind.core.addresses.check import Address, tidy_address
from tidewind.services import rates as service
from tidewind.services.orders import edit_hand, get_order
from tidewind.services.rates import (
    QuotedParcel,
    QuoteRequest,
    ask_prices_of_order,
    ask_prices_of_quote,
    price_matrix,
    quote_services,
)
from tidewind.web.access import Anyone, Now, Parts, Shipper, Tx
from tidewind.web.orders.presenting import order_rows
from tidewind.web.orders.schemas.order import OrderRow
from tidewind.web.rates.presenting import compared_out, matrix_out, nothing_compared
from tidewind.web.rates.schemas import ChoicesIn, ComparedOut, MatrixIn, MatrixOut, PricesAskedOut, QuoteIn

router = APIRouter(prefix="/api", tags=["rates"])
ExtrasAsked = Annotated[str | None, Query(max_length=300, description="Extras by code, with commas; none: as planned")]


def _extras(text: str | None) -> frozenset[str] | None:
    return None if text is None else frozenset(code for code in text.split(",") if code)


@router.get("/orders/{order_id}/compare")
def compare_order(order_id: int, _who: Anyone, session: Tx, now: Now, extras: ExtrasAsked = None) -> ComparedOut:
    """Return every service in every box for one order, with other extras where given; nothing is stored."""
    comparison = service.compare_order(session, order_id, now, _extras(extras))
    if comparison is None:
        return nothing_compared()
    return compared_out(session, comparison, get_order(session, order_id).service)


@router.post("/orders/{order_id}/ask-prices")
def ask_order(order_id: int, _who: Shipper, parts: Parts, now: Now, extras: ExtrasAsked = None) -> PricesAskedOut:
    """Ask the carriers that tell their prices on asking; the answers stand in the next comparison."""
    asked = ask_prices_of_order(parts.sessions, parts.outside, order_id, _extras(extras), now)
    return PricesAskedOut(answered=asked.answered, failures=asked.failures)


def _asked(body: QuoteIn) -> QuoteRequest:
    return QuoteRequest(
        to=tidy_address(Address(**body.to.model_dump())),
        home=body.home,
        parcels=tuple(QuotedParcel(p.weight_g, p.sides_mm, p.count, p.not_stackable) for p in body.parcels),
        value=body.value_minor,
        contents=frozenset(body.contents),
        extras=frozenset(body.extras),
        ship_date=body.ship_date,
        place_id=body.place_id,
        point=body.point,
        promise=body.promise,
    )


@router.post("/quote")
def quote(body: QuoteIn, _who: Anyone, session: Tx, now: Now) -> ComparedOut:
    """Return every service for a shipment that is not an order; nothing is stored."""
    return compared_out(session, quote_services(session, _asked(body), now), None)


@router.post("/quote/ask-prices")
def ask_quote(body: QuoteIn, _who: Shipper, parts: Parts, now: Now) -> PricesAskedOut:
    """Ask the carriers that tell their prices on asking, for a quote without an order."""
    asked = ask_prices_of_quote(parts.sessions, parts.outside, _asked(body), now)
    return PricesAskedOut(answered=asked.answered, failures=asked.failures)


@router.post("/matrix")
def matrix(body: MatrixIn, _who: Anyone, session: Tx, now: Now) -> MatrixOut:
    """Return waiting orders × services with prices and days, and what each policy would pick."""
    return matrix_out(session, price_matrix(session, body.order_ids, now))


@router.post("/orders/services")
def choose_services(body: ChoicesIn, who: Shipper, session: Tx, now: Now) -> list[OrderRow]:
    """Set the service of several orders by hand, each its own; null takes the choice back. All or none."""
    by_service: dict[str | None, list[int]] = {}
    for order_id, code in body.choices.items():
        by_service.setdefault(code, []).append(order_id)
    changed = []
    for code, ids in by_service.items():
        changed += edit_hand(session, ids, {"service": code}, who.name, now)
    session.flush()
    return order_rows(session, changed, now, who.id)
