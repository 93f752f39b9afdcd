"""Read the spreadsheet form of a rate card, with every fault named by its sheet and cell."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tidewind.core.tariffs.card import RateCard
from tidewind.core.tariffs.reading import BadCard
from tidewind.core.tariffs.sheets import (
    CARD_COLUMNS,
    DAYS,
    FUEL_COLUMNS,
    KG,
    LIMIT_COLUMNS,
    MONEY,
    NETWORK_COLUMNS,
    REGION_COLUMNS,
    SERVICE_COLUMNS,
    SIDES,
    SURCHARGE_COLUMNS,
    TEXTS,
    YES,
    Cell,
    Columns,
    Sheet,
    put,
)
from tidewind.core.tariffs.written import read_card
from tidewind.core.written import Written

_TAIL = re.compile(r"each\s+(.+)", re.IGNORECASE)


def read_sheets(sheets: Mapping[str, Sheet]) -> RateCard | BadCard:
    """Return the card that the tables say, or every fault with its sheet and cell; never raises for bad input."""
    tables = _Tables(sheets)
    written = tables.written()
    if tables.faults:
        return BadCard(tuple(tables.faults))
    card = read_card(written)
    return BadCard(tuple(tables.placed(fault) for fault in card.errors)) if isinstance(card, BadCard) else card


def _letter(column: int) -> str:
    return chr(65 + column) if column < 26 else chr(64 + column // 26) + chr(65 + column % 26)


@dataclass(slots=True)
class _Row:
    """One row of a table: its cells by heading, and where it stands."""

    sheet: str
    number: int
    cells: dict[str, str]
    columns: dict[str, int]

    def at(self, head: str) -> str:
        """Say where a cell is: ``Prices, cell D7``."""
        return f"{self.sheet}, cell {_letter(self.columns.get(head, 0))}{self.number}"


@dataclass(slots=True)
class _Tables:
    """Takes the tables apart; ``where`` remembers which part of the written form came from which place."""

    sheets: Mapping[str, Sheet]
    faults: list[str] = field(default_factory=list)
    where: dict[str, str] = field(default_factory=dict)

    def placed(self, fault: str) -> str:
        """Put the place in the tables before a fault that names a part of the written form."""
        path = fault.split(":", 1)[0]
        for known in sorted(self.where, key=len, reverse=True):
            if path == known or path.startswith((f"{known}.", f"{known}[")):
                return f"{self.where[known]}: {fault[len(known) :].lstrip('.: ')}"
        return fault

    def rows(self, sheet: str) -> Iterator[_Row]:
        """Return the filled rows of a table; a table that is not there is empty."""
        table = next((rows for name, rows in self.sheets.items() if name.strip().lower() == sheet.lower()), [])
        if not table:
            return
        columns = {head.strip(): n for n, head in enumerate(table[0]) if head.strip()}
        for number, line in enumerate(table[1:], 2):
            cells = {head: line[n].strip() for head, n in columns.items() if n < len(line) and line[n].strip()}
            if cells:
                yield _Row(sheet, number, cells, columns)

    def take(self, row: _Row, head: str, cell: Cell) -> Any:
        """Return a cell's value, None where it is empty; a bad one is a fault."""
        text = row.cells.get(head)
        if text is None:
            return None
        try:
            return cell.read(text)
        except ValueError:
            self.faults.append(f"{row.at(head)}: “{text[:40]}” is not what belongs under {head}")
            return None

    def part(self, row: _Row, columns: Columns) -> Written:
        """Return what a row says by its columns; empty cells are left out."""
        made: Written = {}
        for head, key, cell in columns:
            value = self.take(row, head, cell)
            if value is not None:
                put(made, key, value)
        return made

    def written(self) -> Written:
        """Return the written form of all tables together."""
        card = self._head()
        card["networks"] = [self.part(row, NETWORK_COLUMNS) for row in self.rows("Networks")]
        card["origins"] = self._areas("Origins", "Origin")
        card["zones"] = self._areas("Zones", "Zone")
        card["fuel"] = [self.part(row, FUEL_COLUMNS) for row in self.rows("Fuel")]
        for sheet, key in (("Surcharges", "surcharges"), ("Extras", "extras"), ("Services", "services")):
            columns = SERVICE_COLUMNS if key == "services" else SURCHARGE_COLUMNS
            card[key] = []
            for row in self.rows(sheet):
                card[key].append(self.part(row, columns))
                self.where[f"{key}[{len(card[key])}]"] = f"{sheet}, row {row.number}"
        self._surcharge_places([*card["surcharges"], *card["extras"]])
        self._tables_of_services({s["code"]: (n, s) for n, s in enumerate(card["services"], 1) if "code" in s})
        return card

    def _head(self) -> Written:
        """The sheet Card stands on its side: a heading in the first column, its value in the second."""
        made: Written = {}
        table = next((rows for name, rows in self.sheets.items() if name.strip().lower() == "card"), [])
        columns = {head: (key, cell) for head, key, cell in CARD_COLUMNS}
        for number, line in enumerate(table, 1):
            if len(line) < 2 or not line[1].strip() or line[0].strip() not in columns:
                continue
            key, cell = columns[line[0].strip()]
            row = _Row("Card", number, {"value": line[1].strip()}, {"value": 1})
            self.where[key] = row.at("value")
            value = self.take(row, "value", cell)
            if value is not None:
                put(made, key, value)
        return made

    def _areas(self, sheet: str, word: str) -> list[Written]:
        found: dict[str, Written] = {}
        for row in self.rows(sheet):
            code = row.cells.get(word, "")
            if code not in found:
                made = found[code] = {"id": code, "name": row.cells.get("Name", ""), "where": []}
                self.where[f"{sheet.lower()}[{len(found)}]"] = f"{sheet}, row {row.number}"
                for head, key, cell in (("From origins", "origins", TEXTS), ("Taxed", "taxed", YES)):
                    value = self.take(row, head, cell)
                    if value is not None:
                        made[key] = value
            found[code]["where"].append(self.part(row, REGION_COLUMNS))
        return list(found.values())

    def _surcharge_places(self, surcharges: Sequence[Written]) -> None:
        known = {s.get("code"): s for s in surcharges}
        for row in self.rows("Surcharge places"):
            code = row.cells.get("Code", "")
            if code in known:
                known[code].setdefault("when", {}).setdefault("places", []).append(self.part(row, REGION_COLUMNS))
            else:
                self.faults.append(f"{row.at('Code')}: no surcharge or extra has the code {code}")

    def _tables_of_services(self, services: Mapping[str, tuple[int, Written]]) -> None:
        for row, number, service in self._of_service("Notes", services):
            service.setdefault("notes", []).append(row.cells.get("Note", ""))
            self.where[f"services[{number}].notes"] = row.at("Note")
        for row, number, service in self._of_service("Transit days", services):
            service["transit"] = self._by_zone(row, ("Service",), DAYS)
            self.where[f"services[{number}].transit"] = f"Transit days, row {row.number}"
        for row, number, service in self._of_service("Prices", services):
            self._price_row(row, number, service)
        for row, number, service in self._of_service("Sizes", services):
            made = {
                "code": row.cells.get("Size", ""),
                "sides_mm": self.take(row, "Most cm", SIDES),
                "max_gross_g": self.take(row, "Most kg", KG),
                "prices": self._by_zone(row, ("Service", "Size", "Most cm", "Most kg"), MONEY),
            }
            service.setdefault("classes", []).append(made)
            self.where[f"services[{number}].classes[{len(service['classes'])}]"] = f"Sizes, row {row.number}"
        for row, number, service in self._of_service("Zone limits", services):
            limits = service.setdefault("zone_limits", {})
            limits[row.cells.get("Zone", "")] = self.part(row, LIMIT_COLUMNS)
            self.where[f"services[{number}].zone_limits"] = f"Zone limits, row {row.number}"

    def _of_service(
        self, sheet: str, services: Mapping[str, tuple[int, Written]]
    ) -> Iterator[tuple[_Row, int, Written]]:
        for row in self.rows(sheet):
            code = row.cells.get("Service", "")
            if code in services:
                yield row, *services[code]
            else:
                self.faults.append(f"{row.at('Service')}: no service has the code {code or '(none)'}")

    def _by_zone(self, row: _Row, beside: Sequence[str], cell: Cell) -> Written:
        found = {head: self.take(row, head, cell) for head in row.cells if head not in beside}
        return {zone: value for zone, value in found.items() if value is not None}

    def _price_row(self, row: _Row, number: int, service: Written) -> None:
        beside = ("Service", "Up to kg or dm³", "Most kg")
        step = row.cells.get("Up to kg or dm³", "")
        prices = self._by_zone(row, beside, MONEY)
        tail = _TAIL.fullmatch(step)
        self.where.setdefault(f"services[{number}].prices", f"Prices, from row {row.number}")
        if tail:
            row.cells["Up to kg or dm³"] = tail[1]
            service["tail"] = {"unit_g": self.take(row, "Up to kg or dm³", KG), "prices": prices}
            self.where[f"services[{number}].tail"] = f"Prices, row {row.number}"
            return
        if step:
            key = "up_to_cm3" if service.get("kind") == "volume_tiers" else "up_to_g"
            service.setdefault(key, []).append(self.take(row, "Up to kg or dm³", KG))
            self.where.setdefault(f"services[{number}].{key}", f"Prices, from row {row.number}")
        if "Most kg" in row.cells:
            service.setdefault("max_g", []).append(self.take(row, "Most kg", KG))
        for zone, price in prices.items():
            column = service.setdefault("prices", {}).setdefault(zone, [])
            column.append(price)
            place = f"Prices, column {_letter(row.columns[zone])} to row {row.number}"
            self.where[f"services[{number}].prices.{zone}"] = place
