"""Reading CSV and XLSX from anywhere: encoding, delimiter and cells found; hostile files refused in words."""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime
from itertools import pairwise
from typing import TypeVar

from charset_normalizer import from_bytes
from python_calamine import CalamineError, CalamineWorkbook

from tidewind.outside.apart import TooMuch, read_apart

Result = TypeVar("Result")

MOST_COLUMNS = 200
MOST_ROWS = 100_000
MOST_UNPACKED_BYTES = 300_000_000
MOST_CELL = 5_000
MOST_TABLES = 40


class SpreadsheetError(Exception):
    """A file that cannot be read; the message says what it is and what to do."""


@dataclass(frozen=True, slots=True)
class Sheet:
    """The rows of a file as text, and how it was read."""

    rows: list[list[str]]
    read_as: str


def read_sheet(data: bytes, name: str) -> Sheet:
    """Return the rows of a CSV or XLSX file.  Raises SpreadsheetError with words for a person."""
    return _apart(_read_sheet, data, name)


def read_tables(data: bytes, name: str) -> dict[str, list[list[str]]]:
    """Return every table of a file by name: sheets of a workbook, or parts of a CSV below ``# name``.

    Raises SpreadsheetError with words for a person.
    """
    return _apart(_read_tables, data, name)


def _apart(read: Callable[[bytes, str], Result], data: bytes, name: str) -> Result:
    try:
        return read_apart(read, data, name)
    except TooMuch as error:
        why = "longer than 10 seconds" if str(error) == "time" else "more memory than a file may"
        words = f"{name} takes {why} to read, and was let be. Save only the rows that are needed."
        raise SpreadsheetError(words) from error


def _read_sheet(data: bytes, name: str) -> Sheet:
    if not data.strip(b"\x00 \r\n\t\xef\xbb\xbf"):
        raise SpreadsheetError(f"{name} is empty: there is nothing to import.")
    sheet = _read_workbook(data, name) if data[:4] in (b"PK\x03\x04", b"\xd0\xcf\x11\xe0") else _read_csv(data, name)
    widest = max((len(row) for row in sheet.rows), default=0)
    if widest > MOST_COLUMNS:
        raise SpreadsheetError(f"{name} has {widest} columns; at most {MOST_COLUMNS} can be read. Remove some.")
    if len(sheet.rows) > MOST_ROWS:
        raise SpreadsheetError(f"{name} has more than {MOST_ROWS:,} rows. Split it into several files.")
    if not any(cell.strip() for row in sheet.rows for cell in row):
        raise SpreadsheetError(f"{name} has no filled cell: there is nothing to import.")
    return sheet


def _read_tables(data: bytes, name: str) -> dict[str, list[list[str]]]:
    if data[:4] not in (b"PK\x03\x04", b"\xd0\xcf\x11\xe0"):
        return _parts(_read_sheet(data, name).rows)
    try:
        book = _open(data, name)
        found = {}
        for title in book.sheet_names[:MOST_TABLES]:
            rows = book.get_sheet_by_name(title).to_python(skip_empty_area=False)
            found[title] = [[_cell(value) for value in row[:MOST_COLUMNS]] for row in rows[:MOST_ROWS]]
    except (CalamineError, zipfile.BadZipFile, ValueError) as error:
        raise SpreadsheetError(f"{name} is no readable workbook. Save it again as XLSX or CSV.") from error
    return found


def _parts(rows: list[list[str]]) -> dict[str, list[list[str]]]:
    found: dict[str, list[list[str]]] = {}
    current: list[list[str]] = []
    for row in rows:
        if row and row[0].startswith("# "):
            current = found.setdefault(row[0][2:].strip(), [])
        else:
            current.append([cell.removeprefix("'") for cell in row])
    return found


def _open(data: bytes, name: str) -> CalamineWorkbook:
    if data[:2] == b"PK":
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            if sum(part.file_size for part in packed.infolist()) > MOST_UNPACKED_BYTES:
                raise SpreadsheetError(f"{name} unpacks to more than 300 MB and was not opened.")
    return CalamineWorkbook.from_filelike(io.BytesIO(data))


def _read_workbook(data: bytes, name: str) -> Sheet:
    try:
        book = _open(data, name)
        first = book.get_sheet_by_index(0)
        rows = [[_cell(value) for value in row] for row in first.to_python(skip_empty_area=True)]
    except (CalamineError, zipfile.BadZipFile, IndexError, ValueError) as error:
        raise SpreadsheetError(f"{name} is no readable workbook. Save it again as XLSX or CSV.") from error
    return Sheet(rows, f"workbook, sheet “{first.name}”")


def _cell(value: object) -> str:
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    if isinstance(value, datetime | date):
        return value.isoformat()
    return str(value)[:MOST_CELL]


def _read_csv(data: bytes, name: str) -> Sheet:
    text, encoding = _decode(data, name)
    delimiter = _delimiter(text)
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
    rows = _mend_stray_quote(text, rows, delimiter)
    shown = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}[delimiter]
    return Sheet(rows, f"CSV, {shown}, {encoding}")


def _decode(data: bytes, name: str) -> tuple[str, str]:
    for marks, encoding in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if data.startswith(marks):
            return _plain(data, encoding, name)
    if data[:200].count(0) > len(data[:200]) // 4:
        return _plain(data, "utf-16-le" if data[1:2] == b"\0" else "utf-16-be", name)
    try:
        return data.decode("utf-8"), "utf-8"
    except UnicodeDecodeError:
        if _looks_western(data):
            return _plain(data, "cp1252", name)
        best = from_bytes(data[:200_000], cp_isolation=["cp1253", "cp1251", "cp1250", "mac_roman", "cp932"]).best()
        return _plain(data, best.encoding if best else "cp1252", name)


def _looks_western(data: bytes) -> bool:
    """Tell Western from other eight-bit text: its letters beyond ASCII stand alone between plain ones."""
    high = [byte > 0x7F for byte in data[:200_000]]
    pairs = sum(1 for a, b in pairwise(high) if a and b)
    try:
        data.decode("cp1252")
    except UnicodeDecodeError:
        return False
    return pairs * 3 <= sum(high)


def _plain(data: bytes, encoding: str, name: str) -> tuple[str, str]:
    try:
        return data.decode(encoding), encoding.removesuffix("-sig")
    except (UnicodeDecodeError, LookupError) as error:
        raise SpreadsheetError(
            f"{name} is no text that can be read. Save it as CSV in UTF-8 and upload again."
        ) from error


def _delimiter(text: str) -> str:
    """Pick the separator that most evenly divides the first lines."""
    lines = [line for line in text.splitlines()[:25] if line.strip()]

    def score(mark: str) -> tuple[int, int]:
        counts = [line.count(mark) for line in lines]
        usual = max(set(counts), key=counts.count) if counts else 0
        return (sum(1 for c in counts if c == usual) if usual else 0, usual)

    return max((";", ",", "\t", "|"), key=score)


def _mend_stray_quote(text: str, rows: list[list[str]], delimiter: str) -> list[list[str]]:
    """Read line by line where a stray quote has swallowed the lines after it; true multi-line cells stay."""
    swallowed = max((cell.count("\n") for row in rows for cell in row), default=0)
    if swallowed < 3:
        return rows
    mended: list[list[str]] = []
    for line in text.splitlines():
        if line.count('"') % 2:
            mended += csv.reader([line], delimiter=delimiter, quoting=csv.QUOTE_NONE)
        else:
            mended += csv.reader([line], delimiter=delimiter)
    return mended
