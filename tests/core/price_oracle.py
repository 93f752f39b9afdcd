"""A second way to a price: read from the documented JSON of a card, slowly and without the engine.

Every line follows a sentence of docs/rate-card.md; nothing of ``tidewind.core.tariffs`` is used.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import date
from decimal import ROUND_CEILING, ROUND_HALF_UP, Decimal
from typing import Any

from tidewind.core.consignments import Consignment, Parcel

Json = Mapping[str, Any]


class No(Exception):
    """The service does not take it."""


def price(card: Json, code: str, c: Consignment, on: date, cuts: Mapping[str, int]) -> tuple[int, int] | None:
    """Return net and tax of a consignment, None where the service does not take it."""
    service = next(s for s in card["services"] if s["code"] == code)
    try:
        return _price(card, service, c, on, cuts)
    except No:
        return None


def _price(card: Json, service: Json, c: Consignment, on: date, cuts: Mapping[str, int]) -> tuple[int, int]:
    zone = _zone(card, c)
    if zone is None or zone["id"] not in service["transit"]:
        raise No
    _limits(service, zone["id"], c)
    known = {**{s["code"]: s for s in card.get("surcharges", [])}, **{e["code"]: e for e in card.get("extras", [])}}
    weights = [_billable(p, service) for p in c.parcels]
    bases = _bases(service, zone["id"], c, weights, cuts)
    net, fuel_base, taxed = (sum(n for _, n in bases) for _ in range(3))

    mine = [s for s in card.get("surcharges", []) if s["code"] in service.get("surcharges", [])]
    lines = _surcharges(mine, zone["id"], c, on, weights, bases)
    for rule, amount in lines:
        net += amount
        fuel_base += amount if rule.get("carries_fuel", False) else 0
        taxed += amount if rule.get("taxable", True) else 0
    if service.get("fuel", True):
        rates = [f for f in card.get("fuel", []) if date.fromisoformat(f["from"]) <= on]
        fuel = _percent(fuel_base, max(rates, key=lambda f: f["from"])["bp"]) if rates else 0
        net, taxed = net + fuel, taxed + fuel
    for rule, amount in _extras(service, known, zone["id"], c, on, weights, bases):
        net += amount
        taxed += amount if rule.get("taxable", True) else 0
    return net, _percent(taxed, card["tax_bp"]) if zone.get("taxed", True) else 0


def _percent(amount: int, bp: int) -> int:
    return int((Decimal(amount) * bp / 10_000).quantize(Decimal(1), ROUND_HALF_UP))


def _steps(amount: int, step: int) -> int:
    return max(0, int((Decimal(amount) / step).to_integral_value(ROUND_CEILING)))


def _letters(text: str) -> str:
    return "".join(ch for ch in text.upper() if ch.isalnum())


def _in(regions: Iterable[Json], country: str, postcode: str, state: str) -> bool:
    for region in regions:
        right = country in region["countries"] or "*" in region["countries"]
        states = [r.casefold() for r in region.get("regions", [])]
        if not right or any(_has(postcode, p) for p in region.get("not_postcodes", [])):
            continue
        if (not states or state.casefold() in states) and (
            not region.get("postcodes") or any(_has(postcode, p) for p in region["postcodes"])
        ):
            return True
    return False


def _has(postcode: str, pattern: str) -> bool:
    low, _, high = pattern.partition("-")
    high = high or low
    return len(postcode) >= len(low) and low <= postcode[: len(low)] and postcode[: len(high)] <= high


def _zone(card: Json, c: Consignment) -> Json | None:
    to, state = _letters(c.route.postcode), c.route.region
    start, home = _letters(c.route.from_postcode), c.route.from_country or card["country"]
    origin = next((o["id"] for o in card.get("origins", []) if _in(o["where"], home, start, "")), None)
    if origin is None and home != card["country"]:
        return None
    for zone in card["zones"]:
        if zone.get("origins") and origin not in zone["origins"]:
            continue
        if _in(zone["where"], c.route.country, to, state):
            return dict(zone)
    return None


def _limits(service: Json, zone: str, c: Consignment) -> None:
    both = [service.get("limits", {}), service.get("zone_limits", {}).get(zone, {})]
    refused = {code for limits in both for code in limits.get("refused_contents", [])}
    if c.goods.contents & refused or (c.route.po_box and "po_box" in refused):
        raise No
    if service.get("to_point") and not c.route.point:
        raise No
    if not c.extras <= {*service.get("extras", []), *service.get("included", [])}:
        raise No
    least = both[1].get("least_sides_mm") or both[0].get("least_sides_mm") or [0, 0, 0]
    for p in c.parcels:
        if p.packaging != service.get("packaging"):
            raise No
        _size_limits(both, sorted(least), c, p)


def _size_limits(both: list[Json], least: list[int], c: Consignment, p: Parcel) -> None:
    for limits in both:
        if c.goods.value > limits.get("value", 10**12) or len(c.parcels) > limits.get("parcels", 10**9):
            raise No
        if p.gross_g > limits.get("gross_g", 10**9) or _girth(p) > limits.get("girth_mm", 10**9):
            raise No
        most = sorted(limits.get("sides_mm", [10**6] * 3))
        if any(a > b for a, b in zip(sorted(_sides(p)), most, strict=True)):
            raise No
    if any(a < b for a, b in zip(sorted(_sides(p)), least, strict=True)):
        raise No


def _sides(p: Parcel) -> tuple[int, int, int]:
    return p.size.longest, p.size.middle, p.size.shortest


def _girth(p: Parcel) -> int:
    longest, middle, shortest = _sides(p)
    return longest + 2 * (middle + shortest)


def _mm3(sides: Iterable[int]) -> int:
    product = 1
    for side in sides:
        product *= side
    return product


def _billable(p: Parcel, service: Json) -> int:
    weight = max(p.gross_g, service.get("minimum_g", 0))
    rule = service.get("volumetric")
    if rule:
        step = rule.get("side_step_mm", 1)
        volume = _mm3(_steps(side, step) * step for side in _sides(p))
        if volume > rule.get("threshold_cm3", 0) * 1000:
            weight = max(weight, _steps(volume, rule["divisor"]))
    step = service.get("round_up_g", 1)
    return _steps(weight, step) * step


def _list_price(service: Json, zone: str, p: Parcel, weight: int) -> int:
    kind = service["kind"]
    if kind == "size_classes":
        return _class_price(service, zone, p)
    prices = service["prices"][zone]
    if kind == "one_price":
        return int(prices[0])
    if kind == "volume_tiers":
        n = next((n for n, most in enumerate(service["up_to_cm3"]) if _mm3(_sides(p)) <= most * 1000), None)
        if n is None or p.gross_g > service["max_g"][n]:
            raise No
        return int(prices[n])
    n = next((n for n, most in enumerate(service["up_to_g"]) if weight <= most), None)
    if n is not None:
        return int(prices[n])
    tail = service.get("tail")
    if not tail:
        raise No
    return int(prices[-1]) + _steps(weight - service["up_to_g"][-1], tail["unit_g"]) * int(tail["prices"][zone])


def _class_price(service: Json, zone: str, p: Parcel) -> int:
    for one in service["classes"]:
        most = sorted(one["sides_mm"])
        if p.gross_g <= one["max_gross_g"] and all(a <= b for a, b in zip(sorted(_sides(p)), most, strict=True)):
            return int(one["prices"][zone])
    raise No


def _bases(
    service: Json, zone: str, c: Consignment, weights: list[int], cuts: Mapping[str, int]
) -> list[tuple[int, int]]:
    """List price and net base of each parcel; of all together they stand with the first."""
    code = service["code"]
    bp = next((cuts[key] for key in (f"{code}:{zone}", code, f"*:{zone}", "*") if key in cuts), 0)
    if service.get("weighed_together") and len(c.parcels) > 1:
        step = service.get("round_up_g", 1)
        lists = [_list_price(service, zone, c.parcels[0], _steps(sum(weights), step) * step)]
    else:
        lists = [_list_price(service, zone, p, w) for p, w in zip(c.parcels, weights, strict=True)]
    found = []
    for listed in lists:
        net = listed - _percent(listed, bp)
        found.append((listed, max(net, min(listed, service.get("minimum_charge", 0)))))
    return found + [(0, 0)] * (len(c.parcels) - len(found))


def _possible(rule: Json, zone: str, c: Consignment, on: date) -> bool:
    """What does not depend on the parcels."""
    when = rule.get("when", {})
    to = _letters(c.route.postcode)
    return (
        when.get("home", c.route.home) is c.route.home
        and (not when.get("zones") or zone in when["zones"])
        and (not when.get("places") or _in(when["places"], c.route.country, to, c.route.region))
        and (not when.get("weekdays") or on.isoweekday() in when["weekdays"])
        and date.fromisoformat(when.get("ship_from", "0001-01-01")) <= on
        and on <= date.fromisoformat(when.get("ship_until", "9999-12-31"))
    )


def _meets(rule: Json, c: Consignment, p: Parcel) -> bool:
    when = rule.get("when", {})
    over = {
        "longest_over_mm": p.size.longest,
        "middle_over_mm": p.size.middle,
        "girth_over_mm": _girth(p),
        "gross_over_g": p.gross_g,
        "volume_over_cm3": Decimal(_mm3(_sides(p))) / 1000,
        "value_over": c.goods.value,
        "parcels_over": len(c.parcels),
    }
    return (
        (not when.get("contents") or bool(c.goods.contents & set(when["contents"])))
        and when.get("not_stackable", p.not_stackable) is p.not_stackable
        and all(figure > when[name] for name, figure in over.items() if name in when)
    )


def _amount(rule: Json, weight: int, value: int, sums: Mapping[str, int]) -> int:
    if "fixed" in rule:
        amount = int(rule["fixed"])
    elif "percent" in rule:
        amount = _percent(sum(sums.get(name, 0) for name in rule.get("of", ["base"])), rule["percent"])
    elif "per_kg" in rule:
        amount = _steps(weight, 1000) * int(rule["per_kg"])
    else:
        amount = _steps(value - rule.get("included", 0), rule["step"]) * int(rule["per_value_step"])
    return min(max(amount, rule.get("minimum", 0)), rule.get("cap", 10**12))


def _once(rule: Json) -> bool:
    return bool(rule.get("per_shipment")) or "per_value_step" in rule


def _needed_first(rules: list[Json]) -> list[Json]:
    placed: list[Json] = []
    while len(placed) < len(rules):
        done = {r["code"] for r in placed}
        names = {r["code"] for r in rules} - done
        placed += [r for r in rules if r["code"] not in done and not names & (set(r.get("of", [])) - {r["code"]})]
    return placed


def _surcharges(
    mine: list[Json], zone: str, c: Consignment, on: date, weights: list[int], bases: list[tuple[int, int]]
) -> list[tuple[Json, int]]:
    made: list[tuple[Json, int]] = []
    for n, p in enumerate(c.parcels):
        sums = {"list": bases[n][0], "base": bases[n][1]}
        found: list[tuple[Json, int]] = []
        for rule in _needed_first(mine):
            if not _possible(rule, zone, c, on):
                continue
            if _once(rule):
                if n or not any(_meets(rule, c, q) for q in c.parcels):
                    continue
                whole = {**sums, "list": sum(b[0] for b in bases), "base": sum(b[1] for b in bases)}
                amount = _amount(rule, sum(weights), c.goods.value, whole)
            elif _meets(rule, c, p):
                amount = _amount(rule, weights[n], c.goods.value, sums)
            else:
                continue
            sums[rule["code"]] = amount
            found.append((rule, amount))
        made += _dearest([pair for rule in mine for pair in found if pair[0] is rule])
    return made


def _extras(
    service: Json,
    known: Mapping[str, Json],
    zone: str,
    c: Consignment,
    on: date,
    weights: list[int],
    bases: list[tuple[int, int]],
) -> list[tuple[Json, int]]:
    found: dict[int, list[tuple[Json, int]]] = {}
    for code in [e for e in known if e in service.get("extras", [])]:
        if code not in c.extras or code in service.get("included", []):
            continue
        rule = known[code]
        if not _possible(rule, zone, c, on):
            raise No
        for n in [-1] if _once(rule) else range(len(c.parcels)):
            if not _meets(rule, c, c.parcels[max(n, 0)]):
                raise No
            some = bases if n < 0 else bases[n : n + 1]
            sums = {"list": sum(b[0] for b in some), "base": sum(b[1] for b in some)}
            weight = sum(weights) if n < 0 else weights[n]
            found.setdefault(n, []).append((rule, _amount(rule, weight, c.goods.value, sums)))
    return [pair for lines in found.values() for pair in _dearest(lines)]


def _dearest(lines: list[tuple[Json, int]]) -> list[tuple[Json, int]]:
    """Of one group only the dearest counts, the first of equals."""
    best: dict[str, tuple[Json, int]] = {}
    for pair in lines:
        group = pair[0].get("group")
        if group and (group not in best or pair[1] > best[group][1]):
            best[group] = pair
    return [pair for pair in lines if not pair[0].get("group") or best[pair[0]["group"]] is pair]
