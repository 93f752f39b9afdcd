"""The written form of a rate card (docs/rate-card.md): read with all its errors at once, written back, described.

What a card can say stands in ``card`` alone: its dataclasses give the keys, their kinds by their types, and what stands
for a key left out; reading, writing and the JSON Schema all follow them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import MISSING, fields
from typing import Any, get_type_hints

from tidewind.core.calendar import Transit
from tidewind.core.pickups.rules import PickupRules
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
    TIME,
    YES_NO,
    BadCard,
    Field,
    Kind,
    Reader,
    kind_of,
)
from tidewind.core.written import Written

_STEP_KEY = {"weight": "up_to_g", "volume_tiers": "up_to_cm3"}
_AMOUNTS = ("fixed", "percent", "per_kg", "per_value_step")

_KEYS: Mapping[tuple[type, str], str] = {
    (Origin, "regions"): "where",
    (Zone, "regions"): "where",
    (Limits, "sides"): "sides_mm",
    (PickupRules, "parcel_sides"): "parcel_sides_mm",
    (Limits, "least_sides"): "least_sides_mm",
    (SizeClass, "sides"): "sides_mm",
    (Service, "max_g_per_tier"): "max_g",
}
"""Keys that say more than the attribute they fill."""
_MAY_LACK: Mapping[tuple[type, str], Any] = {
    (RateCard, "valid_until"): None,
    (RateCard, "priced_by_ship_date"): False,
    (RateCard, "tax_bp"): 0,
    (RateCard, "tax_name"): "VAT",
    (RateCard, "surcharges"): (),
    (RateCard, "extras"): (),
}
"""What stands for a key left out where the value itself has no default."""
_OTHERWISE: Mapping[type, frozenset[str]] = {
    RateCard: frozenset({"fuel"}),
    Surcharge: frozenset({"amount"}),
    Amount: frozenset({"kind", "figure"}),
    SizeClass: frozenset({"prices"}),
    Service: frozenset({"transit", "steps", "classes", "zone_limits"}),
}
"""Attributes that are read and written in another way, below."""


def _fields_of(part: type) -> tuple[Field, ...]:
    """Return the keys of a part as its dataclass says them: their kinds by the types, what stands for one left out."""
    hints, made = get_type_hints(part), []
    for attribute in fields(part):
        if attribute.name in _OTHERWISE.get(part, ()):
            continue
        kind, many = kind_of(hints[attribute.name])
        default = ... if attribute.default is MISSING else attribute.default
        default = _MAY_LACK.get((part, attribute.name), default)
        made.append(Field(_KEYS.get((part, attribute.name), attribute.name), kind, default, many, attribute.name))
    return tuple(made)


PARTS: Mapping[type, tuple[Field, ...]] = {
    part: _fields_of(part)
    for part in (Region, Origin, Zone, PickupRules, Network, Volumetric, Limits, When, Surcharge, Amount, SizeClass,
                 Service, RateCard)
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
    if part is Network:
        values["pickup"] = values["pickup"] or _pickup_of_before(reader)
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


def _pickup_of_before(reader: Reader) -> PickupRules | None:
    """Read what cards said of pickups before they had rules: a time on the pickup day, and nothing else."""
    until = reader.take("ask_pickup_until", TIME, None)
    return None if until is None else PickupRules(ask_until=until)


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
    if ends and not unit:
        reader.fail("tail.unit_g", "is missing: its prices are for so much each")
    steps, prices = {}, _by_zone(reader, "prices", COUNTS)
    for zone in ends.keys() - prices.keys() if bounds else ():  # without steps that is said
        reader.fail(f"tail.prices.{zone}", "has no prices that it could follow")
    for zone, row in prices.items():
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
    day_and_rate = {
        "type": "object",
        "properties": {"from": DATE.schema, "bp": COUNT.schema},
        "required": ["from", "bp"],
        "additionalProperties": False,
    }
    more: Mapping[type, Written] = {
        RateCard: {"fuel": {"type": "array", "items": day_and_rate}},
        SizeClass: {"prices": {"type": "object", "additionalProperties": COUNT.schema}},
        Network: {"ask_pickup_until": TIME.schema},
        Surcharge: {
            **dict.fromkeys(_AMOUNTS, COUNT.schema),
            **{field.key: _schema_of(field) for field in PARTS[Amount]},
        },
        Service: {
            "transit": by_zone,
            "prices": by_zone,
            "up_to_g": COUNTS.schema,
            "up_to_cm3": COUNTS.schema,
            "saturdays": YES_NO.schema,
            "tail": {"type": "object", "properties": {"unit_g": COUNT.schema, "prices": {"type": "object"}}},
            "classes": {"type": "array", "items": {"$ref": "#/$defs/SizeClass"}},
            "zone_limits": {"type": "object", "additionalProperties": {"$ref": "#/$defs/Limits"}},
        },
    }
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
