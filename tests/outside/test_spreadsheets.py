"""Files from anywhere are read; what cannot be read is refused in words."""

from __future__ import annotations

import io
import random
import zipfile

import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from tidewind.outside.spreadsheets import SpreadsheetError, read_sheet

ROWS = [["order", "name", "city"], ["1", "Ana Conceição", "Évora"], ["2", "Eva", "Beja"]]


def csv(delimiter: str = ",", end: str = "\n") -> str:
    return end.join(delimiter.join(row) for row in ROWS) + end


@pytest.mark.parametrize(
    ("data", "read_as"),
    [
        (csv().encode(), "CSV, comma, utf-8"),
        (csv(";", "\r\n").encode("utf-8-sig"), "CSV, semicolon, utf-8"),
        (csv("\t").encode("utf-16"), "CSV, tab, utf-16"),
        (csv(";").encode("utf-16-le"), "CSV, semicolon, utf-16-le"),
        (csv("|").encode("cp1252"), "CSV, bar, cp1252"),
    ],
)
def test_encodings_and_delimiters_are_found(data: bytes, read_as: str) -> None:
    sheet = read_sheet(data, "f.csv")
    assert (sheet.rows, sheet.read_as) == (ROWS, read_as)


def test_workbooks() -> None:
    buffer = io.BytesIO()
    book = xlsxwriter.Workbook(buffer)
    page = book.add_worksheet("Orders")
    for r, cells in enumerate([["order", "qty", "price"], [7, 2, 4.5]]):
        page.write_row(r, 0, cells)
    book.close()
    sheet = read_sheet(buffer.getvalue(), "f.xlsx")
    assert (sheet.rows, sheet.read_as) == ([["order", "qty", "price"], ["7", "2", "4.5"]], "workbook, sheet “Orders”")


def test_a_stray_quote_swallows_nothing_and_true_multi_line_cells_stay() -> None:
    stray = 'order,name\n1,"Ana\n2,Eva\n3,Rui\n4,Ida\n5,Leo\n'
    assert [row[0] for row in read_sheet(stray.encode(), "f.csv").rows] == ["order", "1", "2", "3", "4", "5"]
    multi = 'order,name\n1,"Ana\nMaria"\n2,Eva\n'
    assert read_sheet(multi.encode(), "f.csv").rows[1] == ["1", "Ana\nMaria"]


def _bomb() -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("xl/worksheets/sheet1.xml", b"\0" * 310_000_000)
    return buffer.getvalue()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "is empty"),
        (b"\xef\xbb\xbf\n\n", "is empty"),
        (b"\0" * 500, "is empty"),
        (b",,,\n,,\n", "no filled cell"),
        (",".join(["x"] * 300).encode(), "300 columns"),
        (b"PK\x03\x04 no zip at all", "no readable workbook"),
        (b"\xd0\xcf\x11\xe0" + b"x" * 900, "no readable workbook"),
        (random.Random(5).randbytes(5_000), "is no text"),
        (b"a\n" * 100_001, "more than 100,000 rows"),
    ],
    ids=lambda v: v if isinstance(v, str) else "",
)
def test_what_cannot_be_read_is_refused_in_words(data: bytes, words: str) -> None:
    with pytest.raises(SpreadsheetError, match=words):
        read_sheet(data, "f.csv")


def test_a_packed_bomb_is_not_unpacked() -> None:
    with pytest.raises(SpreadsheetError, match="300 MB"):
        read_sheet(_bomb(), "f.xlsx")


@given(st.binary(max_size=400))
def test_no_bytes_crash_the_reader(data: bytes) -> None:
    try:
        read_sheet(data, "f.csv")
    except SpreadsheetError as error:
        assert str(error).startswith("f.csv")
