"""The page on which the shop says what it offers at the checkout, and tries it."""

from __future__ import annotations

import time
from typing import Literal

from fastapi import APIRouter, Response, UploadFile

from tidewind.core.checkout.tables import faults_of
from tidewind.core.checkout.written import Checkout
from tidewind.services.planning import all_choices
from tidewind.services.rates import (
    NOTHING,
    BasketAsked,
    CheckoutAnswer,
    all_cases,
    basket_of_order,
    checkout_in_force,
    checkout_versions,
    drop_case,
    keep_case,
    newest_checkout,
    offers_for,
    read_tables_file,
    rehearse_offers,
    restore_checkout,
    run_case,
    save_checkout,
    sold_by_offer,
    tables_file,
    try_checkout,
)
from tidewind.services.shop import all_channels, all_places
from tidewind.web.access import Anyone, Now, Owner, Shipper, Tx
from tidewind.web.files import CSV, XLSX, answers_with, download, uploaded
from tidewind.web.rates.for_stores import basket_asked
from tidewind.web.rates.offering_schemas import (
    AbsentOut,
    AtValueOut,
    BasketIn,
    BasketLineIn,
    BasketTriedOut,
    ByOfferOut,
    CaseIn,
    CaseOut,
    CheckoutIn,
    CheckoutOut,
    CheckoutVersionOut,
    OfferedOut,
    OffersRehearsedOut,
    RehearseOffersIn,
    RunCasesIn,
    SoldByOfferOut,
    TableFaultOut,
    TablesReadOut,
    TryIn,
)

router = APIRouter(prefix="/api", tags=["checkout"])
VERSIONS_SHOWN, NUMBERS_SHOWN = 12, 20
MOST_FILE_BYTES = 5_000_000


def _checkout(session: Tx, now: Now) -> CheckoutOut:
    row, versions = newest_checkout(session), checkout_versions(session)
    return CheckoutOut(
        version=row.id if row else 0,
        in_force=checkout_in_force(session, now)[0],
        holds_from=row.holds_from if row else None,
        body=row.body if row else dict(NOTHING),
        services=dict(all_choices(session, now).services),
        channels={one.code: one.name for one in all_channels(session)},
        places=[one.name for one in all_places(session)],
        versions=[CheckoutVersionOut.model_validate(one) for one in versions[:VERSIONS_SHOWN]],
    )


@router.get("/checkout")
def checkout(_who: Anyone, session: Tx, now: Now) -> CheckoutOut:
    """Return the offers and tables that were saved last, and the versions before them."""
    return _checkout(session, now)


@router.put("/checkout")
def save(body: CheckoutIn, who: Owner, session: Tx, now: Now) -> CheckoutOut:
    """Save offers and tables as another version."""
    save_checkout(session, body.body, body.base_version, body.note, body.holds_from, who.id, now)
    return _checkout(session, now)


@router.post("/checkout/versions/{version}/restore")
def restore(version: int, who: Owner, session: Tx, now: Now) -> CheckoutOut:
    """Bring an older version back as the newest one."""
    restore_checkout(session, version, who.id, now)
    return _checkout(session, now)


@router.post("/checkout/try")
def try_it(body: TryIn, _who: Shipper, session: Tx, now: Now) -> BasketTriedOut:
    """Say what a basket would be offered by offers that are not saved, and why; faults of both are said with it."""
    started = time.perf_counter()
    draft = try_checkout(session, body.body, now)
    found = offers_for(session, basket_asked(body.basket), now, draft)
    return _tried(draft, found, round((time.perf_counter() - started) * 1000))


def _tried(draft: Checkout, found: CheckoutAnswer, took_ms: int) -> BasketTriedOut:
    return BasketTriedOut(
        errors=list(draft.errors),
        faults={t.code: [TableFaultOut.model_validate(fault) for fault in faults_of(t)] for t in draft.tables},
        offered=[OfferedOut.model_validate(line) for line in found.answer.offered],
        absent=[AbsentOut.model_validate(line) for line in found.answer.absent],
        packed=found.packed.words,
        gross_g=found.packed.gross_g,
        parcels=found.packed.parcels,
        assumed=list(found.assumed),
        refused=found.packed.refused,
        currency=found.currency,
        took_ms=took_ms,
    )


@router.post("/checkout/rehearse")
def rehearse(body: RehearseOffersIn, _who: Shipper, session: Tx, now: Now) -> OffersRehearsedOut:
    """Say what the orders of the last 90 days would have paid by offers that are not saved, against what they cost."""
    draft = try_checkout(session, body.body, now)
    found = rehearse_offers(
        session, draft, checkout_in_force(session, now)[1], body.offer, body.rising_bp, now, body.turn
    )
    made = found.made
    return OffersRehearsedOut(
        days=found.days,
        currency=found.currency,
        orders=made.orders,
        cost_minor=made.cost,
        really_paid_minor=made.really_paid,
        would_pay_minor=made.would_pay,
        in_force_minor=found.now.would_pay,
        offers=[ByOfferOut.model_validate(one) for one in made.offers.values()],
        without=len(made.without),
        without_numbers=made.without[:NUMBERS_SHOWN],
        curve=[AtValueOut.model_validate(point) for point in found.curve],
        proposed=AtValueOut.model_validate(found.proposed) if found.proposed else None,
    )


@router.get("/checkout/tables/file", **answers_with(CSV, XLSX))
def tables_as_file(_who: Anyone, session: Tx, kind: Literal["csv", "xlsx"] = "xlsx") -> Response:
    """Return all rate tables as a spreadsheet, a sheet each."""
    return download(tables_file(session, kind), f"rate-tables.{kind}", XLSX if kind == "xlsx" else CSV)


@router.post("/checkout/tables/read")
def read_tables_of(file: UploadFile, _who: Shipper, session: Tx) -> TablesReadOut:
    """Read rate tables out of a CSV or XLSX file, to be looked at; nothing is saved."""
    tables, wrong = read_tables_file(session, *uploaded(file, MOST_FILE_BYTES))
    return TablesReadOut(tables=tables, wrong=wrong)


@router.get("/checkout/sold")
def sold(_who: Shipper, session: Tx, now: Now) -> list[SoldByOfferOut]:
    """Return what came of each version of each offer in the last 90 days: paid by buyers, against what it cost."""
    return [SoldByOfferOut.model_validate(one) for one in sold_by_offer(session, now)]


@router.get("/checkout/basket-of/{number}")
def basket_of(number: str, _who: Shipper, session: Tx) -> BasketIn:
    """Return the basket of an order, to be tried."""
    return _basket(basket_of_order(session, number))


@router.post("/checkout/cases/run")
def run_cases(body: RunCasesIn, _who: Shipper, session: Tx, now: Now) -> list[CaseOut]:
    """Try every kept basket with offers that are not saved, and say what would move."""
    draft = try_checkout(session, body.body, now)
    found = []
    for case in all_cases(session):
        asked = basket_asked(BasketIn.model_validate(case.basket))
        found.append(CaseOut.model_validate(run_case(session, case, asked, draft, now)))
    return found


@router.post("/checkout/cases", status_code=201)
def keep(body: CaseIn, _who: Shipper, session: Tx, now: Now) -> CaseOut:
    """Keep a basket with what the newest offers give it; one of that name is kept anew."""
    newest = newest_checkout(session)
    draft = try_checkout(session, newest.body if newest else NOTHING, now)
    basket, asked = body.basket.model_dump(mode="json"), basket_asked(body.basket)
    row = keep_case(session, body.name, basket, asked, draft, now)
    return CaseOut(id=row.id, name=row.name, basket=body.basket, moved=[])


@router.delete("/checkout/cases/{case_id}", status_code=204)
def drop(case_id: int, _who: Shipper, session: Tx) -> None:
    """Keep a basket no longer."""
    drop_case(session, case_id)


def _basket(asked: BasketAsked) -> BasketIn:
    lines = [BasketLineIn(sku=sku, quantity=pieces, unit_price_minor=price) for sku, pieces, price in asked.lines]
    return BasketIn(
        lines=lines,
        country=asked.country,
        postcode=asked.postcode,
        region=asked.region,
        channel=asked.channel,
        business=not asked.home,
    )
