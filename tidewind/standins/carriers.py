"""The four carriers: they price by their own lists, honour idempotency keys, and move parcels on."""

from __future__ import annotations

import json
import time
from contextlib import suppress
from datetime import date, datetime, timedelta
from functools import lru_cache
from importlib import resources
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Depends, HTTPException, Request
from fastapi.responses import JSONResponse
from pydantic import BaseModel

from tidewind.core.codes import s10_number, sscc
from tidewind.core.consignments import Consignment, Route, read_consignment
from tidewind.core.quantities import Refused
from tidewind.core.tariffs.card import RateCard, card_in_force
from tidewind.core.tariffs.contracts import terms
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.reading import BadCard
from tidewind.core.tariffs.written import read_card
from tidewind.standins.points import points_of
from tidewind.standins.stages import CODES, MEANS, SELDOM, code_of
from tidewind.standins.world import World

_OPEN = frozenset({"health", "book", "returns", "use", "vans", "under-way"})
"""What is asked without a key: whether anybody is there, and what only tests and the simulated buyer ask."""


def at_the_door(request: Request) -> None:
    """Let in who has the key that the carrier gave the shop."""
    carrier, last = request.path_params.get("carrier", ""), request.url.path.rsplit("/", 1)[-1]
    if last not in _OPEN and request.headers.get("Authorization") != f"Bearer {carrier}-key":
        raise HTTPException(401, {"reason": "wrong_key", "detail": "the key is missing, or is not one of ours"})


router = APIRouter(prefix="/carriers", dependencies=[Depends(at_the_door)])
PUBLISHED, SECRET = "tidewind.data.cards", "tidewind.standins.lists"
CARDS = {
    "norvia": (PUBLISHED, "norvia-2026-06", "norvia-2026-12"),
    "brightmile": (PUBLISHED, "brightmile-2026-07"),
    "pontolo": (PUBLISHED, "pontolo-2026-03"),
    "cobaltair": (SECRET, "cobaltair"),
}
CONTRACTS: dict[str, dict[str, int]] = {
    "norvia": {},
    "brightmile": {"*": 1200},
    "pontolo": {},
    "cobaltair": {"*": 3500},
}
"""What each carrier takes off for this shop."""
ACCOUNTS: dict[tuple[str, str], dict[str, int]] = {("brightmile", "447-2210"): {"*": 500, "*:es": 2200}}
"""Where a contract is another than the carrier's usual one, by the number of the account."""
SLOW_SECONDS, HANG_SECONDS, QUOTES_HOLD_SECONDS, MOST_PARCELS, LATE_MINUTES = 2.0, 15.0, 900, 60, 20


class QuestionIn(BaseModel):
    """What goes, as the shop describes it."""

    consignment: dict[str, Any]
    ship_date: date
    account: str = ""

    def read(self) -> Consignment:
        """Return what goes.  Raises HTTPException for what makes no sense."""
        try:
            made = read_consignment(self.consignment)
        except (KeyError, TypeError, ValueError) as error:
            raise HTTPException(422, {"reason": "unreadable", "detail": f"the consignment: {error}"}) from error
        if not 1 <= len(made.parcels) <= MOST_PARCELS or min(p.gross_g for p in made.parcels) < 1:
            raise HTTPException(
                422, {"reason": "parcels", "detail": f"1 to {MOST_PARCELS} parcels that weigh something"}
            )
        return made


class ShipmentIn(QuestionIn):
    """A purchase."""

    service: str
    recipient: dict[str, str]
    bill_to: str = ""
    reference: str = ""
    customs: dict[str, Any] | None = None

    def check_customs(self) -> None:
        """Raise HTTPException where a declaration's items and transport do not add up, or an item says too little."""
        if self.customs is None:
            return
        items = self.customs.get("items", [])
        total = sum(item.get("value_minor", 0) for item in items) + self.customs.get("shipping_minor", 0)
        short = [item.get("text", "") for item in items if not item.get("text") or len(item.get("hs_code", "")) < 6]
        if total != self.customs.get("total_minor") or short:
            raise HTTPException(422, {"reason": "declaration", "detail": "the declaration is not complete"})


@lru_cache(maxsize=8)
def cards(carrier: str) -> tuple[RateCard, ...]:
    """Return a carrier's own price lists."""
    made = []
    folder, *names = CARDS[carrier]
    for name in names:
        written = json.loads(resources.files(folder).joinpath(f"{name}.json").read_text("utf-8"))
        card = read_card(written)
        if isinstance(card, BadCard):
            raise ValueError(f"{name}: {card.errors}")
        made.append(card)
    return tuple(made)


@lru_cache(maxsize=32)
def _compiled(carrier: str, today: date, ship_date: date, account: str) -> CompiledCard:
    card = card_in_force(cards(carrier), today, ship_date)
    if card is None:
        raise HTTPException(422, {"reason": "no_card", "detail": "no prices for that day"})
    cuts = ACCOUNTS.get((carrier, account), CONTRACTS[carrier])
    return CompiledCard(card, ship_date if card.priced_by_ship_date else today, terms(cuts))


def world_of(request: Request) -> World:
    """Return the world that this application serves."""
    world: World = request.app.state.world
    return world


def before(world: World, carrier: str) -> None:
    """Let the faults that are switched on strike before any work is done."""
    if carrier not in CARDS:
        raise HTTPException(404, {"reason": "unknown_carrier", "detail": carrier})
    if world.take_fault(carrier, "down"):
        raise HTTPException(503, {"reason": "down", "detail": "the carrier is down for maintenance"})
    if world.take_fault(carrier, "slow"):
        time.sleep(SLOW_SECONDS)
    if world.take_fault(carrier, "error"):
        raise HTTPException(500, {"reason": "internal", "detail": "something broke at the carrier"})


NAMES = {
    "norvia": ("Norvia Post", "NP"),
    "brightmile": ("Brightmile Parcel", "BP"),
    "pontolo": ("Pontolo Points", "PP"),
    "cobaltair": ("Cobaltair Express", "CX"),
}
WISHES = {"norvia": ("wish_collect",), "brightmile": ("wish_other_day", "wish_neighbour", "wish_collect")}
LATIN_ONLY = frozenset({"brightmile", "cobaltair"})


@router.get("/{carrier}/health")
def health(carrier: str) -> dict[str, bool]:
    """Say that the carrier is there."""
    return {"ok": carrier in CARDS}


@router.get("/{carrier}/capabilities")
def capabilities(carrier: str, request: Request) -> dict[str, Any]:
    """Say who the carrier is, what it can do, and what its tracking codes mean."""
    before(world_of(request), carrier)
    name, monogram = NAMES[carrier]
    return {
        "protocol": {"name": "tidewind-carrier", "version": "1.0"},
        "carrier": {"code": carrier, "name": name, "monogram": monogram, "latin_only": carrier in LATIN_ONLY},
        "can": [
            "quote",
            "buy",
            "void",
            "return",
            "track",
            "track_many",
            "subscribe",
            *WISHES.get(carrier, ()),
            *HANDING_OVER.get(carrier, ("pickup", "manifest")),
        ],
        "states": {code: MEANS[stage] for stage, code in CODES[carrier].items()}
        | {code_of(carrier, stage): meant for stage, meant in SELDOM.items()}
        | ({"ready": "awaiting_collection"} if carrier == "pontolo" else {}),
    }


ALL_CAN = ("quote", "buy", "void", "return", "track", "track_many", "subscribe")
HANDING_OVER = {
    "pontolo": ("points",),
    "norvia": ("pickup", "manifest", "packaging"),
    "cobaltair": ("pickup", "manifest", "packaging"),
}
"""What a carrier can do about handing over, where it does not come with a van."""


@router.get("/{carrier}/points")
def points(carrier: str, country: str, postcode: str, request: Request) -> dict[str, Any]:
    """Return shops and lockers, those first whose postcode begins alike."""
    before(world_of(request), carrier)
    known = points_of(carrier)
    if not known or country != "PT":
        raise HTTPException(404, {"reason": "no_points", "detail": "there are no shops or lockers"})
    return {"points": sorted(known, key=lambda point: point["postcode"][:1] != postcode[:1])}


@router.get("/{carrier}/cards")
def offered_cards(carrier: str, request: Request) -> dict[str, Any]:
    """Return the published rate cards, which for a carrier that is asked for prices have none in them."""
    before(world_of(request), carrier)
    folder = resources.files(PUBLISHED)
    names = CARDS[carrier][1:] if carrier != "cobaltair" else ("cobaltair-2026-01",)
    return {"cards": [json.loads(folder.joinpath(f"{name}.json").read_text("utf-8")) for name in names]}


@router.post("/{carrier}/shipments", status_code=201)
def buy(carrier: str, wanted: ShipmentIn, request: Request) -> Any:
    """Sell labels; the header ``Idempotency-Key`` makes a repeated request give the first answer again."""
    world = world_of(request)
    before(world, carrier)
    key = request.headers.get("Idempotency-Key", "")
    if not key:
        raise HTTPException(400, {"reason": "no_key", "detail": "the header Idempotency-Key is missing"})
    if world.take_fault(carrier, "sold_later"):
        with world.work() as db:
            due = (world.now() + timedelta(minutes=LATE_MINUTES)).isoformat()
            later = (key, carrier, wanted.model_dump_json(), due)
            db.execute("insert or ignore into late_sale values (?, ?, ?, ?)", later)
        time.sleep(HANG_SECONDS)
    known = world.rows("select 1 from shipment where key = ?", key)
    if known and world.take_fault(carrier, "repeat_refused"):
        raise HTTPException(422, {"reason": "repeated", "detail": "this request was made before"})
    answer = _sell(world, carrier, key, wanted)
    if world.take_fault(carrier, "timeout_after_work"):
        time.sleep(HANG_SECONDS)
    if world.take_fault(carrier, "duplicate_answer"):
        return JSONResponse({"reason": "already_done", "shipment": answer}, status_code=409)
    return answer


def sell_what_is_late(world: World, carrier: str) -> None:
    """Sell what was asked for and is due only now; what was cancelled meanwhile is not sold, as far as it is honest."""
    lies = world.take_fault(carrier, "not_taken_back") if world.rows("select 1 from late_sale") else False
    for row in world.rows("select * from late_sale where carrier = ? and at <= ?", carrier, world.now().isoformat()):
        with world.work() as db:
            db.execute("delete from late_sale where key = ?", (row["key"],))
            if lies:
                db.execute("delete from closed_key where key = ?", (row["key"],))
        with suppress(HTTPException):
            _sell(world, carrier, row["key"], ShipmentIn.model_validate_json(row["wanted"]))


def _sell(world: World, carrier: str, key: str, wanted: ShipmentIn) -> dict[str, Any]:
    consignment = wanted.read()
    wanted.check_customs()
    with world.work() as db:
        known = db.execute("select body, cancelled from shipment where key = ?", (key,)).fetchone()
        if (known and known["cancelled"]) or db.execute("select 1 from closed_key where key = ?", (key,)).fetchone():
            raise HTTPException(422, {"reason": "cancelled", "detail": "this purchase was cancelled"})
        if known:
            return dict(json.loads(known["body"]))
        now = world.now()
        net, days = _price(carrier, wanted, consignment, now)
        dearer = db.execute("delete from fault where party = ? and kind = 'dearer'", (carrier,)).rowcount
        price = net + (24 if dearer else 0)
        numbers = [number_for(world, db, carrier, wanted.service) for _ in consignment.parcels]
        answer = {
            "key": key,
            "carrier": carrier,
            "price_minor": price,
            "parcels": [{"tracking_number": n, "routing": _routing(carrier, consignment.route)} for n in numbers],
        }
        db.execute("insert into shipment (key, carrier, body) values (?, ?, ?)", (key, carrier, json.dumps(answer)))
        for number in numbers:
            db.execute("insert into parcel values (?, ?, ?, ?, ?)", (number, carrier, key, now.isoformat(), days))
            db.execute("insert into parcel_network values (?, ?)", (number, _network(carrier, wanted.service)))
    return answer


def _network(carrier: str, service: str) -> str:
    return next((s.network for card in cards(carrier) for s in card.services if s.code == service), "")


def _card_for(carrier: str, wanted: QuestionIn, now: datetime) -> CompiledCard:
    today = now.astimezone(ZoneInfo("Europe/Lisbon")).date()
    return _compiled(carrier, today, max(wanted.ship_date, today), wanted.account)


def _price(carrier: str, wanted: ShipmentIn, consignment: Consignment, now: datetime) -> tuple[int, int]:
    compiled = _card_for(carrier, wanted, now)
    if wanted.service not in compiled.services:
        raise HTTPException(422, {"reason": "unknown_service", "detail": f"no service {wanted.service}"})
    quote = compiled.quote(wanted.service, consignment)
    if isinstance(quote, Refused):
        raise HTTPException(422, {"reason": quote.reason, "detail": quote.detail})
    return quote.net, compiled.services[wanted.service].service.transit[quote.zone].days_max


@router.post("/{carrier}/quotes")
def quotes(carrier: str, wanted: QuestionIn, request: Request) -> dict[str, Any]:
    """Tell what each service would cost now, or why it cannot take it; the prices hold for a quarter of an hour."""
    world = world_of(request)
    before(world, carrier)
    compiled = _card_for(carrier, wanted, world.now())
    prices: dict[str, Any] = {}
    refusals: dict[str, str] = {}
    consignment, listed = wanted.read(), CompiledCard(compiled.card, compiled.on)
    for code in compiled.services:
        quote, published = compiled.quote(code, consignment), listed.quote(code, consignment)
        if isinstance(quote, Refused):
            refusals[code] = quote.detail
            continue
        lines = [{"code": ln.code, "name": ln.name, "amount_minor": ln.amount} for ln in quote.lines]
        prices[code] = {
            "lines": lines,
            "tax_minor": quote.tax,
            "billable_g": quote.billable_g,
            "published_minor": quote.net if isinstance(published, Refused) else published.net,
        }
    return {"holds_seconds": QUOTES_HOLD_SECONDS, "prices": prices, "refusals": refusals}


def number_for(world: World, db: Any, carrier: str, service: str) -> str:
    """Return the next tracking number of a carrier's series."""
    if carrier == "norvia":
        indicator = "RR" if service == "np-registered" else "CP"
        return s10_number(indicator, f"{world.next_serial(db, 's10', 47312482):08d}", "PT")
    if carrier == "cobaltair":
        serial = world.next_serial(db, "air", 4170233)
        return f"000{serial:07d}{serial % 7}"  # IATA Resolution 600a: seven digits and the rest of a division by seven
    return sscc("3560000" if carrier == "brightmile" else "3560100", world.next_serial(db, f"sscc-{carrier}", 1))


def _routing(carrier: str, to: Route) -> str:
    plain = "".join(ch for ch in to.postcode.upper() if ch.isalnum())
    return f"{to.country}-{plain[:4]}" if carrier == "norvia" else f"{to.country}{plain[:2]}·{plain[2:4]}"


@router.get("/{carrier}/shipments/{key}")
def by_key(carrier: str, key: str, request: Request) -> dict[str, Any]:
    """Tell what became of a purchase with this key; 404 where nothing was ever sold for it."""
    world = world_of(request)
    before(world, carrier)
    sell_what_is_late(world, carrier)
    found = world.rows("select body from shipment where key = ? and carrier = ? and not cancelled", key, carrier)
    if not found:
        raise HTTPException(404, {"reason": "unknown_key", "detail": "nothing was sold for this key"})
    return dict(json.loads(found[0]["body"]))


@router.post("/{carrier}/shipments/{key}/cancel")
def cancel(carrier: str, key: str, request: Request) -> dict[str, bool]:
    """Take a key back: what was sold under it is cancelled, and nothing will be; asking twice changes nothing."""
    world = world_of(request)
    before(world, carrier)
    sell_what_is_late(world, carrier)
    with world.work() as db:
        db.execute("update shipment set cancelled = 1 where key = ? and carrier = ?", (key, carrier))
        db.execute("insert or ignore into closed_key values (?)", (key,))
    return {"cancelled": True}


@router.get("/{carrier}/book")
def book(carrier: str, request: Request) -> list[dict[str, Any]]:
    """Return everything this carrier has sold, to compare with the shop's ledger."""
    return world_of(request).book(carrier)
