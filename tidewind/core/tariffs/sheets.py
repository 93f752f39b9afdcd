"""The spreadsheet form of a rate card: tables that a person fills in from a carrier's price list, and back.

Cells are written as people write them: money in major units, weight in kg, sides in cm, volume in dm³, rates in per
cent.  ``from_sheets`` returns the written form (docs/rate-card.md), and where in the tables each part of it stands.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any

from tidewind.core.written import Written

Sheet = list[list[str]]


@dataclass(frozen=True, slots=True)
class Cell:
    """How one kind of value is written into a cell and read from it."""

    write: Callable[[Any], str]
    read: Callable[[str], Any]


def _scaled(factor: int, places: int) -> Cell:
    def write(value: int) -> str:
        text = f"{Decimal(value) / factor:.{places}f}"
        return text.rstrip("0").rstrip(".") if places > 2 or (places and text.endswith(".0")) else text

    def read(text: str) -> int:
        try:
            figure = Decimal(text.replace(",", ".").replace("−", "-")) * factor
        except InvalidOperation as error:
            raise ValueError(text) from error
        if figure != int(figure):
            raise ValueError(text)
        return int(figure)

    return Cell(write, read)


def _listed(each: Cell, between: str) -> Cell:
    pattern = re.compile(rf"\s*[{re.escape(between)}]\s*")
    joiner = {",": ", ", "×x*": " × ", "-–": "-"}[between]
    return Cell(
        lambda values: joiner.join(each.write(v) for v in values),
        lambda text: [each.read(part) for part in pattern.split(text) if part],
    )


def _yes(text: str) -> bool:
    if text.lower() not in {"yes", "no"}:
        raise ValueError(text)
    return text.lower() == "yes"


TEXT = Cell(str, str)
WHOLE, MONEY, KG = _scaled(1, 0), _scaled(100, 2), _scaled(1000, 3)
CM, DM3, PERCENT = _scaled(10, 1), _scaled(1000, 3), _scaled(100, 4)
YES = Cell(lambda value: "yes" if value else "no", _yes)
TEXTS, SIDES, WEEKDAYS = _listed(TEXT, ","), _listed(CM, "×x*"), _listed(WHOLE, ",")
KGS, DAYS = _listed(KG, ","), _listed(WHOLE, "-–")
Columns = tuple[tuple[str, str, Cell], ...]
"""Heading, key (with a dot for a part inside), and how the cell is written."""

LIMIT_COLUMNS: Columns = (
    ("Most kg", "gross_g", KG),
    ("Most cm", "sides_mm", SIDES),
    ("Most girth cm", "girth_mm", CM),
    ("Most value", "value", MONEY),
    ("Least cm", "least_sides_mm", SIDES),
    ("Most parcels", "parcels", WHOLE),
    ("Does not take", "refused_contents", TEXTS),
)
CARD_COLUMNS: Columns = (
    ("Carrier", "carrier", TEXT), ("Currency", "currency", TEXT), ("Country", "country", TEXT),
    ("Time zone", "time_zone", TEXT), ("Valid from", "valid_from", TEXT), ("Valid until", "valid_until", TEXT),
    ("Priced by ship date", "priced_by_ship_date", YES), ("Tax %", "tax_bp", PERCENT), ("Tax name", "tax_name", TEXT),
    ("Void within days", "void_within_days", WHOLE), ("Refund within days", "refund_within_days", WHOLE),
    ("Note", "note", TEXT),
)  # fmt: skip
REGION_COLUMNS: Columns = (
    ("Countries", "countries", TEXTS),
    ("Postcodes", "postcodes", TEXTS),
    ("Not postcodes", "not_postcodes", TEXTS),
    ("Regions", "regions", TEXTS),
)
SURCHARGE_COLUMNS: Columns = (
    ("Code", "code", TEXT), ("Name", "name", TEXT), ("Fixed", "fixed", MONEY), ("Per cent", "percent", PERCENT),
    ("Of", "of", TEXTS), ("Per kg", "per_kg", MONEY), ("Per step of value", "per_value_step", MONEY),
    ("Step", "step", MONEY), ("Included", "included", MONEY), ("At least", "minimum", MONEY), ("At most", "cap", MONEY),
    ("Group", "group", TEXT), ("Carries fuel", "carries_fuel", YES), ("Taxed", "taxable", YES),
    ("Per shipment", "per_shipment", YES), ("Saturday", "saturday", YES), ("Home", "when.home", YES),
    ("Longest over cm", "when.longest_over_mm", CM), ("Second side over cm", "when.middle_over_mm", CM),
    ("Girth over cm", "when.girth_over_mm", CM), ("Gross over kg", "when.gross_over_g", KG),
    ("Volume over dm³", "when.volume_over_cm3", DM3), ("Value over", "when.value_over", MONEY),
    ("Parcels over", "when.parcels_over", WHOLE), ("Not stackable", "when.not_stackable", YES),
    ("Contents", "when.contents", TEXTS), ("Zones", "when.zones", TEXTS), ("Weekdays", "when.weekdays", WEEKDAYS),
    ("Ships from", "when.ship_from", TEXT), ("Ships until", "when.ship_until", TEXT),
)  # fmt: skip
SERVICE_COLUMNS: Columns = (
    ("Code", "code", TEXT), ("Name", "name", TEXT), ("Network", "network", TEXT), ("Kind", "kind", TEXT),
    ("Carrier's packaging", "packaging", TEXT), ("Cm³ per kg", "volumetric.divisor", WHOLE),
    ("Volume counts above dm³", "volumetric.threshold_cm3", DM3), ("Sides up to cm", "volumetric.side_step_mm", CM),
    ("Weight up to kg", "round_up_g", KG), ("Least kg", "minimum_g", KG), ("Least charge", "minimum_charge", MONEY),
    ("Weighed together", "weighed_together", YES), ("Fuel", "fuel", YES), ("Saturdays count", "saturdays", YES),
    *((head, f"limits.{key}", cell) for head, key, cell in LIMIT_COLUMNS),
    ("Surcharges", "surcharges", TEXTS), ("Extras", "extras", TEXTS), ("Included", "included", TEXTS),
    ("Tracked", "tracked", YES), ("Tracking", "tracking", TEXT), ("Home delivery", "home_delivery", YES),
    ("To a point", "to_point", YES), ("By time", "by_time", TEXT), ("Hand over", "handover", TEXTS),
    ("Duties paid", "duties_paid", YES), ("Approval", "approval", TEXT), ("Days ahead", "ahead_days", WHOLE),
    ("Returns", "returns", YES), ("Post", "post", TEXT),
)  # fmt: skip
NETWORK_COLUMNS: Columns = (
    ("Network", "id", TEXT), ("Name", "name", TEXT), ("Cut-off", "cutoff", TEXT),
    ("Pickup asked until", "pickup.ask_until", TEXT), ("Days before", "pickup.days_before", WHOLE),
    ("Least days ahead", "pickup.least_ahead", WHOLE), ("Most days ahead", "pickup.most_ahead", WHOLE),
    ("Van comes on", "pickup.weekdays", WEEKDAYS), ("Postcodes", "pickup.postcodes", TEXTS),
    ("Van from", "pickup.opens", TEXT), ("Van until", "pickup.closes", TEXT),
    ("Least window min", "pickup.least_span_min", WHOLE), ("Exact hour", "pickup.exact_hour", YES),
    ("Pickup fee", "pickup.fee", MONEY), ("Fee per", "pickup.fee_per", TEXT),
    ("Exact hour fee", "pickup.exact_hour_fee", MONEY), ("Saturday fee", "pickup.saturday_fee", MONEY),
    ("Most parcels", "pickup.most_parcels", WHOLE), ("Most kg in all", "pickup.most_gross_g", KG),
    ("Most kg a parcel", "pickup.parcel_gross_g", KG), ("Most cm a parcel", "pickup.parcel_sides_mm", SIDES),
    ("Not fetched alone", "pickup.not_alone", TEXTS), ("Not fetched", "pickup.not_fetched", TEXTS),
    ("Change until min before", "pickup.change_until_min", WHOLE), ("Manifest first", "pickup.manifest_first", YES),
    ("Spots", "pickup.spots", TEXTS), ("Ask pickup until", "ask_pickup_until", TEXT),
)  # fmt: skip
FUEL_COLUMNS: Columns = (("From", "from", TEXT), ("Per cent", "bp", PERCENT))


_PRICE_HEADS, _SIZE_HEADS = ("Service", "Up to kg or dm³", "Most kg"), ("Service", "Size", "Most cm", "Most kg")


def _get(part: Mapping[str, Any], key: str) -> Any:
    for name in key.split("."):
        part = part.get(name) if isinstance(part, Mapping) else None  # type: ignore[assignment]
    return part


def put(part: Written, key: str, value: Any) -> None:
    """Set a value by its key, with the parts a dotted key goes through."""
    *outer, last = key.split(".")
    for name in outer:
        part = part.setdefault(name, {})
    part[last] = value


def _line(part: Mapping[str, Any], columns: Columns) -> list[str]:
    values = [_get(part, key) for _, key, _ in columns]
    return ["" if v is None else cell.write(v) for v, (_, _, cell) in zip(values, columns, strict=True)]


def _heads(columns: Columns) -> list[str]:
    return [head for head, _, _ in columns]


def to_sheets(card: Mapping[str, Any]) -> dict[str, Sheet]:
    """Return the tables of a written card; ``from_sheets`` gives the same card back."""
    zones = [z["id"] for z in card["zones"]]
    services = card["services"]
    return {
        "Card": [[head, text] for head, text in zip(_heads(CARD_COLUMNS), _line(card, CARD_COLUMNS), strict=True)],
        "Networks": [_heads(NETWORK_COLUMNS), *(_line(n, NETWORK_COLUMNS) for n in card["networks"])],
        "Origins": _areas(card.get("origins", []), "Origin", zone=False),
        "Zones": _areas(card["zones"], "Zone", zone=True),
        "Fuel": [_heads(FUEL_COLUMNS), *(_line(f, FUEL_COLUMNS) for f in card.get("fuel", []))],
        "Surcharges": [_heads(SURCHARGE_COLUMNS), *(_line(s, SURCHARGE_COLUMNS) for s in card.get("surcharges", []))],
        "Extras": [_heads(SURCHARGE_COLUMNS), *(_line(s, SURCHARGE_COLUMNS) for s in card.get("extras", []))],
        "Surcharge places": [["Code", *_heads(REGION_COLUMNS)], *_places(card)],
        "Services": [_heads(SERVICE_COLUMNS), *(_line(s, SERVICE_COLUMNS) for s in services)],
        "Notes": [["Service", "Note"], *([s["code"], note] for s in services for note in s.get("notes", []))],
        "Transit days": [["Service", *zones], *(_by_zone(s["code"], s["transit"], zones, DAYS) for s in services)],
        "Prices": [[*_PRICE_HEADS, *zones], *(r for s in services for r in _prices(s, zones))],
        "Sizes": [[*_SIZE_HEADS, *zones], *(r for s in services for r in _sizes(s, zones))],
        "Zone limits": [
            ["Service", "Zone", *_heads(LIMIT_COLUMNS)],
            *(
                [s["code"], zone, *_line(limits, LIMIT_COLUMNS)]
                for s in services
                for zone, limits in s.get("zone_limits", {}).items()
            ),
        ],
    }


def _areas(areas: Sequence[Mapping[str, Any]], word: str, *, zone: bool) -> Sheet:
    more = ["From origins", "Taxed"] if zone else []
    rows = [[word, "Name", *more, *_heads(REGION_COLUMNS)]]
    for area in areas:
        of_zone = [TEXTS.write(area.get("origins", [])), YES.write(area.get("taxed", True))] if zone else []
        rows += [[area["id"], area["name"], *of_zone, *_line(where, REGION_COLUMNS)] for where in area["where"]]
    return rows


def _places(card: Mapping[str, Any]) -> Sheet:
    both = [*card.get("surcharges", []), *card.get("extras", [])]
    return [[s["code"], *_line(place, REGION_COLUMNS)] for s in both for place in _get(s, "when.places") or []]


def _by_zone(code: str, values: Mapping[str, Any], zones: Sequence[str], cell: Cell) -> list[str]:
    return [code, *(cell.write(values[z]) if z in values else "" for z in zones)]


def _prices(service: Written, zones: Sequence[str]) -> Sheet:
    prices = service.get("prices", {})
    if not prices:
        return []
    steps = service.get("up_to_g") or service.get("up_to_cm3") or [None]
    most = service.get("max_g", [])
    rows = [
        [
            service["code"],
            KG.write(step) if step is not None else "",
            KG.write(most[n]) if most else "",
            *(MONEY.write(prices[z][n]) if z in prices else "" for z in zones),
        ]
        for n, step in enumerate(steps)
    ]
    if "tail" in service:
        tail = service["tail"]
        each = [MONEY.write(tail["prices"][z]) if z in tail["prices"] else "" for z in zones]
        rows.append([service["code"], f"each {KG.write(tail['unit_g'])}", "", *each])
    return rows


def _sizes(service: Written, zones: Sequence[str]) -> Sheet:
    return [
        [
            service["code"],
            c["code"],
            SIDES.write(c["sides_mm"]),
            KG.write(c["max_gross_g"]),
            *(MONEY.write(c["prices"][z]) if z in c["prices"] else "" for z in zones),
        ]
        for c in service.get("classes", [])
    ]
