"""What went out before today: shipped orders of the last 90 days with their parcels, events and costs, by a seed."""

from __future__ import annotations

import random
import secrets
import unicodedata
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import UTC, date, datetime, time, timedelta
from itertools import count
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import insert, select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core import ledger
from tidewind.core.addresses.check import Address
from tidewind.core.calendar import add_working_days, is_working_day
from tidewind.core.codes import s10_number, sscc
from tidewind.core.destinations import destination_group
from tidewind.core.options import Option
from tidewind.core.order_facts import OrderFacts, Shop
from tidewind.core.plan import Plan
from tidewind.core.planning import plan
from tidewind.core.stored import NO_HAND
from tidewind.core.tracking.folding import Heard, fold, together
from tidewind.core.tracking.states import FINAL, TrackingState, meaning_of
from tidewind.db.bulk import write_rows
from tidewind.db.tables import (
    Batch,
    Channel,
    Departure,
    Label,
    LedgerEntry,
    LedgerLine,
    Order,
    OrderLine,
    Person,
    Product,
    Shipment,
    TrackingEvent,
)
from tidewind.demo.under_way import COMES_BACK, Scan, UnderWay
from tidewind.services.handover import cutoff_at
from tidewind.services.orders import recipient_key, search_text
from tidewind.services.planning import (
    carriers_in_force,
    core_shop,
    default_place,
    line_facts,
    stored_parcel,
    stored_plan,
    stored_quote,
)

DAYS, SETTLED = 90, 12
"""How far back it goes, and how old the youngest is: by then everything has been delivered."""
LISBON = ZoneInfo("Europe/Lisbon")
FIRST = ("Aida", "Bento", "Célia", "Duarte", "Elsa", "Filipe", "Glória", "Horácio", "Irene", "Júlio", "Lídia", "Mateus",
         "Noémia", "Óscar", "Palmira", "Rogério", "Salomé", "Telmo", "Urbano", "Zélia")  # fmt: skip
LAST = ("Abrantes", "Barreto", "Caldeira", "Dornelas", "Esteves", "Fontoura", "Gouveia", "Henriques", "Lacerda", "Moniz",
        "Nogueira", "Paixão", "Queirós", "Rebelo", "Serpa", "Teixeira", "Vilhena")  # fmt: skip
STREETS = ("Rua do Tanque", "Rua das Amoreiras", "Largo do Chafariz", "Travessa do Forno", "Rua Nova da Eira")
TOWNS = (
    ("Viseu", "3500-108", "PT", 9), ("Porto", "4100-320", "PT", 12), ("Lisboa", "1170-012", "PT", 12),
    ("Coimbra", "3000-213", "PT", 7), ("Aveiro", "3800-001", "PT", 5), ("Évora", "7000-503", "PT", 4),
    ("Funchal", "9050-012", "PT", 2), ("Ponta Delgada", "9500-321", "PT", 2), ("Salamanca", "37001", "ES", 5),
    ("Lyon", "69003", "FR", 4), ("Köln", "50667", "DE", 4), ("Utrecht", "3511 BL", "NL", 3), ("Hereford", "HR1 2PX", "GB", 2),
)  # fmt: skip
PROMISES = (("Standard home, 3–5 days", 5), ("Express next day", 1), ("Economy", 8))
LATE_PERCENT = {"bp-road": 3, "bp-night": 2, "bp-sea": 9, "np-economy": 8, "np-parcel": 5, "np-letter": 7}
STAGES = (
    ("announced", "Announced by the sender"),
    ("accepted", "Taken over from the sender"),
    ("moving", "Sorted and on its way"),
    ("out_for_delivery", "With the driver"),
    ("delivered", "Delivered"),
)


@dataclass(frozen=True, slots=True)
class _Sent:
    """One order as it went: what was ordered, its plan and the option taken."""

    number: str
    at: datetime
    facts: OrderFacts
    lines: Sequence[tuple[Product, int]]
    made: Plan
    option: Option
    paid: int


def load_history(
    sessions: sessionmaker[Session],
    now: datetime,
    days: int = DAYS,
    most_a_day: int = 56,
    standins_url: str = "",
    between_days: Callable[[], None] = lambda: None,
) -> int:
    """Load shipped orders day by day, the same ones for the same day, unless they are there; return how many.

    All of them or none: a load that is cut off, as ``between_days`` may by raising, is begun anew.  With the stand-ins' address the days go up to
    yesterday, and their carriers are told of what is on its way still.
    """
    under_way = UnderWay(now)
    chance = random.Random(20_260_823)
    numbers, serials = count(14_000), count(1)
    made = 0
    today = now.astimezone(LISBON).date()
    with sessions.begin() as session:
        if session.scalar(select(Order.id).where(Order.number.startswith("LL-14")).limit(1)):
            return 0
        for back in range(days, 0 if standins_url else SETTLED - 1, -1):
            day = today - timedelta(days=back)
            if not is_working_day(day, "PT"):
                continue
            between_days()
            many = chance.randint(most_a_day // 2, most_a_day)
            made += _one_day(session, _Day(chance, day, back, numbers, serials, under_way), many)
            session.flush()
            session.expunge_all()  # else every day would carry the days before it
        if standins_url:
            under_way.tell(standins_url)
    return made


@dataclass(frozen=True, slots=True)
class _Day:
    """A day of the history, ``back`` days ago, and what runs on from one day to the next."""

    chance: random.Random
    day: date
    back: int
    numbers: count[int]
    serials: count[int]
    under_way: UnderWay


def _one_day(session: Session, when: _Day, many: int) -> int:
    chance, day = when.chance, when.day
    at = datetime.combine(day, time(10), LISBON).astimezone(UTC)
    shop = core_shop(session, at)
    shop = replace(shop, rules=(), screen=None, carriers=carriers_in_force(session, day))
    products = session.scalars(select(Product).where(Product.weight_g.is_not(None), Product.length_mm.is_not(None)))
    goods = sorted(products, key=lambda p: p.sku)
    sent = [s for s in (_order(chance, at, shop, goods, f"LL-{next(when.numbers)}") for _ in range(many)) if s]
    today = when.under_way.now.astimezone(LISBON).date()
    sent = [s for s in sent if _leaves(s) < today]  # what has not left yet is no history
    if sent:
        _store(session, sent, shop, when)
    return len(sent)


def _order(chance: random.Random, at: datetime, shop: Shop, goods: Sequence[Product], number: str) -> _Sent | None:
    city, postcode, country, _ = chance.choices(TOWNS, [t[3] for t in TOWNS])[0]
    name = f"{chance.choice(FIRST)} {chance.choice(LAST)}"
    street = f"{chance.choice(STREETS)} {chance.randint(1, 140)}"
    lines = [(p, chance.choice((1, 1, 1, 2, 3))) for p in chance.sample(goods, chance.choice((1, 1, 2, 3)))]
    promise, within = chance.choices(PROMISES, (7, 1, 3))[0]
    ordered = at - timedelta(hours=chance.randint(1, 20))
    facts = OrderFacts(
        tuple(line_facts(str(n), p.sku, p.name, many, None, p.value_minor, p) for n, (p, many) in enumerate(lines)),
        Address(name=name, street=street, city=city, postcode=postcode, country=country, email=_mail(name)),
        home=chance.random() < 0.85,
        promise=add_working_days(at.date(), within, "PT"),
        channel="larkspur",
        promise_text=promise,
        ordered_at=ordered,
    )
    made = plan(facts, shop)
    if made.stopped or made.chosen is None or made.chosen.quote is None or made.chosen.arrival is None:
        return None
    paid = chance.choice((390, 490, 590)) if country == "PT" else chance.choice((990, 1_490))
    return _Sent(number, ordered, facts, lines, made, made.chosen, paid)


def _mail(name: str) -> str:
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return f"{plain.replace(' ', '.')}@buyers.example"


def _batch_of(session: Session, day: date, noon: datetime) -> int:
    person = session.scalars(select(Person.id).order_by(Person.id)).first()
    return session.scalars(
        insert(Batch)
        .values(
            client_key=f"history-{day}",
            person_id=person,
            name=f"{day:%A} {day.day} {day:%B}",
            created_at=noon,
            asked_at=noon,
            state="archived",
        )
        .returning(Batch.id)
    ).one()


def _store(session: Session, sent: Sequence[_Sent], shop: Shop, when: _Day) -> None:
    day = when.day
    channel = session.scalars(select(Channel.id).where(Channel.code == "larkspur")).one()
    noon = datetime.combine(day, time(11, 30), LISBON).astimezone(UTC)
    batch = _batch_of(session, day, noon)
    ids = _insert(session, Order, [_order_row(s, channel, noon, shop.origin) for s in sent])
    session.execute(insert(OrderLine), [
        {"order_id": order_id, "position": n, "sku": p.sku, "name": p.name, "quantity": many, "sent": 0,
         "unit_price_minor": p.value_minor, "weight_g": None}
        for order_id, s in zip(ids, sent, strict=True) for n, (p, many) in enumerate(s.lines, 1)
    ])  # fmt: skip
    departures = _departures(session, sent, shop)
    shipments = _insert(
        session,
        Shipment,
        [_shipment_row(order_id, s, batch, noon, session) for order_id, s in zip(ids, sent, strict=True)],
    )
    newest = [{"id": o, "newest_shipment_id": s} for o, s in zip(ids, shipments, strict=True)]
    write_rows(session, Order, ["newest_shipment_id"], newest)
    parcels = [(shipment, s, n, p) for shipment, s in zip(shipments, sent, strict=True)
               for n, p in enumerate(s.option.parcels, 1)]  # fmt: skip
    numbers = [_number(s.option.carrier, next(when.serials)) for _, s, _, _ in parcels]
    scans = [_scans(s, number, when) for (_, s, _, _), number in zip(parcels, numbers, strict=True)]
    standings = [fold(Heard(scan.at, *meaning_of(scan.state)[:1], spot=scan.spot) for scan in seen) for seen in scans]
    labels = _insert(session, Label, [
        {"shipment_id": shipment, "parcel_no": n, "parcel": stored_parcel(p), "gross_g": p.gross_g,
         "tracking_number": number, "printed_at": noon, "handed_over_at": noon,
         "departure_id": departures[s.option.carrier, s.option.network, _leaves(s)],
         "tracking_state": stood.state, "tracking_since": stood.since,
         "tracking_reason": meaning_of(seen[-1].state)[1] if stood.state is TrackingState.PROBLEM else "",
         "last_event_at": stood.last.at if stood.last else None}
        for (shipment, s, n, p), number, seen, stood in zip(parcels, numbers, scans, standings, strict=True)
    ])  # fmt: skip
    session.execute(
        insert(TrackingEvent), [row for i, seen in zip(labels, scans, strict=True) for row in _event_rows(i, seen)]
    )
    _stand(session, {shipment for shipment, *_ in parcels}, when.under_way.now)
    _post(session, [(s, shipment) for s, shipment in zip(sent, shipments, strict=True)], noon, day)


def _insert(session: Session, table: Any, rows: list[dict[str, Any]]) -> list[int]:
    return list(session.scalars(insert(table).returning(table.id, sort_by_parameter_order=True), rows))


def _leaves(sent: _Sent) -> date:
    if sent.option.arrival is None:
        raise ValueError(f"{sent.number} has no arrival")
    return sent.option.arrival.ship_date


def _order_row(s: _Sent, channel: int, at: datetime, home: Address) -> dict[str, Any]:
    option = s.option
    quote, arrival = option.quote, option.arrival
    made = stored_plan(s.made, option)
    return {
        "channel_id": channel,
        "number": s.number,
        "state": "shipped",
        "ordered_at": s.at,
        "address": s.facts.address,
        "imported": {"address": asdict(s.facts.address)},
        "home": s.facts.home,
        "promise": s.facts.promise_text,
        "promise_date": s.facts.promise,
        "paid_shipping_minor": s.paid,
        "plan": made,
        "plan_version": 1,
        "carrier": option.carrier,
        "service": option.service,
        "network": option.network,
        "price_minor": quote.net if quote else None,
        "ship_date": arrival.ship_date if arrival else None,
        "arrives": arrival.latest if arrival else None,
        "parcel_count": len(option.parcels),
        "planned_at": at,
        "basket": s.facts.basket,
        "destination": destination_group(s.facts.address, home),
        "recipient_key": recipient_key(s.facts.address),
        "hand": NO_HAND,
        "tags": [],
        "plan_tags": [],
        "cleared": [],
        "search": search_text(s.number, s.facts.address, [f"{p.name} {p.sku}" for p, _ in s.lines]),
    }


def _departures(session: Session, sent: Sequence[_Sent], shop: Shop) -> dict[tuple[str, str, date], int]:
    place = default_place(session).id
    carriers = {c.code: c for c in shop.carriers}
    found: dict[tuple[str, str, date], int] = {}
    for key in sorted({(s.option.carrier, s.option.network, _leaves(s)) for s in sent}):
        carrier, network, day = key
        known = select(Departure.id).where(
            Departure.carrier == carrier,
            Departure.network == network,
            Departure.day == day,
            Departure.place_id == place,
        )
        made = (
            insert(Departure)
            .values(
                carrier=carrier,
                network=network,
                place_id=place,
                day=day,
                state="handed_over",
                handed_over_at=cutoff_at(carriers[carrier], network, day),
                cutoff_at=cutoff_at(carriers[carrier], network, day),
            )
            .returning(Departure.id)
        )
        found[key] = session.scalar(known) or session.scalars(made).one()
    return found


def _shipment_row(order_id: int, s: _Sent, batch: int, at: datetime, session: Session) -> dict[str, Any]:
    option = s.option
    return {
        "order_id": order_id,
        "batch_id": batch,
        "state": "bought",
        "idempotency_key": f"history-{s.number}",
        "carrier": option.carrier,
        "service": option.service,
        "service_name": option.name,
        "price_minor": option.quote.net if option.quote else 0,
        "quote": stored_quote(option),
        "sender": default_place(session).address,
        "address": s.facts.address,
        "extras": [],
        "ship_date": _leaves(s),
        "arrives": option.arrival.latest if option.arrival else None,
        "asked_at": at,
        "bought_at": at,
        "tracking_key": secrets.token_urlsafe(24),
        "tracking_state": "delivered",
        "next_look_at": None,
    }


def _stand(session: Session, shipments: set[int], now: datetime) -> None:
    """Let shipments stand as their parcels do; those that are not there yet are looked at soon."""
    states: dict[int, list[TrackingState]] = {}
    for shipment, state in session.execute(
        select(Label.shipment_id, Label.tracking_state).where(Label.shipment_id.in_(shipments))
    ):
        states.setdefault(shipment, []).append(TrackingState(state))
    rows = [
        {"id": one, "tracking_state": together(all_), "next_look_at": None if FINAL.issuperset(all_) else now}
        for one, all_ in states.items()
    ]
    write_rows(session, Shipment, ["tracking_state", "next_look_at"], rows)


def _number(carrier: str, serial: int) -> str:
    return (
        s10_number("CP", f"{21_000_000 + serial:08d}", "PT")
        if carrier == "norvia"
        else sscc("3560000", 700_000 + serial)
    )


def _scans(s: _Sent, number: str, when: _Day) -> list[Scan]:
    """Return what was scanned of a parcel up to now; of one that is on its way still, its carrier is told the rest."""
    usual = _usual(s, when.chance)
    if when.back <= COMES_BACK:
        price = s.option.quote.net if s.option.quote else 0
        when.under_way.sold(s.option.carrier, number, f"history-{s.number}", price)
    if when.back >= SETTLED or not usual:
        return usual
    to = s.facts.address
    promised = s.option.arrival.latest if s.option.arrival else when.day
    scans = when.under_way.befalls(usual, when.back, promised, to.country)
    when.under_way.note(s.option.carrier, number, scans)
    return [scan for scan in scans if scan.at <= when.under_way.now]


def _usual(s: _Sent, chance: random.Random) -> list[Scan]:
    """The way of one parcel: now and then a day or two late, by the service's habit, and never on a day off."""
    arrival = s.option.arrival
    if arrival is None:
        return []
    to, days = s.facts.address, 0
    if chance.randrange(100) < LATE_PERCENT.get(s.option.service, 5):
        days = chance.choice((1, 1, 2))
    early = chance.random() < 0.5 and not days
    end = add_working_days(arrival.earliest if early else arrival.latest, days, to.country)
    left = datetime.combine(arrival.ship_date, time(18, 40), LISBON)
    there = datetime.combine(end, time(chance.randint(9, 17), chance.randrange(60)), LISBON)
    times = (left - timedelta(hours=7), left, left + timedelta(hours=5), there - timedelta(hours=2), there)
    spots = ("Braga", "Braga", "Porto", to.city, to.city)
    return [
        Scan(at.astimezone(UTC), state, words, spot)
        for at, (state, words), spot in zip(times, STAGES, spots, strict=True)
    ]


def _event_rows(label: int, scans: Sequence[Scan]) -> list[dict[str, Any]]:
    rows = []
    for scan in scans:
        state, reason = meaning_of(scan.state)
        rows.append({"label_id": label, "at": scan.at, "state": state, "reason": reason, "words": scan.words,
                     "spot": scan.spot})  # fmt: skip
    return rows


def _post(session: Session, bought: Sequence[tuple[_Sent, int]], at: datetime, day: date) -> None:
    """Write the books of a day: a top-up of what its labels cost, then a hold and a charge for each."""
    total = sum(s.option.quote.net for s, _ in bought if s.option.quote)
    moves: list[tuple[str, int, str, str, int | None]] = [("top_up", total, f"history:{day}", "Top-up", None)]
    for s, shipment in bought:
        net = s.option.quote.net if s.option.quote else 0
        reason = f"Order {s.number}, {s.option.name}"
        moves += [(kind, net, f"{kind}:history-{s.number}", reason, shipment) for kind in ("hold", "charge")]
    entries = _insert(
        session,
        LedgerEntry,
        [
            {"key": key, "at": at, "kind": kind, "reason": reason, "shipment_id": shipment}
            for kind, _, key, reason, shipment in moves
        ],
    )
    session.execute(
        insert(LedgerLine),
        [
            {"entry_id": entry, "account": account, "amount_minor": amount}
            for entry, (kind, sum_, *_) in zip(entries, moves, strict=True)
            for account, amount in ledger.entry(kind, sum_).postings
        ],
    )
