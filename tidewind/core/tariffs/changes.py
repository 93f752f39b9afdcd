"""What changes from one version of a rate card to the next, in words that a person can check against the price list."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from tidewind.core.quantities import money_text, volume_text, weight_text
from tidewind.core.tariffs.card import RateCard, Service, Steps
from tidewind.core.tariffs.written import write_card
from tidewind.core.written import Written

_BY_CODE = ("id", "code", "from")
_NO_STEPS = Steps((), ())


@dataclass(frozen=True, slots=True)
class Changed:
    """One difference: where it is, and what it was and becomes (empty: it was not there, or goes)."""

    where: str
    before: str
    after: str


def changes(before: RateCard, after: RateCard) -> list[Changed]:
    """Return every difference between two cards, prices by zone and step first, then everything else by its name."""
    return [*_prices(before, after), *_rest(_without_prices(before), _without_prices(after), "")]


def _prices(before: RateCard, after: RateCard) -> Iterator[Changed]:
    old = {s.code: s for s in before.services}
    zones = {z.id: z.name for z in (*before.zones, *after.zones)}
    for service in after.services:
        known = old.get(service.code)
        if known is None:
            continue
        for zone in {**known.steps, **service.steps}:
            steps = known.steps.get(zone, _NO_STEPS), service.steps.get(zone, _NO_STEPS)
            yield from _steps(service, zones[zone], *steps, after.currency)
        yield from _classes(known, service, zones, after.currency)


def _steps(service: Service, zone: str, before: Steps, after: Steps, currency: str) -> Iterator[Changed]:
    name = f"{service.name}, {zone}"
    was, becomes = _by_bound(before), _by_bound(after)
    for bound in sorted(was.keys() | becomes.keys()):
        if was.get(bound) != becomes.get(bound):
            step = (
                f" to {weight_text(bound)}"
                if bound and service.kind == "weight"
                else f" to {volume_text(bound)}"
                if bound
                else ""
            )
            yield Changed(f"{name}{step}", _money(was.get(bound), currency), _money(becomes.get(bound), currency))
    if (before.tail_unit, before.tail_price) != (after.tail_unit, after.tail_price):
        tails = [
            f"{_money(s.tail_price, currency)} per {weight_text(s.tail_unit)}" if s.tail_unit else ""
            for s in (before, after)
        ]
        yield Changed(f"{name}, beyond the last step", tails[0], tails[1])


def _by_bound(steps: Steps) -> dict[int, int]:
    """Return prices by the end of their step; one price whatever it weighs stands at 0."""
    return dict(zip(steps.bounds or (0,) * len(steps.prices), steps.prices, strict=True))


def _classes(before: Service, after: Service, zones: Mapping[str, str], currency: str) -> Iterator[Changed]:
    old = {c.code: c.prices for c in before.classes}
    new = {c.code: c.prices for c in after.classes}
    for code in {**old, **new}:
        prices, others = old.get(code, {}), new.get(code, {})
        for zone in {**prices, **others}:
            was, becomes = prices.get(zone), others.get(zone)
            if was != becomes:
                where = f"{after.name}, {zones[zone]}, size {code}"
                yield Changed(where, _money(was, currency), _money(becomes, currency))


def _money(minor: int | None, currency: str) -> str:
    return "" if minor is None else money_text(minor, currency)


def _without_prices(card: RateCard) -> Written:
    written = write_card(card)
    for service in written["services"]:
        for key in ("prices", "tail", "up_to_g", "up_to_cm3"):
            service.pop(key, None)
        for size_class in service.get("classes", ()):
            size_class.pop("prices", None)
    return written


def _rest(before: Any, after: Any, where: str) -> Iterator[Changed]:
    if isinstance(before, Mapping) and isinstance(after, Mapping):
        for key in sorted(before.keys() | after.keys()):
            yield from _rest(before.get(key), after.get(key), f"{where}, {key.replace('_', ' ')}" if where else key)
    elif _is_named(before) and _is_named(after):
        was, becomes = _named(before), _named(after)
        for name in [*was, *(n for n in becomes if n not in was)]:
            yield from _rest(was.get(name), becomes.get(name), f"{where} {name}")
    elif before != after:
        yield Changed(where, _words(before), _words(after))


def _is_named(value: Any) -> bool:
    return isinstance(value, list) and bool(value) and all(isinstance(v, Mapping) and _name(v) for v in value)


def _name(part: Mapping[str, Any]) -> str:
    return next((str(part[key]) for key in _BY_CODE if key in part), "")


def _named(parts: list[Mapping[str, Any]]) -> dict[str, Mapping[str, Any]]:
    return {_name(part): part for part in parts}


def _words(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, Mapping):
        return str(value.get("name", "there"))
    if isinstance(value, list):
        return ", ".join(_words(v) if not isinstance(v, str) else v for v in value)[:200]
    return str(value)
