"""What a foreign file does is done to a process that was made for it: the program's own memory and time stay."""

from __future__ import annotations

import io
import os
import resource
import signal
import subprocess
import sys
import tempfile
import time
import zipfile
from pathlib import Path

import pytest
from PIL import Image

from tidewind.outside.apart import TooMuch, read_apart
from tidewind.outside.pictures import PictureError, photo_and_small, small_picture
from tidewind.outside.spreadsheets import read_sheet, read_tables
from tidewind.settings import ROOT

SHEET = """<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>
<row r="1"><c r="A1" t="inlineStr"><is><t>order</t></is></c></row>{more}</sheetData></worksheet>"""
PARTS = {
    "[Content_Types].xml": """<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>""",
    "_rels/.rels": """<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>""",
    "xl/workbook.xml": """<?xml version="1.0"?><workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" sheetId="1" r:id="rId1"/></sheets></workbook>""",
    "xl/_rels/workbook.xml.rels": """<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>""",
}


def workbook(more: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, text in PARTS.items():
            packed.writestr(name, text)
        packed.writestr("xl/worksheets/sheet1.xml", SHEET.format(more=more))
    return out.getvalue()


FAR = '<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>'
WIDE = "".join(f'<row r="{n}"><c r="XFD{n}"><v>1</v></c></row>' for n in range(2, 9_000))


def my_memory() -> int:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss


@pytest.mark.parametrize("more", [FAR, WIDE], ids=["one cell in the last corner", "wide rows"])
def test_a_small_workbook_that_asks_for_much_is_read_as_far_as_there_is_something(more: str) -> None:
    data, before = workbook(more), my_memory()
    sheet = read_sheet(data, "far.xlsx")
    assert (sheet.rows[0][0], "left out" in sheet.left_out) == ("order", True)
    assert read_tables(data, "far.xlsx")["S"][0][0] == "order"
    assert my_memory() - before < 60_000  # in kB; set up whole it would take gigabytes
    assert read_sheet(workbook(""), "good.xlsx").rows == [["order"]]


def test_a_picture_is_made_anew_and_a_bomb_is_none(tmp_path: Path) -> None:
    out = io.BytesIO()
    Image.new("1", (20_000, 20_000)).save(out, "PNG")
    with pytest.raises(PictureError, match=r"at most 2,000 dots|no PNG"):
        read_apart(small_picture, out.getvalue())
    out = io.BytesIO()
    Image.new("RGB", (900, 300), "teal").save(out, "JPEG", comment=b"where it was taken")
    made = read_apart(small_picture, out.getvalue())
    with Image.open(io.BytesIO(made)) as picture:
        assert (picture.format, picture.size, b"taken" in made) == ("PNG", (600, 200), False)
    with pytest.raises(PictureError, match="no PNG"):
        read_apart(small_picture, b"GIF89a")


@pytest.mark.parametrize("size", [(6_000, 4_000), (12_000, 9_000)])
def test_what_phones_take_is_a_photo(size: tuple[int, int]) -> None:
    out = io.BytesIO()
    Image.new("RGB", size, "teal").save(out, "JPEG", comment=b"where it was taken")
    made, small = read_apart(photo_and_small, out.getvalue())
    for data, most in ((made, 2_000), (small, 320)):
        with Image.open(io.BytesIO(data)) as picture:
            assert (picture.format, max(picture.size), b"taken" in data) == ("JPEG", most, False)
    with pytest.raises(PictureError, match="at most 12,000 dots"):
        out = io.BytesIO()
        Image.new("1", (13_000, 10)).save(out, "PNG")
        read_apart(photo_and_small, out.getvalue())


def take_memory() -> None:
    bytearray(2_000_000_000)


def die() -> None:
    os._exit(1)


def fail() -> None:
    raise LookupError("said there")


def test_limits_and_faults_come_back_as_what_they_are() -> None:
    assert read_apart(sorted, [3, 1, 2]) == [1, 2, 3]
    with pytest.raises(LookupError, match="said there"):
        read_apart(fail)
    with pytest.raises(TooMuch, match="more than 300 MB of memory"):
        read_apart(take_memory)
    with pytest.raises(TooMuch, match="ends the process"):
        read_apart(die)
    with pytest.raises(TooMuch, match=r"longer than 0\.3 seconds"):
        read_apart(time.sleep, 30, seconds=0.3)


def reader_of() -> int:
    return os.getppid()


def test_the_process_that_reads_knows_nothing_of_the_program_and_comes_back_after_it_was_killed() -> None:
    reader = read_apart(reader_of)
    assert (reader != os.getpid(), read_apart(reader_of)) == (True, reader)
    os.kill(reader, signal.SIGKILL)
    again = {read_apart(reader_of) for _ in range(3)}
    assert (len(again), reader in again) == (1, False)


def test_time_before_a_file_begins_is_not_counted() -> None:
    """However long the program's own main module takes to import: the child has it from nobody."""
    slow = "import time; t = time.process_time()\nwhile time.process_time() - t < 1: pass\n"
    code = f"{slow}from tidewind.outside.apart import read_apart\nprint(read_apart(sorted, [2, 1], seconds=0.5))\n"
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "slow_main.py").write_text(code)
        done = subprocess.run(
            [sys.executable, "-m", "slow_main"],
            capture_output=True,
            text=True,
            check=False,
            env=os.environ | {"PYTHONPATH": f"{folder}:{ROOT}"},
        )
    assert (done.stdout, done.stderr) == ("[1, 2]\n", "")
