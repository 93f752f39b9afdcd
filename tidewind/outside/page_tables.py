"""Tables of pages and of old spreadsheet XML that go about under the name of a workbook (``orders.xls``)."""

from __future__ import annotations

import re
from html.parser import HTMLParser

_BEGINS = re.compile(
    rb"(?:\xef\xbb\xbf)?\s*(?:<\?[^>]*>\s*)*(?:<!doctype html|<html|<table|<head|<meta|<workbook|<ss:workbook)"
)
_CHARSET = re.compile(rb"(?:charset|encoding)\s*=\s*[\"']?([a-z0-9_-]{2,20})", re.IGNORECASE)
MOST_CELLS = 2_000_000
# The elements of a page's table, and those of a SpreadsheetML workbook (2003), which say the same.
_TABLES, _ROWS, _CELLS = ("table", "worksheet"), ("tr", "row"), ("td", "th", "cell")


def is_page(data: bytes) -> bool:
    """Tell a page, or spreadsheet XML, from text by how it begins."""
    return bool(_BEGINS.match(data[:2_000].lower()))


def charset_of(data: bytes) -> str:
    """Return the encoding that a page says it is in; empty where it says none."""
    said = _CHARSET.search(data[:2_000])
    return said[1].decode("ascii").lower() if said else ""


def rows_of_page(text: str) -> list[list[str]]:
    """Return the rows of the largest table in a page; none where there is no table."""
    reader = _Tables()
    reader.feed(text)
    reader.close()
    return max(reader.tables, key=lambda rows: sum(map(len, rows)), default=[])


class _Tables(HTMLParser):
    """Collects tables, one in another by itself; a line break in a cell stays one, all other white space is a blank."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.tables: list[list[list[str]]] = []
        self._open: list[list[list[str]]] = []
        self._cell: list[str] | None = None
        self._cells = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag in _TABLES:
            self._open.append([])
            self.tables.append(self._open[-1])
        elif tag in _ROWS and self._open:
            self._end_cell()
            self._open[-1].append([])
        elif tag in _CELLS and self._open and self._open[-1]:
            self._end_cell()
            self._skip_to(dict(attrs).get("ss:index"))
            self._cell = []
        elif tag == "br" and self._cell is not None:
            self._cell.append("\n")

    def handle_endtag(self, tag: str) -> None:
        if tag in _CELLS or tag in _ROWS:
            self._end_cell()
        elif tag in _TABLES and self._open:
            self._end_cell()
            self._open.pop()

    def handle_data(self, data: str) -> None:
        if self._cell is not None:
            self._cell.append(re.sub(r"\s+", " ", data))

    def _skip_to(self, index: str | None) -> None:
        """Fill up to the column that a cell of spreadsheet XML names, from 1; those between are empty there."""
        row = self._open[-1][-1]
        if index and index.isdigit() and len(row) < int(index) - 1 < 1_000:
            row += [""] * (int(index) - 1 - len(row))

    def _end_cell(self) -> None:
        if self._cell is None:
            return
        self._cells += 1
        if self._cells <= MOST_CELLS and self._open and self._open[-1]:
            lines = "".join(self._cell).split("\n")
            self._open[-1][-1].append("\n".join(" ".join(line.split()) for line in lines).strip("\n"))
        self._cell = None
