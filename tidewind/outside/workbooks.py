"""Reading workbooks: the cells that are there, not the range a file says it uses."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from openpyxl import load_workbook
from python_calamine import CalamineError, CalamineWorkbook

MOST_UNPACKED_BYTES = 300_000_000
MOST_CELL, MOST_COLUMNS, MOST_ROWS = 5_000, 200, 100_000
# A reader in a faster language sets up every cell between the first and the last one: only where those are not many.
_DENSE = 3_000_000
_CELL = re.compile(rb'<c\s[^>]*?\br="([A-Z]{1,3})(\d{1,7})"')


class NotRead(Exception):
    """A workbook that cannot be read; the words are for a person."""


@dataclass(frozen=True, slots=True)
class Table:
    """One sheet: its rows as text, and what of it was left out, in words."""

    name: str
    rows: list[list[str]]
    left_out: str = ""


def is_workbook(data: bytes) -> bool:
    """Tell a workbook from text by its first bytes: a ZIP archive, or the older compound file."""
    return data[:4] in (b"PK\x03\x04", b"\xd0\xcf\x11\xe0")


def sheet_names(data: bytes) -> list[str]:
    """Return the names of a workbook's sheets.  Raises NotRead."""
    try:
        return list(_open(data).sheet_names)
    except (CalamineError, zipfile.BadZipFile, ValueError, OSError) as error:
        raise NotRead("no readable workbook. Save it again as XLSX or CSV") from error


def read_table(data: bytes, name: str) -> Table:
    """Return one sheet of a workbook, at most ``MOST_ROWS`` rows and ``MOST_COLUMNS`` columns.  Raises NotRead."""
    try:
        if _is_sparse(data):
            return _sparse(data, name)
        sheet = _open(data).get_sheet_by_name(name)
        rows = [[cell_text(value) for value in row] for row in sheet.to_python(skip_empty_area=False)]
    except (CalamineError, zipfile.BadZipFile, ValueError, KeyError, OSError) as error:
        raise NotRead("no readable workbook. Save it again as XLSX or CSV") from error
    return _within(name, rows)


def _open(data: bytes) -> CalamineWorkbook:
    if data[:2] == b"PK":
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            if sum(part.file_size for part in packed.infolist()) > MOST_UNPACKED_BYTES:
                raise NotRead("a file that unpacks to more than 300 MB; it was not opened")
    return CalamineWorkbook.from_filelike(io.BytesIO(data))


def _is_sparse(data: bytes) -> bool:
    """Tell whether some sheet has cells so far out that what lies between would fill the memory."""
    if data[:2] != b"PK":
        return False
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        parts = [name for name in packed.namelist() if name.startswith("xl/worksheets/") and name.endswith(".xml")]
        return any(_reach(packed, part) > _DENSE for part in parts)


def _reach(packed: zipfile.ZipFile, part: str) -> int:
    """Return the last row times the last column that cells of a sheet name."""
    last_row = last_column = 0
    with packed.open(part) as stream:
        rest = b""
        while block := stream.read(1 << 20):
            for column, row in _CELL.findall(rest + block):
                last_row, last_column = max(last_row, int(row)), max(last_column, _number(column))
            rest = block[-200:]
    return last_row * last_column


def _number(letters: bytes) -> int:
    value = 0
    for letter in letters:
        value = value * 26 + letter - 64
    return value


def _sparse(data: bytes, name: str) -> Table:
    """Return the rows that have anything in them, out of a sheet with cells very far out."""
    book = load_workbook(io.BytesIO(data), read_only=True, data_only=True)
    sheet = book[name]
    sheet.reset_dimensions()
    rows = [[cell_text(value) for value in row] for row in _first_rows(sheet.iter_rows(values_only=True))]
    while rows and not any(rows[-1]):
        rows.pop()
    widest = max((n + 1 for row in rows for n, cell in enumerate(row) if cell), default=0)
    table = _within(name, [row[:widest] for row in rows])
    return Table(name, table.rows, table.left_out or "cells far below or beside the table were left out")


def _first_rows(rows: Iterator[tuple[object, ...]]) -> Iterator[tuple[object, ...]]:
    for n, row in enumerate(rows):
        if n > MOST_ROWS:
            return
        yield row[: MOST_COLUMNS + 1]


def _within(name: str, rows: list[list[str]]) -> Table:
    left = []
    if len(rows) > MOST_ROWS and any(any(row) for row in rows[MOST_ROWS:]):
        left.append(f"all after row {MOST_ROWS:,}")
    if any(any(row[MOST_COLUMNS:]) for row in rows):
        left.append(f"all beyond column {MOST_COLUMNS}")
    cut = [row[:MOST_COLUMNS] for row in rows[:MOST_ROWS]]
    return Table(name, cut, f"{' and '.join(left)} was left out" if left else "")


def cell_text(value: object) -> str:
    """Return a cell as a spreadsheet shows it: figures to fifteen places, days in ISO 8601."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        return _figure(value)
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    if isinstance(value, timedelta):
        return str(value)
    return str(value)[:MOST_CELL]


def _figure(value: float) -> str:
    if value.is_integer() and abs(value) < 1e15:
        return str(int(value))
    return f"{value:.15g}"
