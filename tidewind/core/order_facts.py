"""An order, and the shop around it, as planning sees them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, time
from zoneinfo import ZoneInfo

from tidewind.core.addresses.check import Address, is_po_box
from tidewind.core.addresses.gazetteer import Gazetteer
from tidewind.core.calendar import Arrival, Closed, Timetable, working_day_after
from tidewind.core.channel_changes import ChannelChange
from tidewind.core.choosing import Policy, Values
from tidewind.core.customs.said import CustomsSaid
from tidewind.core.customs.tables import CustomsBook
from tidewind.core.destinations import Group, crosses_customs, destination_group
from tidewind.core.frozen import frozen
from tidewind.core.insuring import OpenCover
from tidewind.core.layers import Recipe
from tidewind.core.order_limits import MOST_MINOR
from tidewind.core.packing import Packaging, PackedParcel
from tidewind.core.punctuality import Record, lateness
from tidewind.core.quantities import money_text
from tidewind.core.rules.facts import WEEKDAYS, Value
from tidewind.core.rules.rule import Rule, Split, turns_of
from tidewind.core.screening import Screen
from tidewind.core.subdivisions import working_place
from tidewind.core.tariffs.contracts import PUBLISHED, Contract
from tidewind.core.tariffs.engine import CompiledCard

_NOTHING: frozenset[str] = frozenset()
_ANYWHERE, _UTC = Address(country="PT"), ZoneInfo("UTC")
EARLY = datetime(2000, 1, 1, tzinfo=UTC)


@frozen
class LineFacts:
    """One order line as planning sees it; weight and sides are None where nobody has said them yet.

    ``quantity`` is what is still to be sent.
    """

    id: str
    sku: str
    name: str
    quantity: int
    weight_g: int | None
    sides: tuple[int, int, int] | None
    value: int = 0
    upright: bool = False
    own_box: bool = False
    no_weekend: bool = False
    not_stackable: bool = False
    contents: frozenset[str] = frozenset()
    tags: frozenset[str] = frozenset()
    customs_text: str = ""
    hs_code: str = ""
    origin: str = ""
    recipe: str = ""


@dataclass(frozen=True, slots=True)
class HandParcel:
    """A parcel put together by hand: its packaging (None: the smallest that takes it) and (line, pieces)."""

    contents: tuple[tuple[str, int], ...]
    packaging: str | None = None


@dataclass(frozen=True, slots=True)
class BillTo:
    """An account with the carrier that is not ours, and whose it is: the recipient's, or a third party's."""

    who: str = ""
    account: str = ""


@dataclass(frozen=True, slots=True)
class Worth:
    """What goods are worth in the shop's currency; it was said of goods that cost this much in that currency alone."""

    minor: int
    goods_minor: int
    currency: str


def at_same_rate(said: Worth, goods_minor: int) -> Worth | None:
    """Return what other goods of the same currency are worth at the rate of what was said of some (half up).

    None where it is not known: one of the two has no price, or it is more than can be kept.
    """
    if not said.goods_minor or not goods_minor:
        return None
    minor = (2 * said.minor * goods_minor + said.goods_minor) // (2 * said.goods_minor)
    return Worth(minor, goods_minor, said.currency) if minor <= MOST_MINOR else None


@frozen
class Hand:
    """What a person set for this order; None where nothing was set.

    ``approved`` says by whom, ``approved_for`` for which reasons (none: an approval of a version that kept none) and
    ``approved_minor`` up to which price, in minor units.  ``weights_g`` are what a scale said of the shop's own
    parcels, one by one; they count as long as there are as many of them.  ``worth`` is what the goods of an order in
    another currency are worth in the shop's.
    """

    packaging: str | None = None
    service: str | None = None
    extras: frozenset[str] | None = None
    ship_date: date | None = None
    parcels: tuple[HandParcel, ...] = ()
    split: Split | None = None
    desk: str | None = None
    approved: str = ""
    approved_for: tuple[str, ...] = ()
    approved_minor: int | None = None
    released: bool = False
    account: str = ""
    point: str = ""
    bill_to: BillTo | None = None
    not_stackable: bool = False
    weights_g: tuple[int, ...] = ()
    customs: CustomsSaid | None = None
    worth: Worth | None = None

    def approves(self, reason: str) -> bool:
        """Tell whether somebody has approved the order for a reason."""
        return bool(self.approved) and (not self.approved_for or reason in self.approved_for)


@frozen
class OrderFacts:
    """An order as planning sees it.

    ``contents`` is what the goods hold that carriers ask about, ``value`` what they are worth in minor units, and
    ``po_box`` whether the address is a post-office box; ``basket`` is a hash over what was bought and how many, the
    same for identical baskets.  All four follow from the rest.

    Lines and ``paid_shipping`` are in ``currency``, empty for the shop's.  Nothing is converted: in another one
    ``value``, always in the shop's, is what a person said; until then it is not known, and ``asks_worth``.
    """

    lines: tuple[LineFacts, ...]
    address: Address
    home: bool = True
    promise: date | None = None
    hand: Hand = Hand()
    channel: str = ""
    promise_text: str = ""
    sold_as: str = ""
    payment: str = "paid"
    note: str = ""
    tags: frozenset[str] = frozenset()
    ordered_at: datetime = EARLY
    paid_shipping: int = 0
    billing_name: str = ""
    cleared: frozenset[str] = frozenset()
    channel_change: ChannelChange | None = None
    point: str = ""
    batch: Hand = Hand()
    batch_name: str = ""
    sender: Address | None = None
    currency: str = ""

    contents: frozenset[str] = field(init=False, compare=False, repr=False)
    value: int = field(init=False, compare=False, repr=False)
    po_box: bool = field(init=False, compare=False, repr=False)
    basket: str = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        """Work out what several layers ask for."""
        found = [line.contents for line in self.lines if line.contents]
        object.__setattr__(self, "contents", frozenset().union(*found) if found else _NOTHING)
        object.__setattr__(self, "value", self._value())
        object.__setattr__(self, "po_box", is_po_box(self.address))
        object.__setattr__(self, "basket", self._basket())

    @property
    def goods_minor(self) -> int:
        """What the goods cost, in minor units of the order's own currency."""
        return sum([line.value * line.quantity for line in self.lines])

    @property
    def asks_worth(self) -> bool:
        """Whether nobody has said yet what these goods are worth in the shop's currency."""
        said = self.hand.worth
        now = self.goods_minor, self.currency
        return bool(self.currency) and (said is None or (said.goods_minor, said.currency) != now)

    def _value(self) -> int:
        if not self.currency:
            return self.goods_minor
        return 0 if self.asks_worth or self.hand.worth is None else self.hand.worth.minor

    def _basket(self) -> str:
        counts: dict[str, int] = {}
        for line in self.lines:
            counts[line.sku] = counts.get(line.sku, 0) + line.quantity
        return hashlib.sha256(repr(sorted(counts.items())).encode()).hexdigest()


DatedCards = Callable[[date, tuple[Contract, ...]], CompiledCard | None]
"""The card for what is bought now and leaves on a day, on some accounts; None where that day has no prices yet."""


@dataclass(frozen=True, slots=True)
class Carrier:
    """A carrier with its card in force: on the cheapest of the shop's accounts, and at published prices.

    ``own`` and ``published`` are for what is bought and leaves today.  ``dated`` gives those of other ship dates, None
    where the day of purchase decides alone.  ``gone`` are networks and days whose departure takes nothing more, and
    ``sooner`` those that leave before the card's cut-off.
    """

    code: str
    name: str
    own: CompiledCard
    published: CompiledCard
    dated: DatedCards | None = field(default=None, compare=False)
    gone: tuple[tuple[str, date], ...] = ()
    sooner: tuple[tuple[str, date, time], ...] = ()
    known: dict[date, Carrier | None] = field(default_factory=dict, init=False, compare=False, repr=False)
    timetables: dict[tuple[object, ...], Timetable] = field(default_factory=dict, init=False, compare=False, repr=False)

    @property
    def asked(self) -> bool:
        """Whether it has answered anything, each time about what leaves on one day."""
        return self.own.live and not self.own.answers.none

    def shipping_on(self, day: date) -> Carrier | None:
        """Return the carrier as it prices what leaves on a day: itself where that is as today, None without prices."""
        if self.dated is None and not self.asked:
            return self
        if day not in self.known:
            self.known[day] = self._shipping_on(day)
        return self.known[day]

    def _shipping_on(self, day: date) -> Carrier | None:
        own, published = self.own, self.published
        if self.dated is not None:
            then, listed = self.dated(day, own.contracts), self.dated(day, PUBLISHED)
            if then is None or listed is None:
                return None
            if not then.prices_as(own):
                own, published = then, listed
        own = own.with_answers(self.own.answers.on(day))
        return self if own is self.own else replace(self, own=own, published=published, dated=None)

    def on_account(self, number: str) -> Carrier:
        """Return the carrier on one account only; itself where it has none with this number."""
        own = self.own
        mine = tuple(contract for contract in own.contracts if contract.number == number)
        return replace(self, own=CompiledCard(own.card, own.on, mine, own.answers)) if mine else self


@dataclass(frozen=True, slots=True)
class Precedent:
    """How an identical basket went to the same destination group by hand last time."""

    hand: Hand
    order_number: str


_NO_BOOK = CustomsBook()


@dataclass(frozen=True, slots=True)
class Shop:
    """Everything outside the order that a plan depends on; ``now`` is aware.

    ``origin`` is the address of ``place``, where parcels leave from.

    ``local`` (now, in the shop's zone), ``day_and_time`` (the same as rules ask for it), ``boxes``, ``own_boxes``,
    ``knows_ranges`` (whether any is meant for a weight), ``names``, ``arrivals``, ``turns`` (the times of day, HH:MM,
    of rules), ``bound`` (the shop on one account), ``later`` (the shop when it has packed) and ``late`` (shares of late
    parcels) follow from the rest, and are worked out once.
    """

    packagings: tuple[Packaging, ...]
    carriers: tuple[Carrier, ...]
    policy: Policy
    values: Values
    now: datetime
    currency: str
    origin: Address = _ANYWHERE
    place: str = ""
    time_zone: ZoneInfo = _UTC
    recipes: Mapping[str, Recipe] = field(default_factory=dict)
    promise_links: Mapping[str, str] = field(default_factory=dict)
    precedents: Mapping[tuple[str, Group], Precedent] = field(default_factory=dict)
    rules: tuple[Rule, ...] = ()
    group_services: Mapping[str, str] = field(default_factory=dict)
    packaging_by_weight: bool = False
    screen: Screen | None = None
    gazetteer: Gazetteer | None = None
    record: Mapping[str, Record] = field(default_factory=dict)
    ranking: tuple[str, ...] = ()
    approve_over: int | None = None
    approve_services: frozenset[str] = frozenset()
    cover: OpenCover | None = None
    closed: Closed = ()
    customs: CustomsBook = _NO_BOOK
    local: datetime = field(init=False, compare=False, repr=False)
    boxes: dict[str, Packaging] = field(init=False, compare=False, repr=False)
    own_boxes: tuple[Packaging, ...] = field(init=False, compare=False, repr=False)
    knows_ranges: bool = field(init=False, compare=False, repr=False)
    names: dict[str, str] = field(init=False, compare=False, repr=False)
    arrivals: dict[tuple[object, ...], Arrival] = field(init=False, compare=False, repr=False)
    turns: tuple[str, ...] = field(init=False, compare=False, repr=False)
    bound: dict[str, Shop] = field(init=False, compare=False, repr=False)
    later: dict[int, tuple[Shop, date]] = field(init=False, compare=False, repr=False)
    late: dict[str, int] = field(init=False, compare=False, repr=False)
    day_and_time: tuple[str, str] = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        """Work out what many plans ask for."""
        local = self.now.astimezone(self.time_zone)
        object.__setattr__(self, "local", local)
        object.__setattr__(self, "day_and_time", (WEEKDAYS[local.weekday()], local.isoformat()[11:16]))
        object.__setattr__(self, "boxes", {p.code: p for p in self.packagings})
        object.__setattr__(self, "own_boxes", tuple(p for p in self.packagings if p.carrier is None))
        object.__setattr__(self, "knows_ranges", any(p.holds_g for p in self.own_boxes))
        object.__setattr__(self, "names", self._names())
        object.__setattr__(self, "arrivals", {})
        object.__setattr__(self, "bound", {})
        object.__setattr__(self, "later", {})
        object.__setattr__(self, "late", {})
        object.__setattr__(self, "turns", turns_of(self.rules))

    def on_account(self, number: str) -> Shop:
        """Return the shop as an order sees it that goes on one account; itself where no carrier has this number."""
        if not any(contract.number == number for carrier in self.carriers for contract in carrier.own.contracts):
            return self
        if number not in self.bound:
            self.bound[number] = replace(self, carriers=tuple(c.on_account(number) for c in self.carriers))
        return self.bound[number]

    def when_packed(self, days: int) -> tuple[Shop, date]:
        """Return the day on which it has packed what takes so many of its working days, and the shop on that day."""
        if days not in self.later:
            today = self.local.date()
            ready = working_day_after(today, days, working_place(self.origin), self.closed)
            morning = datetime.combine(ready, time(), self.time_zone)
            self.later[days] = (self if ready == today else replace(self, now=morning), ready)
        return self.later[days]

    def late_bp(self, service: str, carrier: str) -> int:
        """Return the share of late parcels that counts against a service, in basis points; worked out once each."""
        if service not in self.late:
            self.late[service] = lateness(service, carrier, self.record).late_bp
        return self.late[service]

    def approval_of(self, service: str, price: int = 0) -> str:
        """Return why a service, or one at this price (minor units), needs the owner's approval; empty for none."""
        if service in self.approve_services:
            return "on the list of services that the owner approves"
        if self.approve_over is not None and price > self.approve_over:
            return f"dearer than {money_text(self.approve_over, self.currency)}"
        for carrier in self.carriers:
            if service in carrier.own.services:
                return carrier.own.services[service].service.approval
        return ""

    def _names(self) -> dict[str, str]:
        """What people call the services and packaging, by code."""
        names = {p.code: p.name for p in self.packagings}
        for carrier in self.carriers:
            names.update((code, compiled.service.name) for code, compiled in carrier.own.services.items())
        return names


def leaves_from(order: OrderFacts, shop: Shop) -> Address:
    """Return where an order's parcels leave from: its own sender's address, else the shop's."""
    return order.sender or shop.origin


def rule_facts(order: OrderFacts, shop: Shop, parcels: tuple[PackedParcel, ...]) -> dict[str, Value]:
    """Return what the rules can ask about an order; with no parcels (yet) weight and size are unknown."""
    to, start, lines = order.address, leaves_from(order, shop), order.lines
    ordered = order.ordered_at.astimezone(shop.time_zone)
    return {
        "country": to.country,
        "destination": destination_group(to, start),
        "region": to.region,
        "city": to.city,
        "postcode": to.postcode,
        "value": None if order.asks_worth else order.value,
        "paid_shipping": None if order.currency else order.paid_shipping,
        "weight": sum([p.gross_g for p in parcels]) if parcels else None,
        "longest": max([p.outer.longest for p in parcels]) if parcels else None,
        "volume": sum([p.outer.mm3 for p in parcels]) // 1000 if parcels else None,
        "parcels": len(parcels) if parcels else None,
        "items": sum([line.quantity for line in lines]),
        "lines": len(lines),
        "sku": frozenset([line.sku for line in lines]),
        "product_tag": frozenset().union(*[line.tags for line in lines]),
        "tag": order.tags,
        "channel": order.channel,
        "promise": order.promise_text,
        "note": order.note,
        "payment": order.payment,
        "address": "home" if order.home else "business",
        "po_box": order.po_box,
        "ordered_day": WEEKDAYS[ordered.weekday()],
        "ordered_time": ordered.isoformat()[11:16],
        "planned_day": shop.day_and_time[0],
        "planned_time": shop.day_and_time[1],
        "customs": crosses_customs(to, start),
        "hs_code": frozenset([line.hs_code for line in lines if line.hs_code]),
        "origin": frozenset([line.origin for line in lines if line.origin]),
        "contents": order.contents,
    }
