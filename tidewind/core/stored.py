"""What is kept as JSON, as values: plans, hand edits, addresses, parcels and quotes; each has one read and one write.

A written form says its ``version``; older ones are read (version 1 said none).  Weights in g, sides in mm, money in
minor units.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, field, fields
from datetime import date
from typing import Any

from tidewind.core.addresses.check import Address
from tidewind.core.customs.said import read_said, write_said
from tidewind.core.frozen import frozen
from tidewind.core.layers import Step
from tidewind.core.order_facts import BillTo, Hand, HandParcel, Worth
from tidewind.core.rules.rule import Split
from tidewind.core.written import Written

VERSION = 3


@frozen
class StoredParcel:
    """A packed parcel: its packaging (None: a carton of its own), and (order line, pieces) in it."""

    packaging: str | None
    carrier_box: bool
    name: str
    contents: tuple[tuple[int, int], ...]
    goods_g: int
    packaging_g: int
    padding_g: int
    gross_g: int
    sides_mm: tuple[int, int, int]
    fill_percent: int


@frozen
class StoredLine:
    """One line of a price, with how it was worked out in words."""

    code: str
    name: str
    amount_minor: int
    parcel: int
    basis: str


@frozen
class StoredQuote:
    """A price with its lines; ``premium_minor`` is what of it is an insurer's."""

    zone: str
    billable_g: int
    net_minor: int
    tax_minor: int
    total_minor: int
    lines: tuple[StoredLine, ...]
    published_net_minor: int | None = None
    account: str = ""
    premium_minor: int = 0


@frozen
class StoredPlan:
    """How an order will be sent, and for each field which layer set it and what it overrode.

    ``not_before``, ``box`` (a packaging's code) and ``divided`` are what its layers settled before services were asked;
    versions before 3 did not keep them.
    """

    parcels: tuple[StoredParcel, ...] = ()
    service_name: str | None = None
    quote: StoredQuote | None = None
    extras: tuple[str, ...] = ()
    value_minor: int = 0
    rules: tuple[str, ...] = ()
    trail: Mapping[str, tuple[Step, ...]] = field(default_factory=dict)
    not_before: date | None = None
    box: str = ""
    divided: bool = False

    @property
    def packaging(self) -> str:
        """The packaging in a few words: one by its name, several by their number."""
        if len(self.parcels) == 1:
            return self.parcels[0].name
        return f"{len(self.parcels)} parcels" if self.parcels else ""

    @property
    def premium_minor(self) -> int:
        """What of the price is an insurer's."""
        return self.quote.premium_minor if self.quote else 0

    @property
    def account(self) -> str:
        """The number of the account with the carrier that it is planned on; empty for none."""
        return self.quote.account if self.quote else ""


# The general way from a dataclass to a dict copies deeply, which was a tenth of the time of an import.
_ADDRESS = tuple(f.name for f in fields(Address))


def read_parcel(written: Mapping[str, Any]) -> StoredParcel:
    """Return a parcel from its written form."""
    longest, middle, shortest = written["sides_mm"]
    return StoredParcel(
        written["packaging"],
        written["carrier_box"],
        written["name"],
        tuple((line, count) for line, count in written["contents"]),
        written["goods_g"],
        written["packaging_g"],
        written["padding_g"],
        written["gross_g"],
        (longest, middle, shortest),
        written["fill_percent"],
    )


def write_parcel(parcel: StoredParcel) -> Written:
    """Return a parcel in its written form."""
    return {
        "packaging": parcel.packaging,
        "carrier_box": parcel.carrier_box,
        "name": parcel.name,
        "contents": [list(pieces) for pieces in parcel.contents],
        "goods_g": parcel.goods_g,
        "packaging_g": parcel.packaging_g,
        "padding_g": parcel.padding_g,
        "gross_g": parcel.gross_g,
        "sides_mm": list(parcel.sides_mm),
        "fill_percent": parcel.fill_percent,
    }


def read_quote(written: Mapping[str, Any]) -> StoredQuote:
    """Return a price from its written form; version 1 knew no account and no insurer."""
    return StoredQuote(
        written["zone"],
        written["billable_g"],
        written["net_minor"],
        written["tax_minor"],
        written["total_minor"],
        tuple(
            StoredLine(ln["code"], ln["name"], ln["amount_minor"], ln["parcel"], ln["basis"]) for ln in written["lines"]
        ),
        written.get("published_net_minor"),
        written.get("account", ""),
        written.get("premium_minor", 0),
    )


def write_quote(quote: StoredQuote) -> Written:
    """Return a price in its written form."""
    return {
        "zone": quote.zone,
        "billable_g": quote.billable_g,
        "net_minor": quote.net_minor,
        "tax_minor": quote.tax_minor,
        "total_minor": quote.total_minor,
        "published_net_minor": quote.published_net_minor,
        "account": quote.account,
        "premium_minor": quote.premium_minor,
        "lines": [
            {
                "code": line.code,
                "name": line.name,
                "amount_minor": line.amount_minor,
                "parcel": line.parcel,
                "basis": line.basis,
            }
            for line in quote.lines
        ],
    }


def read_plan(written: Mapping[str, Any]) -> StoredPlan:
    """Return a plan from its written form; an empty one is that of an order never planned."""
    if not written:
        return StoredPlan()
    quote = written.get("quote")
    return StoredPlan(
        tuple(map(read_parcel, written.get("parcels", ()))),
        written.get("service_name"),
        read_quote(quote) if quote else None,
        tuple(written.get("extras", ())),
        written.get("value_minor", 0),
        tuple(written.get("rules", ())),
        {
            name: tuple(Step(s["layer"], s["value"], s["why"]) for s in steps)
            for name, steps in written.get("trail", {}).items()
        },
        date.fromisoformat(written["not_before"]) if written.get("not_before") else None,
        written.get("box", ""),
        written.get("divided", False),
    )


def write_plan(plan: StoredPlan) -> Written:
    """Return a plan in its written form; ``layers`` is written for the database to count by."""
    return {
        "version": VERSION,
        "parcels": [write_parcel(parcel) for parcel in plan.parcels],
        "service_name": plan.service_name,
        "quote": write_quote(plan.quote) if plan.quote else None,
        "extras": list(plan.extras),
        "value_minor": plan.value_minor,
        "rules": list(plan.rules),
        "layers": sorted({step.layer for steps in plan.trail.values() for step in steps}),
        "trail": {
            name: [{"layer": s.layer, "value": s.value, "why": s.why} for s in steps]
            for name, steps in plan.trail.items()
        },
        "not_before": plan.not_before.isoformat() if plan.not_before else None,
        "box": plan.box,
        "divided": plan.divided,
    }


def read_hand(written: Mapping[str, Any]) -> Hand:
    """Return what was set by hand from its written form; what was not set is left out there."""
    if not written:
        return NO_HAND
    extras, ship_date, split = written.get("extras"), written.get("ship_date"), written.get("split")
    bill_to = written.get("bill_to")
    return Hand(
        packaging=written.get("packaging"),
        service=written.get("service"),
        extras=frozenset(extras) if extras is not None else None,
        ship_date=date.fromisoformat(ship_date) if ship_date else None,
        parcels=tuple(_hand_parcel(p) for p in written.get("parcels", ())),
        split=Split(split["by"], split["most"]) if split else None,
        desk=written.get("desk"),
        approved=written.get("approved", ""),
        approved_for=tuple(written.get("approved_for", ())),
        approved_minor=written.get("approved_minor"),
        released=written.get("released", False),
        account=written.get("account", ""),
        point=written.get("point", ""),
        bill_to=read_bill_to(bill_to) if bill_to else None,
        not_stackable=written.get("not_stackable", False),
        weights_g=tuple(written.get("weights_g", ())),
        customs=read_said(written["customs"]) if written.get("customs") else None,
        worth=Worth(**written["worth"]) if written.get("worth") else None,
    )


def _hand_parcel(written: Mapping[str, Any]) -> HandParcel:
    contents = tuple((str(line), int(count)) for line, count in written["contents"])
    return HandParcel(contents, written.get("packaging"))


def write_hand(hand: Hand) -> Written:
    """Return what was set by hand in its written form: nothing for nothing."""
    made: Written = {}
    for name in ("packaging", "service", "desk", "approved_minor"):
        if getattr(hand, name) is not None:
            made[name] = getattr(hand, name)
    for name in ("approved", "approved_for", "released", "account", "point", "not_stackable", "weights_g"):
        if kept := getattr(hand, name):
            made[name] = list(kept) if isinstance(kept, tuple) else kept
    if hand.extras is not None:
        made["extras"] = sorted(hand.extras)
    if hand.ship_date:
        made["ship_date"] = hand.ship_date.isoformat()
    if hand.parcels:
        made["parcels"] = [
            {"contents": [[int(line), count] for line, count in p.contents], "packaging": p.packaging}
            for p in hand.parcels
        ]
    if hand.split:
        made["split"] = {"by": hand.split.by, "most": hand.split.most}
    parts: Written = {"customs": hand.customs and write_said(hand.customs)}
    parts |= {name: kept and asdict(kept) for name, kept in (("bill_to", hand.bill_to), ("worth", hand.worth))}
    return made | {name: written for name, written in parts.items() if written}


def read_bill_to(written: Mapping[str, Any]) -> BillTo:
    """Return whose account is billed; an empty form is nobody's."""
    return BillTo(**{name: str(written.get(name, "")) for name in BillTo.__dataclass_fields__})


def write_bill_to(bill_to: BillTo) -> Written:
    """Return whose account is billed in its written form."""
    return asdict(bill_to) if bill_to.account else {}


def read_address(written: Mapping[str, Any]) -> Address:
    """Return an address from its written form; fields that a version did not know are empty."""
    if not written:
        return NO_ADDRESS
    return Address(**{name: written.get(name, "") for name in Address.__dataclass_fields__})


def write_address(address: Address) -> Written:
    """Return an address in its written form: nothing for none."""
    return {} if address == NO_ADDRESS else {name: getattr(address, name) for name in _ADDRESS}


NO_ADDRESS, NO_HAND, NO_PLAN = Address(), Hand(), StoredPlan()


def first_known(*addresses: Address) -> Address:
    """Return the first address that is one."""
    return next((address for address in addresses if address != NO_ADDRESS), NO_ADDRESS)


def pieces_in(parcels: Sequence[StoredParcel]) -> dict[int, int]:
    """Return how many of each order line are in parcels, in the order of the lines."""
    counts: dict[int, int] = {}
    for parcel in parcels:
        for line_id, count in parcel.contents:
            counts[line_id] = counts.get(line_id, 0) + count
    return dict(sorted(counts.items()))
