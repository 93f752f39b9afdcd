"""Reading CSV and XLSX from anywhere: encoding, delimiter, sheet and cells found; hostile files refused in words."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeVar

from tidewind.core.order_rows.columns import guess_columns, header_row
from tidewind.outside.apart import TooMuch, read_apart
from tidewind.outside.encodings import Decoded, decode, sample_of
from tidewind.outside.page_tables import charset_of, is_page, rows_of_page
from tidewind.outside.sheets_out import unharmed
from tidewind.outside.workbooks import (
    MOST_CELL,
    MOST_COLUMNS,
    MOST_ROWS,
    NotRead,
    Table,
    is_workbook,
    read_table,
    sheet_names,
)

Result = TypeVar("Result")
MOST_TABLES = 40
ALL_SHEETS = "*"
"""Every sheet with the header of the first, one below the other."""
DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}


class SpreadsheetError(Exception):
    """A file that cannot be read; the message says what it is and what to do."""


@dataclass(frozen=True, slots=True)
class Chosen:
    """What somebody has said of a file: its sheet, encoding, delimiter; empty for what is to be found out."""

    sheet: str = ""
    encoding: str = ""
    delimiter: str = ""


@dataclass(frozen=True, slots=True)
class Sheet:
    """The rows of a file as text, and how it was read.

    ``sheets`` are those that can be chosen, ``doubts`` what the guess is unsure of, in words, ``samples`` a line of the
    file for each encoding that fits about as well, and ``left_out`` what was not read.
    """

    rows: list[list[str]]
    read_as: str
    sheets: tuple[str, ...] = ()
    chosen: Chosen = Chosen()
    doubts: tuple[str, ...] = ()
    samples: tuple[tuple[str, str], ...] = ()
    left_out: str = ""

    @property
    def unharmed_rows(self) -> list[list[str]]:
        """The rows as they were before they were made harmless, which is done to CSV alone."""
        return [[unharmed(cell) for cell in row] for row in self.rows] if self.chosen.delimiter else self.rows


def read_sheet(data: bytes, name: str, chosen: Chosen = Chosen()) -> Sheet:
    """Return the rows of a CSV or XLSX file.  Raises SpreadsheetError with words for a person."""
    return _apart(_read_sheet, data, name, chosen)


def read_tables(data: bytes, name: str) -> dict[str, list[list[str]]]:
    """Return every table of a file by name: sheets of a workbook, or parts of a CSV below ``# name``.

    A CSV without such names is one table without a name.
    Raises SpreadsheetError with words for a person.
    """
    return _apart(_read_tables, data, name)


def _apart(read: Callable[..., Result], data: bytes, name: str, *more: object) -> Result:
    try:
        return read_apart(read, data, name, *more)
    except TooMuch as error:
        words = f"{name} takes {error} to read; nothing was imported. Save only the rows that are needed."
        raise SpreadsheetError(words) from error


def _read_sheet(data: bytes, name: str, chosen: Chosen) -> Sheet:
    if not data.strip(b"\x00 \r\n\t\xef\xbb\xbf"):
        raise SpreadsheetError(f"{name} is empty: there is nothing to import.")
    sheet = _read_workbook(data, name, chosen) if is_workbook(data) else _read_csv(data, name, chosen)
    widest = max((len(row) for row in sheet.rows), default=0)
    if widest > MOST_COLUMNS:
        raise SpreadsheetError(f"{name} has {widest} columns; at most {MOST_COLUMNS} can be read. Remove some.")
    if len(sheet.rows) > MOST_ROWS:
        raise SpreadsheetError(f"{name} has more than {MOST_ROWS:,} rows. Split it into several files.")
    if not any(cell.strip() for row in sheet.rows for cell in row):
        raise SpreadsheetError(f"{name} has no filled cell: there is nothing to import.")
    return sheet


def _read_tables(data: bytes, name: str) -> dict[str, list[list[str]]]:
    if not is_workbook(data):
        return _parts(_read_sheet(data, name, Chosen()).rows)
    try:
        return {title: read_table(data, title).rows for title in sheet_names(data)[:MOST_TABLES]}
    except NotRead as error:
        raise SpreadsheetError(f"{name} is {error}.") from error


def _parts(rows: list[list[str]]) -> dict[str, list[list[str]]]:
    found: dict[str, list[list[str]]] = {}
    current: list[list[str]] = []
    for row in rows:
        if row and row[0].startswith("# "):
            current = found.setdefault(row[0][2:].strip(), [])
        else:
            current.append([cell.removeprefix("'") for cell in row])
    return found or {"": current}


def _read_workbook(data: bytes, name: str, chosen: Chosen) -> Sheet:
    try:
        tables = [read_table(data, title) for title in sheet_names(data)[:MOST_TABLES]]
    except NotRead as error:
        raise SpreadsheetError(f"{name} is {error}.") from error
    filled = [table for table in tables if any(any(row) for row in table.rows)]
    if not filled:
        raise SpreadsheetError(f"{name} has no filled cell: there is nothing to import.")
    alike = _alike(filled)
    choices = tuple(table.name for table in filled) + ((ALL_SHEETS,) if len(alike) > 1 else ())
    wanted = chosen.sheet if chosen.sheet in choices else ""
    picked = next((t for t in filled if t.name == wanted), max(filled, key=_likeness))
    doubts: tuple[str, ...] = ()
    if wanted == ALL_SHEETS:
        picked = _below_each_other(alike)
    elif len(filled) > 1 and not wanted:
        doubts = (f"the file has {len(filled)} sheets with something in them; “{picked.name}” is read",)
    words = f"workbook, {len(alike)} sheets" if wanted == ALL_SHEETS else f"workbook, sheet “{picked.name}”"
    read_of = ALL_SHEETS if wanted == ALL_SHEETS else picked.name
    return Sheet(picked.rows, words, choices, Chosen(sheet=read_of), doubts, (), picked.left_out)


def _likeness(table: Table) -> int:
    """Return how much a sheet looks like a table of orders."""
    return len(guess_columns(table.rows[header_row(table.rows)])) if table.rows else 0


def _heads(table: Table) -> list[str]:
    return [cell.strip().casefold() for cell in table.rows[header_row(table.rows)]] if table.rows else []


def _alike(tables: Sequence[Table]) -> list[Table]:
    first = max(tables, key=_likeness)
    return [table for table in tables if _heads(table) == _heads(first)] if _likeness(first) >= 3 else []


def _below_each_other(tables: Sequence[Table]) -> Table:
    rows = list(tables[0].rows)
    for table in tables[1:]:
        rows += table.rows[header_row(table.rows) + 1 :]
    left = "; ".join(table.left_out for table in tables if table.left_out)
    return Table(ALL_SHEETS, rows, left)


def _read_csv(data: bytes, name: str, chosen: Chosen) -> Sheet:
    page = is_page(data)
    said = decode(data, charset_of(data)) if page and not chosen.encoding else None
    found = said or decode(data, chosen.encoding)
    if found is None or (not chosen.encoding and _is_noise(found.text)):
        words = f"{name} cannot be read as {chosen.encoding}" if chosen.encoding else f"{name} is no text"
        raise SpreadsheetError(f"{words} that can be read. Save it as CSV in UTF-8 and upload again.")
    if page and (rows := rows_of_page(found.text)):
        return Sheet(rows, f"a page's table, {found.encoding}", (), Chosen("", found.encoding, ""))
    delimiter, sure = (chosen.delimiter, True) if chosen.delimiter in DELIMITERS else _delimiter(found.text)
    rows = _cells(found.text, delimiter, name)
    doubts = [] if sure else ["what parts the columns is not sure"]
    if found.others:
        doubts.append(f"the letters may be others: it is read as {found.encoding}")
    words = f"CSV, {DELIMITERS[delimiter]}, {found.encoding}"
    return Sheet(rows, words, (), Chosen("", found.encoding, delimiter), tuple(doubts), _samples(found, data))


def _is_noise(text: str) -> bool:
    """Return whether this is no text: pictures and packed files read as letters are full of control characters."""
    head = text[:20_000]
    controls = sum(1 for ch in head if ch < " " and ch not in "\t\r\n\f\v\x1a")
    return controls * 100 > len(head)


def _samples(found: Decoded, data: bytes) -> tuple[tuple[str, str], ...]:
    if not found.others:
        return ()
    first = found.others[0].encoding
    own = sample_of(found.text, data, first)
    return ((found.encoding, own), *((other.encoding, other.sample) for other in found.others))


def _cells(text: str, delimiter: str, name: str) -> list[list[str]]:
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    csv.field_size_limit(1_000_000)
    try:
        rows = []
        for row in reader:
            rows.append([cell[:MOST_CELL] for cell in row])
            if len(rows) > MOST_ROWS:
                break
    except csv.Error as error:
        raise SpreadsheetError(
            f"{name}, line {reader.line_num}: {error}. Correct that line and upload again."
        ) from error
    return _mend_stray_quote(text, rows, delimiter)


def _delimiter(text: str) -> tuple[str, bool]:
    """Return the separator that parts a line of known headings, else the one that most evenly divides the first lines.

    Also tells whether no other does so as well.  In a short file what people wrote may have more of another mark in it.
    """
    lines = [line for line in text.splitlines()[:25] if line.strip()]

    def known(mark: str) -> int:
        heads = ([part.strip(' "') for part in line.split(mark)] for line in lines[:15])
        return max((len(guess_columns(cells)) for cells in heads), default=0)

    most, next_most = sorted(((known(mark), mark) for mark in DELIMITERS), reverse=True)[:2]
    if most[0] >= 3 and most[0] > next_most[0]:
        return most[1], True

    def score(mark: str) -> tuple[int, int]:
        counts = [line.count(mark) for line in lines]
        usual = max(set(counts), key=counts.count) if counts else 0
        return (sum(1 for c in counts if c == usual) if usual else 0, usual)

    ranked = sorted((";", ",", "\t", "|"), key=score, reverse=True)
    best, second = score(ranked[0]), score(ranked[1])
    return ranked[0], best[0] > second[0] or best[1] > 2 * second[1] or not second[1]


def _mend_stray_quote(text: str, rows: list[list[str]], delimiter: str) -> list[list[str]]:
    """Read line by line where a stray quote has swallowed the lines after it; true multi-line cells stay.

    A swallowed line has the separators of a row in it; a line of an address has not.
    """
    swallowed = max((cell.count("\n") for row in rows for cell in row), default=0)
    inside = max((cell.count(delimiter) for row in rows for cell in row if "\n" in cell), default=0)
    usual = max((len(row) for row in rows[:25]), default=1) - 1
    if swallowed < 3 or inside < max(usual, 1) * (swallowed - 1) // 2:
        return rows
    mended: list[list[str]] = []
    for line in text.splitlines():
        if line.count('"') % 2:
            mended += csv.reader([line], delimiter=delimiter, quoting=csv.QUOTE_NONE)
        else:
            mended += csv.reader([line], delimiter=delimiter)
    return mended
