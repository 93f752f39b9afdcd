"""A price list in its simplest form, zones beside weight steps as on a leaflet, made into a rate card."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, time
from decimal import Decimal, InvalidOperation

from tidewind.core.addresses.countries import country_code
from tidewind.core.order_rows.figures import decimal_sign, read_money, read_weight
from tidewind.core.tariffs.sheets import Sheet
from tidewind.core.written import Written

REST = ("everywhere else", "rest of the world", "all other countries", "world", "*")
MOST_ZONES, MOST_STEPS, MOST_DAYS = 40, 200, 60
LONGEST_SIDE, MOST_DIVISOR = Decimal(1_000), Decimal(100_000)
"""In centimetres or inches, as the row is headed; in cm³ per kg."""
_DAYS = re.compile(r"(\d{1,2})\s*(?:[-–]\s*(\d{1,2}))?")
_STEP = re.compile(r"up to\s*\(?(g|kg|lb|oz)\)?", re.IGNORECASE)


@dataclass(slots=True)
class SimpleList:
    """What the sheet says: for each zone its countries, days and prices (minor units), for each step its grams.

    ``ends`` has the heaviest step that is priced in each zone: a cell left empty is not on offer.
    """

    service: str = "Parcel"
    cutoff: time = time(16, 0)
    zones: list[tuple[str, list[str]]] = field(default_factory=list)
    days: list[tuple[int, int]] = field(default_factory=list)
    up_to_g: list[int] = field(default_factory=list)
    prices: list[list[int | None]] = field(default_factory=list)
    ends: list[int] = field(default_factory=list)
    longest_mm: int | None = None
    divisor: int | None = None
    tax_percent: Decimal = Decimal(0)


@dataclass(frozen=True, slots=True)
class Around:
    """What the sheet does not say and the shop knows: the carrier's code, the money, where and since when it holds."""

    carrier: str
    name: str
    currency: str
    country: str
    time_zone: str
    valid_from: date


def is_simple(rows: Sequence[Sequence[str]]) -> bool:
    """Tell whether a table is a simple price list: one of its first rows begins with “Up to kg”."""
    return any(row and _STEP.fullmatch(row[0].strip()) for row in rows[:20])


def read_simple(rows: Sequence[Sequence[str]], currency: str) -> tuple[SimpleList, list[str]]:
    """Return what a sheet says, and every fault with its cell.

    Rows above the header name the service, its cut-off, the longest side and the tax; the header has “Up to kg” (g, lb,
    oz) and a column for each zone, headed by its countries; a row that begins with “Days” says how long it takes.
    """
    made, faults = SimpleList(), list[str]()
    at = next(n for n, row in enumerate(rows) if row and _STEP.fullmatch(row[0].strip()))
    unit = (_STEP.fullmatch(rows[at][0].strip()) or [""] * 2)[1].lower()
    for n, row in enumerate(rows[:at], 1):
        _fact(made, row, f"row {n}", faults)
    heads = [cell.strip() for cell in rows[at][1:]]
    while heads and not heads[-1]:
        heads.pop()
    for n, head in enumerate(heads, 2):
        _zone(made, head, f"{_column(n)}{at + 1}", faults)
    if not heads or len(heads) > MOST_ZONES:
        faults.append(f"row {at + 1}: name between 1 and {MOST_ZONES} zones beside “{rows[at][0]}”.")
        return made, faults
    sign = decimal_sign([cell for row in rows[at + 1 :] for cell in row[1:]])
    for n, row in enumerate(rows[at + 1 :], at + 2):
        cells = [cell.strip() for cell in row] + [""] * (1 + len(heads) - len(row))
        if not any(cells):
            continue
        if cells[0].lower().startswith("day"):
            _days_row(made, cells[1 : 1 + len(heads)], n, faults)
        else:
            _step(made, cells[: 1 + len(heads)], unit, (currency, sign), n, faults)
    made.days = made.days or [(1, 5)] * len(heads)
    if not made.up_to_g:
        faults.append("There is no row with a weight and its prices.")
    elif not faults:
        _fill(made, faults)
    return made, faults


def _fill(made: SimpleList, faults: list[str]) -> None:
    """Let zones end where their prices do: the steps beyond have the last price, and a limit that keeps them unused."""
    for n, (name, _) in enumerate(made.zones):
        column = [row[n] for row in made.prices]
        priced = [at for at, price in enumerate(column) if price is not None]
        if not priced or priced != list(range(len(priced))):
            faults.append(f"{name}: prices are missing between others. Leave out only the heaviest steps of a zone.")
            continue
        made.ends.append(made.up_to_g[priced[-1]])
        for row in made.prices[len(priced) :]:
            row[n] = column[priced[-1]]


def _column(number: int) -> str:
    return chr(64 + number) if number <= 26 else f"column {number} of row "


def _fact(made: SimpleList, row: Sequence[str], where: str, faults: list[str]) -> None:
    name, value = (row[0].strip().lower() if row else ""), (row[1].strip() if len(row) > 1 else "")
    try:
        if name == "service" and value:
            made.service = value[:80]
        elif name == "cut-off" and value:
            made.cutoff = time.fromisoformat(value[:5].zfill(5))
        elif name.startswith("longest side") and value:
            scale = Decimal("25.4") if name.endswith("in") else Decimal(10)
            made.longest_mm = int(_figure(value, Decimal("0.1"), LONGEST_SIDE) * scale)
        elif name.startswith("volume") and value:  # cm³ per kg
            made.divisor = int(_figure(value, Decimal(1), MOST_DIVISOR))
        elif name.startswith("tax") and value:
            made.tax_percent = _figure(value.rstrip("% "), Decimal(0), Decimal(100))
    except (ValueError, InvalidOperation):
        faults.append(f"{where}: “{value}” is no {name}.")


def _figure(value: str, least: Decimal, most: Decimal) -> Decimal:
    """Return a figure.  Raises ValueError where it is outside what can be meant, InvalidOperation for none."""
    figure = Decimal(value.replace(",", "."))
    if not (figure.is_finite() and least <= figure <= most):
        raise ValueError(value)
    return figure


def _zone(made: SimpleList, head: str, where: str, faults: list[str]) -> None:
    countries = []
    for word in re.split(r"[;,/]| and ", head):
        code = "*" if word.strip().lower() in REST else country_code(word.strip())
        if code and (code in countries or any(code in others for _, others in made.zones)):
            faults.append(f"{where}: “{word.strip()}” has prices already. Name each country once.")
        elif code:
            countries.append(code)
        else:
            faults.append(f"{where}: “{word.strip()}” is no country. Write countries, or “everywhere else”.")
    made.zones.append((head, countries))


def _days_row(made: SimpleList, cells: Sequence[str], row: int, faults: list[str]) -> None:
    if made.days:
        faults.append(f"A{row}: there are two rows of days. Keep one.")
    made.days = [_days(cell, f"{_column(n)}{row}", faults) for n, cell in enumerate(cells, 2)]


def _days(cell: str, where: str, faults: list[str]) -> tuple[int, int]:
    found = _DAYS.fullmatch(cell)
    if found is None or not int(found[1]) <= int(found[2] or found[1]) <= MOST_DAYS:
        faults.append(f"{where}: “{cell}” is not a valid number of days, such as 1 or 2-4, at most {MOST_DAYS}.")
        return 1, 5
    return int(found[1]), int(found[2] or found[1])


def _step(
    made: SimpleList, cells: Sequence[str], unit: str, money: tuple[str, str], row: int, faults: list[str]
) -> None:
    try:
        grams = read_weight(cells[0], unit)
    except ValueError:
        grams = None
    if not grams:
        faults.append(f"A{row}: “{cells[0]}” is no weight.")
        return
    if made.up_to_g and grams <= made.up_to_g[-1]:
        faults.append(f"A{row}: “{cells[0]}” is not heavier than the row above. Sort by weight, each weight once.")
        return
    prices: list[int | None] = []
    for n, cell in enumerate(cells[1:], 2):
        try:
            prices.append(read_money(cell, money[0], money[1]) if cell else None)
        except ValueError:
            faults.append(f"{_column(n)}{row}: “{cell}” is no price.")
    if len(made.up_to_g) >= MOST_STEPS:
        faults.append(f"A{row}: more than {MOST_STEPS} steps.")
    made.up_to_g.append(grams)
    made.prices.append(prices)


def simple_card(said: SimpleList, around: Around) -> Written:
    """Return the card in its written form (docs/rate-card.md); its reader says what is wrong with it."""
    zones = [(f"z{n}", name, countries) for n, (name, countries) in enumerate(said.zones, 1)]
    # What is everywhere else comes last: zones are tried from the top, and the first that matches counts.
    zones.sort(key=lambda zone: "*" in zone[2])
    ids = [f"z{n}" for n in range(1, len(zones) + 1)]
    limits: Written = {"gross_g": said.up_to_g[-1]}
    if said.longest_mm:
        limits["sides_mm"] = [said.longest_mm] * 3
    ends = {id_: {"gross_g": end} for id_, end in zip(ids, said.ends, strict=True) if end < said.up_to_g[-1]}
    return {
        "carrier": around.carrier,
        "currency": around.currency,
        "country": around.country,
        "time_zone": around.time_zone,
        "valid_from": around.valid_from.isoformat(),
        "tax_bp": int(said.tax_percent * 100),
        "tax_name": "Tax",
        "networks": [{"id": "main", "name": around.name, "cutoff": f"{said.cutoff:%H:%M}"}],
        "zones": [{"id": id_, "name": name, "where": [{"countries": some}]} for id_, name, some in zones],
        "services": [
            {
                "code": around.carrier,
                "name": said.service,
                "network": "main",
                "kind": "weight",
                "up_to_g": said.up_to_g,
                "prices": {id_: [row[n] for row in said.prices] for n, id_ in enumerate(ids)},
                "transit": {id_: list(days) for id_, days in zip(ids, said.days, strict=True)},
                "limits": limits,
                **({"zone_limits": ends} if ends else {}),
                **({"volumetric": {"divisor": said.divisor}} if said.divisor else {}),
            }
        ],
    }


EXAMPLE: Sheet = [
    ["Service", "Parcel"],
    ["Cut-off", "16:00"],
    ["Longest side cm", "120"],
    ["Up to kg", "Portugal", "Spain; France", "everywhere else"],
    ["1", "3.90", "9.20", "24.50"],
    ["2", "4.40", "10.60", "31.00"],
    ["5", "5.60", "14.10", "48.00"],
    ["10", "7.80", "19.90", "79.00"],
    ["20", "11.20", "29.50", "142.00"],
    ["Days", "1-2", "3-4", "6-12"],
]
"""The example that can be downloaded, filled in and brought back."""
