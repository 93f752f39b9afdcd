"""Spreadsheets out: CSV and XLSX, with nothing in them that a spreadsheet program would run."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence

import xlsxwriter

_RISKY = ("=", "+", "-", "@", "\t", "\r")


def harmless(text: str) -> str:
    """Return a cell that no spreadsheet takes for a formula: one that begins like one gets an apostrophe before it.

    Source: OWASP, CSV injection.  Plain numbers stay as they are; ``unharmed`` takes the apostrophe away again.
    """
    plain = str(text)
    number = plain.lstrip("+-").replace(".", "", 1).isdigit()
    return f"'{plain}" if plain.lstrip("'").startswith(_RISKY) and not number else plain


def unharmed(text: str) -> str:
    """Return a cell as it was before ``harmless``; an apostrophe that belongs to a word stays (’s-Hertogenbosch)."""
    return text[1:] if text.startswith("'") and text.lstrip("'").startswith(_RISKY) else text


def to_csv(headers: Sequence[str], rows: Iterable[Sequence[object]]) -> bytes:
    """Return rows as CSV in UTF-8, with a byte-order mark so that spreadsheets read accents rightly."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(headers)
    for row in rows:
        writer.writerow(["" if cell is None else harmless(str(cell)) for cell in row])
    return "\ufeff".encode() + out.getvalue().encode()


def to_xlsx(headers: Sequence[str], rows: Iterable[Sequence[object]]) -> bytes:
    """Return rows as XLSX; every text is written as text, never as a formula or a link."""
    out = io.BytesIO()
    options = {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "in_memory": True}
    with xlsxwriter.Workbook(out, options) as book:
        sheet = book.add_worksheet()
        sheet.write_row(0, 0, headers)
        for number, row in enumerate(rows, 1):
            sheet.write_row(number, 0, ["" if cell is None else cell for cell in row])
    return out.getvalue()


def tables_to_xlsx(tables: Mapping[str, Sequence[Sequence[str]]]) -> bytes:
    """Return several tables as one workbook, a sheet each, in the order given; figures are written as numbers."""
    out = io.BytesIO()
    options = {"strings_to_formulas": False, "strings_to_urls": False, "in_memory": True}
    with xlsxwriter.Workbook(out, options) as book:
        head = book.add_format({"bold": True, "bottom": 1})
        for name, rows in tables.items():
            sheet = book.add_worksheet(name)
            sheet.freeze_panes(1, 0)
            for number, row in enumerate(rows):
                sheet.write_row(number, 0, row, head if number == 0 else None)
            sheet.autofit()
    return out.getvalue()


def tables_to_csv(tables: Mapping[str, Sequence[Sequence[str]]]) -> bytes:
    """Return several tables in one CSV, each below a line with ``#`` and its name."""
    out = io.StringIO()
    writer = csv.writer(out)
    for name, rows in tables.items():
        writer.writerow([f"# {name}"])
        writer.writerows([[harmless(cell) for cell in row] for row in rows])
    return "\ufeff".encode() + out.getvalue().encode()
