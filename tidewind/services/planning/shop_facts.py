"""Load everything outside an order that a plan depends on: cards, packaging, layers, lists."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from typing import Any, NamedTuple
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from sqlalchemy.orm import Session, defer

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.gazetteer import shipped
from tidewind.core.calendar import is_holiday
from tidewind.core.choosing import Policy, Values
from tidewind.core.insuring import OpenCover
from tidewind.core.layers import Recipe
from tidewind.core.order_facts import Carrier, DatedCards, Precedent, Shop
from tidewind.core.pickups.asked import Window, leaves_by
from tidewind.core.pickups.points import reach
from tidewind.core.quantities import speak_in
from tidewind.core.rules.rule import Rule
from tidewind.core.rules.written import BadRules, read_rules
from tidewind.core.screening import Listed, Screen
from tidewind.core.states.departures import DepartureState
from tidewind.core.states.pickups import PickupState
from tidewind.core.tariffs.card import RateCard, card_in_force, day_kind
from tidewind.core.tariffs.contracts import PUBLISHED, Contract
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.reading import BadCard
from tidewind.core.tariffs.written import read_card
from tidewind.db.tables import (
    CarrierRow,
    Departure,
    DropOffPointRow,
    PackagingRow,
    Pickup,
    Place,
    PrecedentRow,
    PromiseLink,
    RateCardRow,
    RecipeRow,
    RestrictedParty,
    RuleSet,
)
from tidewind.db.tables import Shop as ShopRow
from tidewind.services.base import Conflict, Invalid
from tidewind.services.planning.border_book import customs_book
from tidewind.services.planning.price_answers import answers_of
from tidewind.services.planning.punctuality import own_record

_Version = tuple[int, date | None]
"""A version of a card: its row, and its end, which moves when another version is brought in behind it."""
_cards: dict[_Version, RateCard] = {}
_rules: dict[int, tuple[Rule, ...]] = {}
_by_kind: dict[tuple[object, ...], CompiledCard] = {}
KEPT_VERSIONS, MOST_KINDS = 20, 256
_screens: dict[tuple[int, int], Screen] = {}


def forget_kept() -> None:
    """Forget cards and rules kept in memory: in another database the ids of rows stand for others."""
    _cards.clear()
    _rules.clear()
    _screens.clear()
    _compiled.cache_clear()
    _by_kind.clear()


def shop_settings(session: Session) -> ShopRow:
    """Return the shop's settings.  Raises Conflict before the shop is set up."""
    row = session.get(ShopRow, 1)
    if row is None:
        raise Conflict("no_shop", "The shop is not set up yet. Open the start page and do that first.")
    session.info["shop"] = row  # a session forgets what nobody holds, and would read it again at each question
    speak_in(row.units)  # whoever has words to say about an order has read the shop first
    return row


def _version(row: RateCardRow) -> _Version:
    """Read a version of a rate card, once, and return the key it is kept by; but for their end they never change."""
    key = (row.id, row.valid_until)
    if key not in _cards:
        card = read_card(row.body)
        if isinstance(card, BadCard):
            raise Invalid("bad_card", f"Rate card {row.id} cannot be used: {card.errors[0]}")
        _cards[key] = card
    return key


@lru_cache(maxsize=512)
def _compiled(
    versions: tuple[_Version, ...], today: date, contracts: tuple[Contract, ...], ship_date: date
) -> CompiledCard | None:
    """Return the card for what is bought today and leaves on a day; days that price alike share one."""
    card = card_in_force(tuple(_cards[version] for version in versions), today, ship_date)
    if card is None:
        return None
    on = ship_date if card.priced_by_ship_date else today
    key = (id(card), day_kind(card, on), contracts)
    if key not in _by_kind:
        if len(_by_kind) > MOST_KINDS:
            _by_kind.clear()
        _by_kind[key] = CompiledCard(card, on, contracts)
    return _by_kind[key]


def _dated(versions: tuple[_Version, ...], today: date) -> DatedCards | None:
    """Return what gives a carrier's cards by ship date; None where none of its versions asks for it."""
    if not any(_cards[version].priced_by_ship_date for version in versions):
        return None
    return lambda day, contracts: _compiled(versions, today, contracts, day)


def contracts_of(row: CarrierRow) -> tuple[Contract, ...]:
    """Return the active accounts with a carrier, in their order."""
    return tuple(
        Contract(a.number, tuple(sorted(a.discounts_bp.items())), frozenset(a.services_off))
        for a in row.accounts
        if a.active
    )


def carriers_in_force(session: Session, today: date, now: datetime | None = None) -> tuple[Carrier, ...]:
    """Return the active carriers with their cards compiled for ``today``; unchanged cards stay in memory.

    Services that no account uses are left out.  Given ``now``, carriers that are asked bring what they have answered.
    """
    # What a version says is long, and is read once: see ``_version``.
    rows = session.scalars(select(RateCardRow).options(defer(RateCardRow.body)).order_by(RateCardRow.id)).all()
    leaving = _leaving(session, today)
    found = []
    for carrier in session.scalars(select(CarrierRow).where(CarrierRow.active).order_by(CarrierRow.id)):
        mine, contracts = tuple(_version(row) for row in rows if row.carrier_id == carrier.id), contracts_of(carrier)
        own, published = _compiled(mine, today, contracts, today), _compiled(mine, today, PUBLISHED, today)
        if own and published and contracts:
            answers = answers_of(session, carrier.code, now, today) if carrier.asks_prices and now else own.answers
            dated = _dated(mine, today)
            gone, starts, closings = leaving.get(carrier.code, _Leaving())
            sooner = (*_by_vans(own.card, starts), *_by_counters(own.card, closings))
            answered = own.with_answers(answers)
            found.append(Carrier(carrier.code, carrier.name, answered, published, dated, tuple(gone), sooner))
    return tuple(found)


class _Leaving(NamedTuple):
    """Of a carrier's networks from today on: which take nothing more, when booked vans come, when counters close."""

    gone: list[tuple[str, date]] = []  # noqa: RUF012 - never changed: each carrier's is made anew
    starts: list[tuple[str, date, time]] = []  # noqa: RUF012
    closings: list[tuple[str, date, time]] = []  # noqa: RUF012


def _leaving(session: Session, today: date) -> dict[str, _Leaving]:
    booked = (Pickup.departure_id == Departure.id) & Pickup.state.in_(PickupState.AT_THE_CARRIER)
    query = (
        select(Departure.carrier, Departure.network, Departure.day, Departure.state, Pickup.start, DropOffPointRow)
        .outerjoin(Pickup, booked)
        .outerjoin(DropOffPointRow, DropOffPointRow.id == Departure.point_id)
        .where(Departure.day >= today - timedelta(days=1))  # where a truck starts it may be yesterday still
        .order_by(Departure.id)
    )
    found: dict[str, _Leaving] = {}
    for code, network, day, state, start, point in session.execute(query):
        mine = found.setdefault(code, _Leaving([], [], []))
        reached = reach(point.point, None, day, is_holiday(day, point.country), None) if point and not start else None
        if state != DepartureState.OPEN or (reached and reached.refused):
            mine.gone.append((network, day))
        elif reached and reached.closes:
            mine.closings.append((network, day, reached.closes))
        elif start is not None:
            mine.starts.append((network, day, start))
    return found


def _by_vans(card: RateCard, starts: Sequence[tuple[str, date, time]]) -> list[tuple[str, date, time]]:
    """Return until when labels go along with booked vans."""
    networks = {n.id: n for n in card.networks if n.pickup}
    return [
        (network, day, leaves_by(networks[network].cutoff, Window(at, at), rules))
        for network, day, at in starts
        if network in networks and (rules := networks[network].pickup)
    ]


def _by_counters(card: RateCard, closings: Sequence[tuple[str, date, time]]) -> list[tuple[str, date, time]]:
    """Return until when labels go along that are brought to a counter."""
    cutoffs = {n.id: n.cutoff for n in card.networks}
    return [(network, day, min(at, cutoffs[network])) for network, day, at in closings if network in cutoffs]


def rules_in_force(session: Session) -> tuple[Rule, ...]:
    """Return the newest version of the rules; no rules before the first."""
    return rules_of(session, session.scalar(select(func.max(RuleSet.id))) or 0)


def rules_of(session: Session, version: int) -> tuple[Rule, ...]:
    """Return a version of the rules, which never changes and is kept in memory; none for version 0."""
    known = _rules.get(version)
    if known is None:
        read = read_rules(session.get_one(RuleSet, version).rules) if version else ()
        if isinstance(read, BadRules):
            raise Invalid("bad_rules", f"The stored rules cannot be used: {read.errors[0]}")
        if len(_rules) >= KEPT_VERSIONS:
            _rules.clear()
        known = _rules[version] = read
    return known


def recipes_of(session: Session) -> dict[str, Recipe]:
    """Return the shop's recipes by code."""
    rows = session.scalars(select(RecipeRow).order_by(RecipeRow.name))
    return {r.code: Recipe(r.code, r.name, r.service, r.packaging, frozenset(r.extras)) for r in rows}


def screen_of(session: Session) -> Screen | None:
    """Return the lists of restricted parties ready for matching; kept in memory until a list changes."""
    stamp = session.execute(select(func.count(RestrictedParty.id), func.coalesce(func.max(RestrictedParty.id), 0)))
    count, newest = stamp.one()
    if not count:
        return None
    if (count, newest) not in _screens:
        rows = session.scalars(select(RestrictedParty).order_by(RestrictedParty.id))
        _screens.clear()
        listed = [Listed(r.key, tuple(r.names), r.country, r.source, tuple(r.addresses)) for r in rows]
        _screens[count, newest] = Screen(listed)
    return _screens[count, newest]


def core_shop(session: Session, now: datetime, rules: tuple[Rule, ...] | None = None) -> Shop:
    """Return everything outside an order that a plan depends on; ``rules`` stand in for those in force."""
    row = shop_settings(session)
    boxes = session.scalars(select(PackagingRow).where(PackagingRow.active).order_by(PackagingRow.code))
    zone = ZoneInfo(row.time_zone)
    place = session.execute(select(Place.address, Place.name).where(Place.is_default)).one_or_none()
    origin, name = place or (Address(country="PT"), "")
    links = session.scalars(select(PromiseLink))
    return Shop(
        packagings=tuple(box.to_core() for box in boxes),
        carriers=carriers_in_force(session, row.day_of(now), now),
        policy=Policy(row.policy),
        values=Values(row.day_value_minor, row.late_value_minor),
        now=now,
        currency=row.currency,
        origin=origin,
        place=name,
        time_zone=zone,
        recipes=recipes_of(session),
        promise_links={link.promise: link.recipe for link in links},
        precedents=_precedents(session) if row.use_precedents else {},
        rules=rules_in_force(session) if rules is None else rules,
        group_services=row.group_services,
        packaging_by_weight=row.packaging_by_weight,
        screen=screen_of(session),
        gazetteer=shipped(),
        record=own_record(session, now, row.time_zone),
        ranking=tuple(row.ranking),
        approve_over=row.approve_over_minor,
        approve_services=frozenset(row.approve_services),
        cover=cover_of(row),
        closed=closed_days(row),
        customs=customs_book(session, row),
    )


def closed_days(row: ShopRow) -> tuple[tuple[date, date], ...]:
    """Return the stretches of days on which nobody hands anything over, first and last of each."""
    return tuple((date.fromisoformat(days["first"]), date.fromisoformat(days["last"])) for days in row.closed)


def cover_of(row: ShopRow) -> OpenCover | None:
    """Return the terms of the shop's open policy with an insurer, None where it has none."""
    if not row.cover:
        return None
    return OpenCover(**{**row.cover, "not_covered": frozenset(row.cover["not_covered"]), "currency": row.currency})


def _precedents(session: Session) -> dict[Any, Precedent]:
    rows = session.scalars(select(PrecedentRow))
    return {(r.basket, r.destination): Precedent(r.hand, r.order_number) for r in rows}


def shop_day(session: Session, moment: datetime) -> date:
    """Return the day on which a moment (aware) lies in the shop, whatever the server's or UTC's is.

    Everything that counts days goes by it, but for a truck's: its day is its timetable's (shop policy).
    """
    return shop_settings(session).day_of(moment)
