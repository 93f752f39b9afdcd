"""The written form of a rate card (docs/rate-card.md): read with all its errors at once, written back, described.

One table says for each part which keys it has, of which kind, and what stands for a key left out; reading, writing and
the JSON Schema all follow it.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tidewind.core.calendar import Transit
from tidewind.core.stored import Written
from tidewind.core.tariffs.card import (
    Amount,
    Limits,
    Network,
    Origin,
    RateCard,
    Region,
    Service,
    SizeClass,
    Steps,
    Surcharge,
    Volumetric,
    When,
    Zone,
)
from tidewind.core.tariffs.check import faults_of
from tidewind.core.tariffs.reading import (
    COUNT,
    COUNTS,
    DATE,
    PRICING,
    SIZE,
    TEXT,
    TEXT_SET,
    TEXTS,
    TIME,
    TRACKING,
    WEEKDAYS,
    YES_NO,
    BadCard,
    Field,
    Kind,
    Reader,
)

_NO_WORDS: frozenset[str] = frozenset()
_STEP_KEY = {"weight": "up_to_g", "volume_tiers": "up_to_cm3"}
_AMOUNTS = ("fixed", "percent", "per_kg", "per_value_step")

PARTS: dict[type, tuple[Field, ...]] = {
    Region: (
        Field("countries", TEXTS), Field("postcodes", TEXTS, ()), Field("not_postcodes", TEXTS, ()),
        Field("regions", TEXTS, ()),
    ),
    Origin: (Field("id", TEXT), Field("name", TEXT), Field("where", Region, many=True, attr="regions")),
    Zone: (
        Field("id", TEXT), Field("name", TEXT), Field("where", Region, many=True, attr="regions"),
        Field("origins", TEXTS, ()), Field("taxed", YES_NO, True),
    ),
    Network: (
        Field("id", TEXT), Field("name", TEXT), Field("cutoff", TIME), Field("ask_pickup_until", TIME, None),
    ),
    Volumetric: (Field("divisor", COUNT), Field("threshold_cm3", COUNT, 0), Field("side_step_mm", COUNT, 1)),
    Limits: (
        Field("gross_g", COUNT, None), Field("sides_mm", SIZE, None, attr="sides"), Field("girth_mm", COUNT, None),
        Field("value", COUNT, None), Field("least_sides_mm", SIZE, None, attr="least_sides"),
        Field("parcels", COUNT, None), Field("refused_contents", TEXT_SET, _NO_WORDS),
    ),
    When: (
        Field("home", YES_NO, None), Field("longest_over_mm", COUNT, None), Field("middle_over_mm", COUNT, None),
        Field("girth_over_mm", COUNT, None), Field("gross_over_g", COUNT, None),
        Field("volume_over_cm3", COUNT, None), Field("value_over", COUNT, None), Field("parcels_over", COUNT, None),
        Field("not_stackable", YES_NO, None), Field("contents", TEXT_SET, _NO_WORDS),
        Field("zones", TEXT_SET, _NO_WORDS), Field("places", Region, (), many=True),
        Field("weekdays", WEEKDAYS, frozenset()), Field("ship_from", DATE, None), Field("ship_until", DATE, None),
    ),
    Surcharge: (
        Field("code", TEXT), Field("name", TEXT), Field("when", When, When()), Field("per_shipment", YES_NO, False),
        Field("group", TEXT, None), Field("carries_fuel", YES_NO, False), Field("taxable", YES_NO, True),
        Field("saturday", YES_NO, False),
    ),
    Amount: (
        Field("step", COUNT, 0), Field("included", COUNT, 0), Field("minimum", COUNT, None),
        Field("cap", COUNT, None), Field("of", TEXTS, ("base",)),
    ),
    SizeClass: (Field("code", TEXT), Field("sides_mm", SIZE, attr="sides"), Field("max_gross_g", COUNT)),
    Service: (
        Field("code", TEXT), Field("name", TEXT), Field("network", TEXT), Field("kind", PRICING),
        Field("packaging", TEXT, None), Field("max_g", COUNTS, (), attr="max_g_per_tier"),
        Field("volumetric", Volumetric, None), Field("round_up_g", COUNT, 1), Field("minimum_g", COUNT, 0),
        Field("limits", Limits, Limits()), Field("surcharges", TEXTS, ()), Field("extras", TEXTS, ()),
        Field("included", TEXTS, ()), Field("tracked", YES_NO, True), Field("home_delivery", YES_NO, True),
        Field("to_point", YES_NO, False),
        Field("minimum_charge", COUNT, 0), Field("weighed_together", YES_NO, False), Field("fuel", YES_NO, True),
        Field("by_time", TIME, None), Field("tracking", TRACKING, "every_step"),
        Field("handover", TEXTS, ("pickup", "drop_off")), Field("duties_paid", YES_NO, False),
        Field("approval", TEXT, ""), Field("ahead_days", COUNT, 7), Field("returns", YES_NO, False),
        Field("notes", TEXTS, ()),
    ),
    RateCard: (
        Field("carrier", TEXT), Field("currency", TEXT), Field("valid_from", DATE), Field("valid_until", DATE, None),
        Field("time_zone", TEXT), Field("country", TEXT), Field("priced_by_ship_date", YES_NO, False),
        Field("tax_bp", COUNT, 0), Field("tax_name", TEXT, "VAT"), Field("networks", Network, many=True),
        Field("origins", Origin, (), many=True), Field("zones", Zone, many=True),
        Field("surcharges", Surcharge, (), many=True), Field("extras", Surcharge, (), many=True),
        Field("services", Service, many=True), Field("void_within_days", COUNT, 28),
        Field("refund_within_days", COUNT, 14), Field("note", TEXT, ""),
    ),
}  # fmt: skip


def read_card(written: Any) -> RateCard | BadCard:
    """Return the card that ``written`` (decoded JSON) says, or all its errors; never raises for bad input."""
    errors: list[str] = []
    reader = Reader(written, "", errors)
    fuel = [(f.take("from", DATE), f.take("bp", COUNT)) for f in reader.children("fuel")]
    card: RateCard = _read(RateCard, reader, fuel=tuple(fuel))
    if not errors:
        errors += faults_of(card)
    return BadCard(tuple(errors)) if errors else card


def _read(part: type, reader: Reader, **more: Any) -> Any:
    """Read a part by its table; ``more`` are attributes that were read in another way."""
    values = dict(more)
    for field in PARTS[part]:
        values[field.name] = _read_field(field, reader)
    if part is Surcharge:
        values["amount"] = _amount(reader)
    if part is SizeClass:
        values["prices"] = _by_zone(reader, "prices", COUNT)
    if part is Service:
        values |= _tables(reader, values["kind"])
    reader.finish()
    return part(**values)


def _read_field(field: Field, reader: Reader) -> Any:
    if isinstance(field.kind, Kind):
        return reader.take(field.key, field.kind, field.default)
    if field.many:
        if field.default is ... and not reader.values.get(field.key):
            reader.fail(field.key, "is missing")
        return tuple(_read(field.kind, child) for child in reader.children(field.key))
    if field.default is not ... and reader.values.get(field.key) is None:
        reader.child(field.key)
        return field.default
    return _read(field.kind, reader.child(field.key))


def _amount(reader: Reader) -> Amount:
    kind = next((k for k in _AMOUNTS if k in reader.values), None)
    if kind is None:
        reader.fail("amount", f"one of {', '.join(_AMOUNTS)} is expected")
    figure = reader.take(kind, COUNT) if kind else 0
    values = {field.name: _read_field(field, reader) for field in PARTS[Amount]}
    if kind == "per_value_step" and not values["step"]:
        reader.fail("step", "is missing")
    return Amount(kind=kind or "fixed", figure=figure, **values)  # type: ignore[arg-type]


def _by_zone(reader: Reader, key: str, kind: Kind) -> Written:
    child = reader.child(key)
    return {zone: child.take(zone, kind) for zone in child.values}


def _tables(reader: Reader, kind: str | None) -> Written:
    """Read what a service has by zone: days on the way, prices beside their steps, narrower limits."""
    saturdays = reader.take("saturdays", YES_NO, False)
    transit = {}
    for zone, days in _by_zone(reader, "transit", COUNTS).items():
        if days is not None and (len(days) != 2 or days[0] > days[1] or days[1] > 60):
            reader.fail(f"transit.{zone}", "two rising numbers of working days, 60 at most, are expected")
        elif days is not None:
            transit[zone] = Transit(days[0], days[1], bool(saturdays))
    narrower = reader.child("zone_limits")
    classes = tuple(_read(SizeClass, child) for child in reader.children("classes"))
    return {
        "transit": transit,
        "steps": {} if kind in {"size_classes", "live"} else _steps(reader, kind or ""),
        "classes": classes,
        "zone_limits": {zone: _read(Limits, narrower.child(zone)) for zone in narrower.values},
    }


def _steps(reader: Reader, kind: str) -> dict[str, Steps]:
    bounds = (reader.take(_STEP_KEY[kind], COUNTS) or ()) if kind in _STEP_KEY else ()
    if list(bounds) != sorted(set(bounds)):
        reader.fail(_STEP_KEY[kind], "steps must rise")
    tail = reader.child("tail")
    unit, ends = tail.take("unit_g", COUNT, 0) or 0, _by_zone(tail, "prices", COUNT)
    tail.finish()
    if unit and kind != "weight":
        reader.fail("tail", "only a table of weights has a tail")
    steps = {}
    for zone, row in _by_zone(reader, "prices", COUNTS).items():
        if row is not None and len(row) != (len(bounds) or 1):
            reader.fail(f"prices.{zone}", f"{len(row)} prices stand beside {len(bounds) or 1} steps")
        elif row is not None and list(row) != sorted(row):
            reader.fail(f"prices.{zone}", "a heavier parcel must not cost less")
        elif unit and zone not in ends:
            reader.fail(f"tail.prices.{zone}", "is missing")
        steps[zone] = Steps(bounds, row or (), unit, ends.get(zone) or 0)
    return steps


def write_card(card: RateCard) -> Written:
    """Return the written form of a card; keys that hold their default are left out, reading gives the same card."""
    return {**_write(card), "fuel": [{"from": day.isoformat(), "bp": bp} for day, bp in card.fuel]}


def _write(part: Any) -> Written:
    made: Written = {}
    for field in PARTS[type(part)]:
        value = getattr(part, field.name)
        if value == field.default:
            continue
        if isinstance(field.kind, Kind):
            made[field.key] = field.kind.write(value)
        else:
            made[field.key] = [_write(each) for each in value] if field.many else _write(value)
    if isinstance(part, Surcharge):
        made[part.amount.kind] = part.amount.figure
        made |= _write(part.amount)
    if isinstance(part, SizeClass):
        made["prices"] = dict(part.prices)
    if isinstance(part, Service):
        made |= _write_tables(part)
    return made


def _write_tables(service: Service) -> Written:
    made: Written = {"transit": {z: [t.days_min, t.days_max] for z, t in service.transit.items()}}
    if any(t.saturdays for t in service.transit.values()):
        made["saturdays"] = True
    if service.zone_limits:
        made["zone_limits"] = {zone: _write(limits) for zone, limits in service.zone_limits.items()}
    if service.classes:
        made["classes"] = [_write(size_class) for size_class in service.classes]
    if service.steps:
        made["prices"] = {zone: list(steps.prices) for zone, steps in service.steps.items()}
        first = next(iter(service.steps.values()))
        if service.kind in _STEP_KEY:
            made[_STEP_KEY[service.kind]] = list(first.bounds)
        if first.tail_unit:
            ends = {zone: steps.tail_price for zone, steps in service.steps.items()}
            made["tail"] = {"unit_g": first.tail_unit, "prices": ends}
    return made


def card_schema() -> Written:
    """Return the JSON Schema (2020-12) of the written form; what no schema can say, reading checks."""
    by_zone = {"type": "object", "additionalProperties": COUNTS.schema}
    day_and_rate = {"type": "object", "properties": {"from": DATE.schema, "bp": COUNT.schema},
                    "required": ["from", "bp"], "additionalProperties": False}  # fmt: skip
    more: Mapping[type, Written] = {
        RateCard: {"fuel": {"type": "array", "items": day_and_rate}},
        SizeClass: {"prices": {"type": "object", "additionalProperties": COUNT.schema}},
        Surcharge: {
            **dict.fromkeys(_AMOUNTS, COUNT.schema),
            **{field.key: _schema_of(field) for field in PARTS[Amount]},
        },
        Service: {
            "transit": by_zone, "prices": by_zone, "up_to_g": COUNTS.schema, "up_to_cm3": COUNTS.schema,
            "saturdays": YES_NO.schema,
            "tail": {"type": "object", "properties": {"unit_g": COUNT.schema, "prices": {"type": "object"}}},
            "classes": {"type": "array", "items": {"$ref": "#/$defs/SizeClass"}},
            "zone_limits": {"type": "object", "additionalProperties": {"$ref": "#/$defs/Limits"}},
        },
    }  # fmt: skip
    parts = {
        part.__name__: {
            "type": "object",
            "properties": {field.key: _schema_of(field) for field in fields} | more.get(part, {}),
            "required": [field.key for field in fields if field.default is ...],
            "additionalProperties": False,
        }
        for part, fields in PARTS.items()
        if part is not Amount
    }
    card = parts.pop("RateCard")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Rate card", **card, "$defs": parts}


def _schema_of(field: Field) -> Written:
    if isinstance(field.kind, Kind):
        return dict(field.kind.schema)
    part = {"$ref": f"#/$defs/{field.kind.__name__}"}
    return {"type": "array", "items": part} if field.many else part
