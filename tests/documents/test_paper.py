"""Labels at true size whose codes really decode, in every script of the scenario."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest
import zxingcpp
from PIL import Image

from tidewind.documents.fonts import runs, width
from tidewind.documents.label import LabelPaper, labels_pdf
from tidewind.documents.packing_slip import SlipLine, SlipPaper, slips_pdf


def paper(
    number: str = "RR473124829PT",
    *,
    is_sscc: bool = False,
    recipient: tuple[str, ...] = ("Ana", "Rua 1", "3500-108 Viseu"),
) -> LabelPaper:
    return LabelPaper(
        carrier="Norvia Post", monogram="NP", service="Letter registered", network="post",
        sender=("Larkspur & Loam", "Rua da Olaria 40", "3800-587 Aveiro", "Portugal"), recipient=recipient,
        country_line="PORTUGAL", routing="PT-3500", tracking_number=number, is_sscc=is_sscc, order_number="LL-20418",
        reference="", parcel_no=1, parcel_count=2, weight="2.24 kg", ship_date="Tue 24 Nov",
    )  # fmt: skip


def codes(pdf: bytes, folder: Path, dpi: int = 203) -> list[dict[str, str]]:
    """Rasterise at the printer's resolution in pure black and white, and read what a scanner would."""
    (folder / "x.pdf").write_bytes(pdf)
    subprocess.run(["pdftoppm", "-r", str(dpi), "-mono", folder / "x.pdf", folder / "x"], check=True)
    pages = sorted(folder.glob("x-*.pbm"))
    return [{b.format.name: b.text for b in zxingcpp.read_barcodes(Image.open(p).convert("L"))} for p in pages]


def text_of(pdf: bytes, folder: Path) -> str:
    (folder / "t.pdf").write_bytes(pdf)
    return subprocess.run(
        ["pdftotext", "-layout", folder / "t.pdf", "-"], check=True, capture_output=True, text=True
    ).stdout


def test_both_codes_decode_at_203_dpi_for_s10_and_sscc(tmp_path: Path) -> None:
    pdf = labels_pdf([paper(), paper("356000000000000015", is_sscc=True)])
    first, second = codes(pdf, tmp_path)
    assert first == {"Code128": "RR473124829PT", "DataMatrix": "RR473124829PT PT-3500"}
    assert second == {"Code128": "(00)356000000000000015", "DataMatrix": "356000000000000015 PT-3500"}


@pytest.mark.parametrize(
    ("lines", "shown"),
    [
        (("Ελένη Μαυρίδη", "Οδός Αμπέλων 21", "452 21 Ιωάννινα"), "Ελένη Μαυρίδη"),
        (("石井 はるか", "鎌倉市御成町 18-2", "248-0012 神奈川県"), "鎌倉市御成町"),
        (("Petra Novotná", "Şükrü Łódź Ivan Ђорђе", "779 00 Olomouc"), "Novotná"),
    ],
)
def test_names_in_their_own_script(lines: tuple[str, ...], shown: str, tmp_path: Path) -> None:
    assert shown in text_of(labels_pdf([paper(recipient=lines)]), tmp_path)


def test_true_size_embedded_fonts_and_nothing_leaves_the_page(tmp_path: Path) -> None:
    long = (
        "N" * 60,
        "Company of the very long name and its sons and daughters " * 2,
        *("Street line " * 6 for _ in range(5)),
    )
    pdf = labels_pdf([paper(recipient=long)])
    (tmp_path / "a.pdf").write_bytes(pdf)
    info = subprocess.run(["pdfinfo", tmp_path / "a.pdf"], check=True, capture_output=True, text=True).stdout
    assert "289.134 x 430.866 pts" in info  # 102 × 152 mm
    fonts = subprocess.run(["pdffonts", tmp_path / "a.pdf"], check=True, capture_output=True, text=True).stdout
    assert all(line.split()[-5] == "yes" for line in fonts.splitlines()[2:])
    subprocess.run(["pdftoppm", "-r", "203", "-mono", tmp_path / "a.pdf", tmp_path / "a"], check=True)
    page = Image.open(next(tmp_path.glob("a-*.pbm"))).convert("L")
    edge = 20  # 2.5 mm
    for strip in ((0, 0, edge, page.height), (page.width - edge, 0, page.width, page.height)):
        assert page.crop(strip).getextrema() == (255, 255)
    assert codes(pdf, tmp_path)[0]["Code128"] == "RR473124829PT"


def test_five_hundred_labels_share_their_fonts() -> None:
    assert len(labels_pdf([paper()] * 500)) / 500 < 3000


def test_a_reprint_says_so(tmp_path: Path) -> None:
    from dataclasses import replace

    assert "Reprint" in text_of(labels_pdf([replace(paper(), reprint=True)]), tmp_path)
    assert "Reprint" not in text_of(labels_pdf([paper()]), tmp_path)


def test_slips_carry_the_orders_barcode_and_go_over_pages(tmp_path: Path) -> None:
    slip = SlipPaper("Larkspur & Loam", "LL-20418", "Mon 23 Nov", ("Ana", "Rua 1"), "Road", "Carton M", "Ring twice",
                     tuple(SlipLine(n, f"SKU-{n}", f"Thing {n}", "D4") for n in range(1, 61)))  # fmt: skip
    pdf = slips_pdf([slip])
    pages = codes(pdf, tmp_path)
    assert len(pages) == 3
    assert pages[0] == {"Code128": "LL-20418"}
    words = text_of(pdf, tmp_path)
    assert all(f"SKU-{n}" in words for n in range(1, 61))


def test_runs_change_font_only_where_the_script_does() -> None:
    assert [text for _, text in runs("Ana 石井 Rua")] == ["Ana ", "石井", " Rua"]
    assert width("Ana", 10) < width("Ana", 10, bold=True)
