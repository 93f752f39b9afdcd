"""Read a rate card from its written form (docs/rate-card.md): a card, or every error in it at once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, time
from typing import Any

from tidewind.core.calendar import Transit
from tidewind.core.quantities import Size
from tidewind.core.tariffs.card import (
    Amount,
    Limits,
    Network,
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

_STEP_KEY = {"weight": "up_to_g", "volume_tiers": "up_to_cm3"}


@dataclass(frozen=True)
class BadCard:
    """A card that was refused whole, with all its errors in words."""

    errors: tuple[str, ...]


class _Reader:
    """Takes typed values out of a mapping and collects what is wrong, with the path to it."""

    def __init__(self, values: Any, path: str, errors: list[str]) -> None:
        self.path, self.errors = path, errors
        if not isinstance(values, Mapping):
            errors.append(f"{path or 'card'}: a table of named values is expected")
            values = {}
        self.values: Mapping[str, Any] = values

    def fail(self, key: str, words: str) -> None:
        self.errors.append(f"{self.path}{'.' if self.path else ''}{key}: {words}")

    def take(self, key: str, make: Callable[[Any], Any], default: Any = ...) -> Any:
        value = self.values.get(key)
        if value is None:
            if default is ...:
                self.fail(key, "is missing")
                return _EMPTY.get(make)
            return default
        try:
            return make(value)
        except (TypeError, ValueError, KeyError, AttributeError):
            self.fail(key, f"{value!r:.60} is not what belongs here")
            return _EMPTY.get(make) if default is ... else default

    def child(self, key: str) -> _Reader:
        return _Reader(self.values.get(key), f"{self.path}{'.' if self.path else ''}{key}", self.errors)

    def children(self, key: str) -> list[_Reader]:
        rows = self.values.get(key, [])
        if not isinstance(rows, list):
            self.fail(key, "a list is expected")
            return []
        prefix = f"{self.path}{'.' if self.path else ''}{key}"
        return [_Reader(row, f"{prefix}[{n}]", self.errors) for n, row in enumerate(rows, 1)]


def _text(value: Any) -> str:
    if not isinstance(value, str) or not value.strip():
        raise ValueError
    return value


def _int(value: Any) -> int:
    if isinstance(value, bool) or not isinstance(value, int):
        raise TypeError
    return value


def _count(value: Any) -> int:
    if _int(value) < 0:
        raise ValueError
    return int(value)


def _bool(value: Any) -> bool:
    if not isinstance(value, bool):
        raise TypeError
    return value


def _texts(value: Any) -> tuple[str, ...]:
    if not isinstance(value, list):
        raise TypeError
    return tuple(_text(v) for v in value)


def _set(value: Any) -> frozenset[str]:
    return frozenset(_texts(value))


def _counts(value: Any) -> tuple[int, ...]:
    if not isinstance(value, list):
        raise TypeError
    return tuple(_count(v) for v in value)


def _size(value: Any) -> Size:
    a, b, c = _counts(value)
    return Size.of(a, b, c)


_EMPTY: dict[Any, Any] = {
    _text: "", _int: 0, _count: 0, _bool: False, _texts: (), _set: frozenset(), _counts: (),
    date.fromisoformat: date(2000, 1, 1), time.fromisoformat: time(0),
}  # fmt: skip


def read_card(written: Any) -> RateCard | BadCard:
    """Return the card that ``written`` (decoded JSON) says, or all its errors; never raises for bad input."""
    errors: list[str] = []
    r = _Reader(written, "", errors)
    zones = tuple(_zone(z) for z in r.children("zones"))
    surcharges = tuple(_surcharge(s) for s in r.children("surcharges"))
    extras = tuple(_surcharge(s) for s in r.children("extras"))
    networks = tuple(
        Network(n.take("id", _text), n.take("name", _text), n.take("cutoff", time.fromisoformat),
                n.take("ask_pickup_until", time.fromisoformat, None))
        for n in r.children("networks")
    )  # fmt: skip
    card = RateCard(
        carrier=r.take("carrier", _text),
        currency=r.take("currency", _text),
        valid_from=r.take("valid_from", date.fromisoformat),
        valid_until=r.take("valid_until", date.fromisoformat, None),
        time_zone=r.take("time_zone", _text),
        country=r.take("country", _text),
        priced_by_ship_date=r.take("priced_by_ship_date", _bool, False),
        tax_bp=r.take("tax_bp", _count, 0),
        tax_name=r.take("tax_name", _text, "VAT"),
        fuel=tuple((f.take("from", date.fromisoformat), f.take("bp", _count)) for f in r.children("fuel")),
        networks=networks,
        zones=zones,
        surcharges=surcharges,
        extras=extras,
        services=tuple(_service(s) for s in r.children("services")),
        note=r.take("note", _text, ""),
    )
    if not errors:
        _check(card, errors)
    return BadCard(tuple(errors)) if errors else card


def _zone(z: _Reader) -> Zone:
    regions = tuple(
        Region(w.take("countries", _texts), w.take("postcodes", _texts, ()), w.take("not_postcodes", _texts, ()))
        for w in z.children("where")
    )
    return Zone(z.take("id", _text), z.take("name", _text), regions)


def _surcharge(s: _Reader) -> Surcharge:
    kind = next((k for k in ("fixed", "percent", "per_kg", "per_value_step") if k in s.values), None)
    if kind is None:
        s.fail("amount", "one of fixed, percent, per_kg, per_value_step is expected")
    w = _Reader(s.values.get("when", {}), f"{s.path}.when", s.errors)
    when = When(
        home=w.take("home", _bool, None),
        longest_over_mm=w.take("longest_over_mm", _count, None),
        girth_over_mm=w.take("girth_over_mm", _count, None),
        gross_over_g=w.take("gross_over_g", _count, None),
        not_stackable=w.take("not_stackable", _bool, None),
        contents=w.take("contents", _set, frozenset()),
        zones=w.take("zones", _set, frozenset()),
        postcodes=w.take("postcodes", _texts, ()),
        ship_from=w.take("ship_from", date.fromisoformat, None),
        ship_until=w.take("ship_until", date.fromisoformat, None),
    )
    amount = Amount(
        kind=kind or "fixed",  # type: ignore[arg-type]
        figure=s.take(kind, _count) if kind else 0,
        step=s.take("step", _count, 0),
        included=s.take("included", _count, 0),
        minimum=s.take("minimum", _count, None),
        cap=s.take("cap", _count, None),
    )
    if amount.kind == "per_value_step" and not amount.step:
        s.fail("step", "is missing")
    return Surcharge(
        code=s.take("code", _text),
        name=s.take("name", _text),
        amount=amount,
        when=when,
        per_shipment=s.take("per_shipment", _bool, False),
        group=s.take("group", _text, None),
        carries_fuel=s.take("carries_fuel", _bool, False),
        taxable=s.take("taxable", _bool, True),
    )


def _service(s: _Reader) -> Service:
    kind = s.take("kind", _text)
    limits = _Reader(s.values.get("limits", {}), f"{s.path}.limits", s.errors)
    volumetric = s.child("volumetric") if "volumetric" in s.values else None
    transit = {}
    for zone, days in _Reader(s.values.get("transit"), f"{s.path}.transit", s.errors).values.items():
        pair = days if isinstance(days, list) else []
        if len(pair) != 2 or not all(isinstance(d, int) and 0 <= d <= 60 for d in pair) or pair[0] > pair[1]:
            s.fail(f"transit.{zone}", "two rising numbers of working days are expected")
        else:
            transit[zone] = Transit(pair[0], pair[1], bool(s.values.get("saturdays")))
    return Service(
        code=s.take("code", _text),
        name=s.take("name", _text),
        network=s.take("network", _text),
        kind=kind,
        transit=transit,
        steps=_steps(s, kind),
        classes=tuple(_size_class(c) for c in s.children("classes")),
        packaging=s.take("packaging", _text, None),
        max_g_per_tier=s.take("max_g", _counts, ()),
        volumetric=Volumetric(volumetric.take("divisor", _count), volumetric.take("threshold_cm3", _count, 0))
        if volumetric else None,
        round_up_g=s.take("round_up_g", _count, 1),
        minimum_g=s.take("minimum_g", _count, 0),
        limits=Limits(
            gross_g=limits.take("gross_g", _count, None),
            sides=limits.take("sides_mm", _size, None),
            girth_mm=limits.take("girth_mm", _count, None),
            value=limits.take("value", _count, None),
            refused_contents=limits.take("refused_contents", _set, frozenset()),
        ),
        surcharges=s.take("surcharges", _texts, ()),
        extras=s.take("extras", _texts, ()),
        included=s.take("included", _texts, ()),
        tracked=s.take("tracked", _bool, True),
        home_delivery=s.take("home_delivery", _bool, True),
    )  # fmt: skip


def _size_class(c: _Reader) -> SizeClass:
    prices = {zone: price for zone, price in c.child("prices").values.items() if isinstance(price, int)}
    return SizeClass(c.take("code", _text), c.take("sides_mm", _size), c.take("max_gross_g", _count), prices)


def _steps(s: _Reader, kind: str) -> dict[str, Steps]:
    if kind == "size_classes":
        return {}
    bounds = s.take(_STEP_KEY[kind], _counts) if kind in _STEP_KEY else ()
    if kind not in {"weight", "volume_tiers", "one_price"}:
        s.fail("kind", "one of weight, volume_tiers, one_price, size_classes is expected")
    if list(bounds) != sorted(set(bounds)):
        s.fail(_STEP_KEY.get(kind, "steps"), "steps must rise")
    tail = _Reader(s.values.get("tail", {}), f"{s.path}.tail", s.errors)
    tail_prices = _Reader(tail.values.get("prices", {}), f"{s.path}.tail.prices", s.errors)
    steps = {}
    for zone in s.child("prices").values:
        row = s.child("prices").take(zone, _counts)
        if row and len(row) != (len(bounds) or 1):
            s.fail(f"prices.{zone}", f"{len(row)} prices stand beside {len(bounds) or 1} steps")
        if list(row) != sorted(row):
            s.fail(f"prices.{zone}", "a heavier parcel must not cost less")
        steps[zone] = Steps(bounds, row, tail.take("unit_g", _count, 0), tail_prices.take(zone, _count, 0))
    return steps


def _check(card: RateCard, errors: list[str]) -> None:
    """Add what is wrong between the parts of a card: names that point nowhere, zones without a price."""
    zones = {z.id for z in card.zones}
    known = {s.code for s in card.surcharges}
    extras = {s.code for s in card.extras}
    networks = {n.id for n in card.networks}
    for what, codes in (
        ("zone", [z.id for z in card.zones]),
        ("service", [s.code for s in card.services]),
        ("surcharge or extra", [s.code for s in (*card.surcharges, *card.extras)]),
    ):
        errors += [f"{what} {code} stands twice" for code in sorted({c for c in codes if codes.count(c) > 1})]
    if card.valid_until and card.valid_until < card.valid_from:
        errors.append("valid_until: lies before valid_from")
    served: set[str] = set()
    for service in card.services:
        priced = set(service.steps) | {zone for c in service.classes for zone in c.prices}
        served |= priced
        where = f"service {service.code}"
        errors += [f"{where}: zone {z} is not on the card" for z in sorted((priced | set(service.transit)) - zones)]
        errors += [f"{where}: zone {z} has a price but no transit days" for z in sorted(priced - set(service.transit))]
        errors += [f"{where}: zone {z} has transit days but no price" for z in sorted(set(service.transit) - priced)]
        errors += [f"{where}: no such surcharge {c}" for c in sorted(set(service.surcharges) - known)]
        errors += [
            f"{where}: no such extra {c}" for c in sorted((set(service.extras) | set(service.included)) - extras)
        ]
        if service.network not in networks:
            errors.append(f"{where}: no such network {service.network}")
        if service.kind == "volume_tiers" and any(
            len(service.max_g_per_tier) != len(s.bounds) for s in service.steps.values()
        ):
            errors.append(f"{where}: max_g needs a figure for each tier")
        if service.volumetric and not service.volumetric.divisor:
            errors.append(f"{where}: a divisor of 0 cannot be")
    errors += [f"zone {z} is priced by no service" for z in sorted(zones - served)]
