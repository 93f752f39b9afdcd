"""What the bench shows: one instruction, the items and how many are missing, the scale, what the last scan meant."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.bench.checking import Check
from tidewind.core.bench.weighing import Weighed
from tidewind.core.states.packings import PackingState
from tidewind.db.tables import Packing, Person
from tidewind.services.bench.around import Aside
from tidewind.services.bench.finishing import parcel_to_weigh
from tidewind.services.bench.items import PackingFacts, check_of
from tidewind.services.bench.settings import BenchSettings, read_bench_settings
from tidewind.services.bench.standing import AtBench
from tidewind.services.planning import shop_settings

Phase = Literal["await", "items", "serial", "weigh", "buying", "stopped"]


@dataclass(frozen=True, slots=True)
class BenchLine:
    """An item as the bench shows it: how many are in, of how many, and whether it is the one to scan next."""

    sku: str
    name: str
    shelf: str
    parcel: int
    counted: int
    pieces: int
    next: bool
    confirms: bool


@dataclass(frozen=True, slots=True)
class BenchView:
    """Everything a bench shows.  Weights in grams; ``scale`` is what is awaited there, if anything is.

    ``printer`` is what keeps labels from paper, ``changed`` what the channel did to the open order since.
    """

    name: str
    packer: str
    phase: Phase
    headline: str
    sub: str
    said: dict[str, str]
    lines: tuple[BenchLine, ...]
    facts: PackingFacts | None
    parcel: int
    weights_g: tuple[int, ...]
    scale: Weighed | None
    packing_id: int | None
    order_id: int | None
    packed_today: int
    mistakes_today: int
    settings: BenchSettings
    asides: tuple[Aside, ...] = ()
    printer: str = ""
    changed: str = ""


def bench_view(at: AtBench) -> BenchView:
    """Return what a bench shows now."""
    bench = at.bench
    packing = at.packing if at.packing is not None and at.packing.id == bench.packing_id else None
    settings = read_bench_settings(at.shop.bench)
    check = check_of(packing) if packing else Check(())
    facts = PackingFacts.of(packing) if packing else None
    weighs = parcel_to_weigh(settings, packing, check) if packing else None
    phase = _phase(packing, check, weighs)
    return BenchView(
        name=bench.name,
        packer=at.packer.name,
        phase=phase,
        headline=_headline(phase, check, weighs, facts),
        sub=_sub(phase, check, facts),
        said=dict(bench.said),
        lines=_lines(check) if packing else (),
        facts=facts,
        parcel=weighs or check.parcel,
        weights_g=tuple(packing.weights_g) if packing else (),
        scale=_scale(facts, weighs, settings),
        packing_id=packing.id if packing else None,
        order_id=packing.order_id if packing else None,
        packed_today=at.packed_today,
        mistakes_today=at.mistakes_today,
        settings=settings,
        asides=tuple(one for one in at.around.asides if one.packing_id != bench.packing_id),
        printer=at.around.printer,
        changed=at.around.change.words if at.around.change is not None and packing is not None else "",
    )


def _phase(packing: Packing | None, check: Check, weighs: int | None) -> Phase:
    if packing is None:
        return "await"
    if packing.state == PackingState.BUYING:
        return "buying"
    if check.wants_serial is not None:
        return "serial"
    if weighs is not None:
        return "weigh"
    return "stopped" if check.complete else "items"


def _headline(phase: Phase, check: Check, weighs: int | None, facts: PackingFacts | None) -> str:
    several = facts is not None and len(facts.boxes) > 1
    if phase == "items" and check.next is not None:
        left = check.left(check.next)
        verb = "Scan" if check.next.codes else "Confirm"
        return f"{verb} {f'{left} × ' if left > 1 else ''}{check.next.name}"
    if phase == "serial" and check.wants_serial is not None:
        return f"Scan the serial number of {check.wants_serial.name}"
    return {
        "weigh": f"Put parcel {weighs} on the scale" if several else "Put it on the scale",
        "buying": "The label comes: scan the next slip",
        "stopped": "Everything is in, the label is not bought",
    }.get(phase, "Scan a slip, an order or a label")


def _sub(phase: Phase, check: Check, facts: PackingFacts | None) -> str:
    if facts is None:
        return "The next order begins with its packing slip."
    where = f"Order {facts.number} for {facts.to}."
    item = check.next
    if phase == "items" and item is not None:
        shelf = f" Shelf {item.shelf}." if item.shelf else ""
        box = f" Parcel {item.parcel} of {len(facts.boxes)}." if len(facts.boxes) > 1 else ""
        confirms = "" if item.codes else " It has no barcode: scan Confirm for each."
        return f"{where}{shelf}{box}{confirms}"
    return where


def _lines(check: Check) -> tuple[BenchLine, ...]:
    upcoming = check.wants_serial or check.next
    return tuple(
        BenchLine(i.sku, i.name, i.shelf, i.parcel, check.counted(i), i.pieces, i is upcoming, not i.codes)
        for i in check.items
    )


def _scale(facts: PackingFacts | None, weighs: int | None, settings: BenchSettings) -> Weighed | None:
    if facts is None or weighs is None:
        return None
    expected = facts.expected_g[weighs - 1]
    return Weighed(expected, 0, settings.tolerance.grams(expected))


@dataclass(frozen=True, slots=True)
class PackedBy:
    """What one person packed on a day: parcels, hours from the first to the last, mistakes that were stopped."""

    day: str
    person: str
    parcels: int
    minutes: int
    mistakes: int


def packed_by_person(session: Session, days: int, now: datetime) -> list[PackedBy]:
    """Return what each person packed on each of the last days, the newest first."""
    zone = shop_settings(session).time_zone
    day = func.date(func.timezone(zone, Packing.packed_at))
    first, last = func.min(Packing.started_at), func.max(Packing.packed_at)
    query = (
        select(day, Person.name, func.count(Packing.id), first, last, func.sum(Packing.mistakes))
        .join(Person, Person.id == Packing.person_id)
        .where(Packing.state == PackingState.PACKED)
        .where(func.timezone(zone, Packing.packed_at) > _days_ago(zone, now, days))
        .group_by(day, Person.name)
        .order_by(day.desc(), Person.name)
    )
    return [
        PackedBy(str(on), person, parcels, max(round((end - start).total_seconds() / 60), 1), int(mistakes))
        for on, person, parcels, start, end, mistakes in session.execute(query)
    ]


def _days_ago(zone: str, now: datetime, days: int) -> datetime:
    return now.astimezone(ZoneInfo(zone)).replace(tzinfo=None) - timedelta(days=days)
