"""Carriers: cards brought in and given out, contracts, services off, and what a change would do, waiting and past."""

from __future__ import annotations

import json
from datetime import date

import pytest
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from tests.conftest import MONDAY, Clock
from tidewind.core.addresses.check import Address
from tidewind.core.layers import Step
from tidewind.core.tariffs.reading import BadCard
from tidewind.core.tariffs.written import write_card
from tidewind.db.tables import Order, RateCardRow
from tidewind.demo.history import load_history
from tidewind.outside.spreadsheets import read_tables
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.books import balance_now
from tidewind.services.buying import ToBuy, ask_to_buy, batch_shipments, buy_shipment
from tidewind.services.orders import edit_hand
from tidewind.services.planning import ShopDefaults, get_shop_defaults, own_record, rehearse_defaults, set_shop_defaults
from tidewind.services.rates import QuotedParcel, QuoteRequest, price_matrix, quote_services
from tidewind.services.shop import (
    AccountChange,
    add_account,
    card_file,
    card_of,
    card_versions,
    change_account,
    get_carrier,
    propose_card,
    read_upload,
    rehearse_account,
    remove_account,
    remove_card,
    save_card,
    switch_carrier,
)
from tidewind.web.access import Wiring


def road(session: Session, kind: str = "json") -> tuple[RateCardRow, bytes]:
    row = card_versions(session, "brightmile")[0]
    return row, card_file(row, kind)


def dearer(session: Session, start: str = "2026-12-01") -> bytes:
    body = json.loads(road(session)[1])
    body["valid_from"] = start
    body["services"][0]["prices"]["pt2"] = [p + 50 for p in body["services"][0]["prices"]["pt2"]]
    body["surcharges"][0]["fixed"] = 75
    return json.dumps(body).encode()


@pytest.mark.parametrize("kind", ["json", "xlsx", "csv"])
@pytest.mark.parametrize("code", ["norvia", "brightmile", "pontolo", "cobaltair"])
def test_every_card_goes_out_and_comes_in_again_unchanged(session: Session, code: str, kind: str) -> None:
    for row in card_versions(session, code):
        card = read_upload(card_file(row, kind), f"{code}.{kind}")
        assert not isinstance(card, BadCard), card.errors[:3]
        assert write_card(card) == write_card(card_of(row))


def test_a_new_version_says_what_it_changes_and_ends_the_one_before(session: Session) -> None:
    found = propose_card(session, "brightmile", dearer(session), "december.json", MONDAY)
    assert (list(found.errors), found.against, found.ends) == ([], date(2026, 7, 1), date(2026, 11, 30))
    said = {(c.where, c.before, c.after) for c in found.changes}
    assert ("Road, Zone 2, mainland to 3 kg", "5.20 EUR", "5.70 EUR") in said
    assert ("surcharges home, fixed", "70", "75") in said
    assert len([c for c in found.changes if c.where.startswith("Road, Zone 2")]) == 10
    made, _ = save_card(session, "brightmile", dearer(session), "december.json", MONDAY)
    before = card_versions(session, "brightmile")[1]
    assert (made.valid_from, before.valid_until, made.source) == (
        date(2026, 12, 1),
        date(2026, 11, 30),
        "december.json",
    )
    again = propose_card(session, "brightmile", dearer(session), "december.json", MONDAY)
    assert again.errors == ("valid_from: another version is valid from 01 Dec 2026 already",)
    remove_card(session, "brightmile", made.id, MONDAY)
    session.flush()
    assert card_versions(session, "brightmile")[0].valid_until is None
    with pytest.raises(Conflict, match="has begun"):
        remove_card(session, "brightmile", before.id, MONDAY)


def test_faults_are_named_by_sheet_and_cell(session: Session) -> None:
    tables = read_tables(road(session, "xlsx")[1], "road.xlsx")
    prices = tables["Prices"]
    zone = prices[0].index("pt2")
    prices[2][zone] = "four euros"
    tables["Services"][1][3] = "by_mood"
    tables["Zones"][3][tables["Zones"][0].index("Countries")] = ""

    def refused() -> str:
        rows = [line for name, rows in tables.items() for line in ([f"# {name}"], *rows)]
        text_ = "\n".join(",".join(f'"{cell}"' for cell in row) for row in rows)
        found = propose_card(session, "brightmile", text_.encode(), "road.csv", MONDAY)
        assert found.card is None
        return " | ".join(found.errors)

    assert refused() == "Prices, cell F3: “four euros” is not what belongs under pt2"
    prices[2][zone] = "4.75"
    assert "Services, row 2: kind: 'by_mood' is not one of weight" in refused()
    assert "Zones, row 4: where[1].countries: is missing" in refused()
    other = json.loads(road(session)[1]) | {"carrier": "norvia"}
    wrong = propose_card(session, "brightmile", json.dumps(other).encode(), "x.json", MONDAY)
    assert wrong.errors == ("This card is of norvia, not of brightmile.",)
    for data in (b"{", b"", b"PK\x03\x04nothing", b"\xff\xfe\x00", b"# Card\nCarrier,brightmile"):
        assert propose_card(session, "brightmile", data, "odd", MONDAY).errors
        with pytest.raises(Invalid, match="Nothing was stored"):
            save_card(session, "brightmile", data, "odd", MONDAY)
    with pytest.raises(NotFound):
        propose_card(session, "ghost", b"{}", "x", MONDAY)


def main_account(session: Session) -> int:
    return get_carrier(session, "brightmile").accounts[0].id


def open_sum(session: Session) -> int:
    return session.scalar(select(func.sum(Order.price_minor)).where(Order.state == "open")) or 0


def test_contracts_and_services_are_tried_before_they_count(session: Session) -> None:
    half, main = AccountChange(discounts_bp={"*": 1_200, "bp-road:es": 5_000}), main_account(session)
    tried = rehearse_account(session, "brightmile", main, half, MONDAY)
    assert tried.looked_at == tried.waiting > 40
    assert tried.after_minor <= tried.before_minor
    before = open_sum(session)
    change_account(session, "brightmile", main, half, MONDAY)
    assert before - open_sum(session) == tried.before_minor - tried.after_minor
    for account in get_carrier(session, "brightmile").accounts:
        session.flush()
        change_account(session, "brightmile", account.id, AccountChange(services_off=["bp-night"]), MONDAY)
    asked = QuoteRequest(Address(postcode="3500-108", country="PT"), True, (QuotedParcel(900, (250, 180, 120)),))
    codes = {c.option.service for c in quote_services(session, asked, MONDAY).compared.cells}
    assert "bp-night" not in codes
    assert "bp-road" in codes
    for bad in (
        AccountChange(services_off=["ghost"]),
        AccountChange(discounts_bp={"*": 10_000}),
        AccountChange(discounts_bp={"bp-road:moon": 100}),
        AccountChange(number=" "),
    ):
        with pytest.raises(Invalid):
            change_account(session, "brightmile", main, bad, MONDAY)
    switch_carrier(session, "brightmile", False, MONDAY)
    assert {c.option.carrier for c in quote_services(session, asked, MONDAY).compared.cells}.isdisjoint({"brightmile"})


def accounts_of(session: Session, country: str, postcode: str) -> dict[str, str]:
    """By service, the account on which a parcel to a place is cheapest."""
    asked = QuoteRequest(Address(postcode=postcode, country=country), True, (QuotedParcel(900, (250, 180, 120)),))
    cells = quote_services(session, asked, MONDAY).compared.cells
    return {c.option.service: c.option.quote.account for c in cells if c.option.quote and not c.box}


def test_of_several_accounts_the_cheapest_for_service_and_zone_is_taken(session: Session) -> None:
    assert accounts_of(session, "PT", "3500-108")["bp-road"] == "447-1902"
    assert accounts_of(session, "ES", "37001")["bp-road"] == "447-2210"
    new = AccountChange(number="447-3000", name="Seeds", discounts_bp={"bp-road": 1_900}, services_off=["bp-night"])
    tried, before = rehearse_account(session, "brightmile", None, new, MONDAY), open_sum(session)
    made, _ = add_account(session, "brightmile", new, MONDAY)
    assert before - open_sum(session) == tried.before_minor - tried.after_minor > 0
    found = accounts_of(session, "PT", "3500-108")
    assert (found["bp-road"], found["bp-night"]) == ("447-3000", "447-1902")
    assert accounts_of(session, "ES", "37001")["bp-road"] == "447-2210"
    for bad, error in ((AccountChange(number="447-3000"), Conflict), (AccountChange(), Invalid)):
        with pytest.raises(error):
            add_account(session, "brightmile", bad, MONDAY)
    for account in list(get_carrier(session, "brightmile").accounts)[:2]:
        remove_account(session, "brightmile", account.id, MONDAY)
    assert open_sum(session) > 0
    with pytest.raises(Conflict, match="only account"):
        remove_account(session, "brightmile", made.id, MONDAY)


def test_an_order_bound_to_an_account_is_priced_bought_and_billed_on_it(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        change_account(
            session,
            "brightmile",
            get_carrier(session, "brightmile").accounts[1].id,
            AccountChange(payer="account"),
            clock(),
        )
        order = next(
            o
            for o in session.scalars(select(Order).where(Order.carrier == "brightmile", Order.state == "open"))
            if o.address.country == "PT" and o.plan.quote.account == "447-1902" and o.snag_level != "stops"
        )
        cheap, service, held = order.price_minor or 0, order.service, balance_now(session).held_minor
        edit_hand(session, [order.id], {"account": "447-2210", "service": service}, "Inês", MONDAY)
        assert order.price_minor is not None
        assert order.price_minor > cheap
        assert order.plan.trail["account"][-1] == Step("by hand", "447-2210", "set for this order")
        column = [s.code for _, s in price_matrix(session, [order.id], MONDAY).services].index(service or "")
        assert price_matrix(session, [order.id], MONDAY).rows[0].prices[column] == order.price_minor
        asked = ask_to_buy(session, [ToBuy(order.id, order.price_minor)], "on an account", 1, MONDAY)
        shipment = batch_shipments(session, asked.batch_id)[0]
        assert (shipment.account, shipment.payer, balance_now(session).held_minor) == ("447-2210", "account", held)
    # The stand-in knows the contract, too: it asks for what was shown, or the purchase would be voided.
    assert buy_shipment(wiring.sessions, wiring.outside, shipment.id, clock) == "bought"
    with wiring.sessions.begin() as session:
        assert balance_now(session).owed_minor == order.price_minor
        other = session.scalars(select(Order).where(Order.carrier == "brightmile", Order.state == "open")).first()
        assert other is not None
        with pytest.raises(Invalid, match="no account 1-2-3"):
            edit_hand(session, [other.id], {"account": "1-2-3"}, "Inês", MONDAY)
        edit_hand(session, [other.id], {"account": "447-2210"}, "Inês", MONDAY)
        mine = next(a for a in get_carrier(session, "brightmile").accounts if a.number == "447-2210")
        remove_account(session, "brightmile", mine.id, MONDAY)
        session.refresh(other)
        assert "account_gone" in {snag.code for snag in other.snags}


def test_the_own_ranking_chooses_and_needs_to_be_there(session: Session) -> None:
    now = get_shop_defaults(session)
    wanted = ShopDefaults("ranking", now.group_services, False, False, ["np-economy", "bp-road"], 40, 250)
    tried = rehearse_defaults(session, wanted, MONDAY)
    assert tried.changed > 10
    assert {c.after.service for c in tried.changes if c.after.service} & {"Economy"}
    for ranking in ([], ["np-economy", "np-economy"], ["ghost"]):
        with pytest.raises(Invalid):
            set_shop_defaults(session, ShopDefaults("ranking", {}, False, False, ranking), MONDAY)


def test_the_past_is_a_place_to_rehearse(wiring: Wiring, clock: Clock) -> None:
    made = load_history(wiring.sessions, clock(), days=24, most_a_day=8)
    assert made > 30
    with wiring.sessions() as session:
        assert balance_now(session).balance_minor == 60_000
        assert session.scalar(text("select sum(amount_minor) from ledger_line")) == 0
        assert sum(r.parcels for r in own_record(session, clock(), "Europe/Lisbon").values()) >= made
        cheaper = AccountChange(discounts_bp={"*": 5_000})
        tried = rehearse_account(session, "brightmile", main_account(session), cheaper, clock(), past=True)
        assert tried.looked_at == made
        assert tried.changed > 0
        assert tried.after_minor < tried.before_minor
        assert tried.late_before < made // 2  # judged by the day they were planned on, not by today
