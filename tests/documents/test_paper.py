"""Labels at true size whose codes really decode, in every script of the scenario."""

from __future__ import annotations

import io
import re
import subprocess
from dataclasses import replace
from pathlib import Path

import pytest
import zxingcpp
from PIL import Image

from tests.documents.reading import codes, text_of
from tidewind.core.addresses.latin import plain_words
from tidewind.documents.barcode_sheet import BarcodeCard, barcode_sheet_pdf
from tidewind.documents.blocks import LEADING, fit
from tidewind.documents.fonts import as_drawn, can_draw, runs, width
from tidewind.documents.label import LabelPaper, labels_pdf
from tidewind.documents.lists import Column, ListPaper, list_pdf
from tidewind.documents.packing_slip import SlipLine, SlipPaper, slips_pdf
from tidewind.documents.raster import pngs_of


def paper(
    number: str = "RR473124829PT",
    *,
    is_sscc: bool = False,
    recipient: tuple[str, ...] = ("Ana", "Rua 1", "3500-108 Viseu"),
) -> LabelPaper:
    return LabelPaper(
        carrier="Norvia Post",
        monogram="NP",
        service="Letter registered",
        network="post",
        sender=("Larkspur & Loam", "Rua da Olaria 40", "3800-587 Aveiro", "Portugal"),
        recipient=recipient,
        country_line="PORTUGAL",
        routing="PT-3500",
        tracking_number=number,
        is_sscc=is_sscc,
        order_number="LL-20418",
        reference="",
        parcel_no=1,
        parcel_count=2,
        weight="2.24 kg",
        ship_date="Tue 24 Nov",
    )


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


SCRIPTS = {
    "latin": (
        "Ö" * 60,
        "Company of the very long name, its sons and daughters",
        *("Šířka Łódź ulica dlouhá 1234567890 " * 2,) * 5,
    ),
    "greek": (
        "Ελένη Μαυρίδη Παπαδοπούλου του Κωνσταντίνου και της Μαρίας",
        *("Οδός Αμπέλων 21, όροφος τρίτος, κουδούνι δεξιά",) * 6,
    ),
    "japanese": ("石井はるか" * 12, *("神奈川県鎌倉市御成町十八番地二号室三階右側の奥のドア",) * 6),
}
SIZES = {"roll": (289.13, 430.87), "narrow": (175.75, 425.2), "a4": (595.28, 841.89), "letter": (612, 792)}


def words_of(pdf: bytes, folder: Path) -> list[tuple[int, str, tuple[float, float, float, float]]]:
    """Return (page, word, box) of every word, as a reader of the file finds them."""
    (folder / "w.pdf").write_bytes(pdf)
    shown = subprocess.run(["pdftotext", "-bbox", folder / "w.pdf", "-"], check=True, capture_output=True).stdout
    found, page = [], 0
    for line in shown.decode().splitlines():
        page += "<page " in line
        if "<word " in line:
            box = tuple(float(line.split(f'{side}="')[1].split('"')[0]) for side in ("xMin", "yMin", "xMax", "yMax"))
            found.append((page, line.split(">")[1].split("<")[0], box))
    return found  # type: ignore[return-value]


@pytest.mark.parametrize("script", SCRIPTS)
@pytest.mark.parametrize("stock", SIZES)
def test_on_every_stock_the_longest_address_stays_inside_and_the_codes_decode(
    stock: str, script: str, tmp_path: Path
) -> None:
    lines = (*SCRIPTS[script][:7], "3500-108 Viseu")
    made = [
        replace(
            paper(recipient=lines),
            sender=lines[:6],
            reference="3 × HF-02, 1 × TP-12, 40 × GF-1",
            service="Express " * 6,
        ),
        replace(paper("356000000000000015", is_sscc=True, recipient=lines), carrier="C" * 60, reprint=True),
    ]
    pdf = labels_pdf(made, stock=stock)
    assert {text for page in turned(pdf, tmp_path) for text in page} >= {
        "RR473124829PT",
        "RR473124829PT PT-3500",
        "(00)356000000000000015",
        "356000000000000015 PT-3500",
    }
    info = subprocess.run(["pdfinfo", tmp_path / "x.pdf"], check=True, capture_output=True, text=True).stdout
    shown = [float(n) for n in re.findall(r"Page size:\s+([\d.]+) x ([\d.]+)", info)[0]]
    assert shown == pytest.approx(SIZES[stock], abs=0.01)
    fonts = subprocess.run(["pdffonts", tmp_path / "x.pdf"], check=True, capture_output=True, text=True).stdout
    assert all(line.split()[-5] == "yes" for line in fonts.splitlines()[2:])
    if stock in {"a4", "letter"}:
        return  # the same drawing turned; what it says stands inside its half, which the codes have shown
    nothing_overlaps_or_leaves(words_of(pdf, tmp_path), SIZES[stock], edge=8)


def nothing_overlaps_or_leaves(
    found: list[tuple[int, str, tuple[float, float, float, float]]], size: tuple[float, float], edge: float
) -> None:
    """Hold that every word stands inside its page, at least ``edge`` points from its sides, and on no other word."""
    wide, high = size
    for _, word, (left, top, right, bottom) in found:
        assert left >= edge, word
        assert right <= wide - edge, word
        assert top >= 5, word
        assert bottom <= high - 2, word
    for page in {number for number, _, _ in found}:
        here = [(word, box) for n, word, box in found if n == page]
        for n, (one, a) in enumerate(here):
            for other, b in here[n + 1 :]:
                across = min(a[2], b[2]) - max(a[0], b[0])
                down = min(a[3], b[3]) - max(a[1], b[1])
                # Boxes have the font's full height; ink overlaps only where lines are nearer than their x-height.
                assert across <= 0.5 or down <= 0.45 * min(a[3] - a[1], b[3] - b[1]), (one, other)


@pytest.mark.parametrize("script", SCRIPTS)
@pytest.mark.parametrize("kind", ["slip", "slip with prices", "a4", "letter", "barcodes"])
def test_on_slips_and_lists_the_longest_words_stay_apart_and_inside(kind: str, script: str, tmp_path: Path) -> None:
    names = tuple(line[:60] for line in SCRIPTS[script])
    long = (names[0] * 4)[:120]
    if kind.startswith("slip"):
        price, total = ("12,345.67", "1,234,567.89 EUR") if "prices" in kind else ("", "")
        lines = tuple(SlipLine(999, "SKU-" + "W" * 40, long, "SHELF-ABCDEF-12", price) for _ in range(40))
        slip = SlipPaper(
            names[0], "LL-" + "8" * 30, "Mon 23 Nov 2026", names[:8], long, long, long * 3, lines, long * 3, total
        )
        pdf, size = slips_pdf([slip, replace(slip, lines=lines[:1])]), (419.528, 595.276)
    elif kind == "barcodes":
        pdf, size = (
            barcode_sheet_pdf([BarcodeCard(long, f"TW-RECIPE-{n}", long * 2) for n in range(15)], long),
            (595.276, 841.89),
        )
    else:
        columns = (
            Column("Shelf", 2),
            Column("Pieces", 2, figures=True),
            Column("Item", 7),
            Column("Price", 3, figures=True),
        )
        rows = (("SHELF-ABCDEF-12", "999,999", long, "1,234,567.89"),) * 70
        made = ListPaper(
            long,
            (long, long),
            columns,
            rows,
            closing=((long, "1,234,567.89 EUR"),) * 3,
            barcode="LL-20418",
            left=names[:8],
            right=names[:8],
            note=long * 3,
        )
        pdf, size = list_pdf([made], "Invoice", kind), (595.276, 841.89) if kind == "a4" else (612, 792)
    found = words_of(pdf, tmp_path)
    assert len({page for page, _, _ in found}) >= 2
    nothing_overlaps_or_leaves(found, size, edge=20)
    fonts = subprocess.run(["pdffonts", tmp_path / "w.pdf"], check=True, capture_output=True, text=True).stdout
    assert all(line.split()[-5] == "yes" for line in fonts.splitlines()[2:])


def turned(pdf: bytes, folder: Path) -> list[dict[str, str]]:
    """Read the codes of a sheet whatever way they lie; two of a kind are told apart by what they say."""
    (folder / "x.pdf").write_bytes(pdf)
    subprocess.run(["pdftoppm", "-r", "203", "-mono", folder / "x.pdf", folder / "x"], check=True)
    pages = sorted(folder.glob("x-*.pbm"))
    return [{b.text: b.format.name for b in zxingcpp.read_barcodes(Image.open(p).convert("L"))} for p in pages]


def test_lists_go_over_pages_with_their_heads_and_close_with_a_sum(tmp_path: Path) -> None:
    rows = tuple((f"D{n}", str(n), "A thing with a rather long name of its own " * 2, f"SKU-{n}") for n in range(90))
    columns = (Column("Shelf", 2), Column("Pieces", 2, figures=True), Column("Item", 7), Column("SKU", 3))
    made = ListPaper(
        "Pick list",
        ("90 rows",),
        columns,
        rows,
        closing=(("Total", "12.00 EUR"),),
        barcode="LL-20418",
        note="Mind the pots",
    )
    for sheet, size in (("a4", "595.276 x 841.89"), ("letter", "612 x 792")):
        pdf = list_pdf([made], "Pick list", sheet)
        (tmp_path / "x.pdf").write_bytes(pdf)
        info = subprocess.run(["pdfinfo", tmp_path / "x.pdf"], check=True, capture_output=True, text=True).stdout
        assert size in info
        shown = text_of(pdf, tmp_path)
        assert all(f"SKU-{n}" in shown for n in range(90))
        assert (shown.count("Shelf"), shown.count("12.00 EUR"), "Mind the pots" in shown) == (
            shown.count("page "),
            1,
            True,
        )
    assert codes(pdf, tmp_path)[0] == {"Code128": "LL-20418"}


def test_pictures_decode_and_recipe_codes_scan(tmp_path: Path) -> None:
    pictures = pngs_of(labels_pdf([paper(), paper("356000000000000015", is_sscc=True)]))
    sizes = [Image.open(io.BytesIO(p)).size for p in pictures]
    assert sizes == [(816, 1215), (816, 1215)]  # 102 × 152 mm at 203 dpi
    for picture, number in zip(pictures, ("RR473124829PT", "(00)356000000000000015"), strict=True):
        image = Image.open(io.BytesIO(picture))
        assert image.mode == "1"
        assert number in {b.text for b in zxingcpp.read_barcodes(image.convert("L"))}
    sheet = barcode_sheet_pdf(
        [BarcodeCard(f"Recipe {n}", f"RECIPE-road-{n}", "Carton M · Road") for n in range(16)], "Recipes"
    )
    assert [len(page) for page in turned(sheet, tmp_path)] == [14, 2]


@pytest.mark.parametrize(
    ("lines", "room", "height", "least_rows"),
    [(["short"], 200, 20, 1), (["word " * 40], 200, 60, 2), (["x" * 400], 100, 40, 3), (["a", "b", "c"], 100, 5, 1)],
)
def test_a_block_of_text_fits_its_box_or_says_that_it_was_cut(
    lines: list[str], room: float, height: float, least_rows: int
) -> None:
    size, rows = fit([(line, False) for line in lines], 12, room, height)
    assert len(rows) >= least_rows
    assert len(rows) * size * LEADING <= height or len(rows) == 1
    assert all(width(row, size) <= room + 0.01 or row.endswith("…") for row, _ in rows)
    whole = "".join(row for row, _ in rows).replace(" ", "")
    assert whole == "".join(lines).replace(" ", "") or rows[-1][0].endswith("…")


def test_five_hundred_labels_share_their_fonts() -> None:
    assert len(labels_pdf([paper()] * 500)) / 500 < 3000


def test_a_reprint_says_so(tmp_path: Path) -> None:
    assert "Reprint" in text_of(labels_pdf([replace(paper(), reprint=True)]), tmp_path)
    assert "Reprint" not in text_of(labels_pdf([paper()]), tmp_path)


def test_slips_carry_the_orders_barcode_and_go_over_pages(tmp_path: Path) -> None:
    slip = SlipPaper(
        "Larkspur & Loam",
        "LL-20418",
        "Mon 23 Nov",
        ("Ana", "Rua 1"),
        "Road",
        "Carton M",
        "Ring twice",
        tuple(SlipLine(n, f"SKU-{n}", f"Thing {n}", "D4") for n in range(1, 61)),
    )
    pdf = slips_pdf([slip])
    pages = codes(pdf, tmp_path)
    assert len(pages) == 3
    assert pages[0] == {"Code128": "LL-20418"}
    words = text_of(pdf, tmp_path)
    assert all(f"SKU-{n}" in words for n in range(1, 61))


@pytest.mark.parametrize("number", ["№ 12", "訂單-7", "Ω-20418", "طلب ٧", ""])
def test_a_number_that_no_barcode_has_signs_for_stands_there_in_writing(tmp_path: Path, number: str) -> None:
    slip = SlipPaper("Larkspur & Loam", number, "Mon 23 Nov", ("Ana", "Rua 1"), "Road", "Carton M", "", ())
    made = slips_pdf([slip])
    assert codes(made, tmp_path) == [{}]
    assert number in text_of(made, tmp_path) or number.startswith("طلب")  # right to left it stands in shapes of its own
    sheet = barcode_sheet_pdf([BarcodeCard("Any", number, "a recipe"), BarcodeCard("Two", "RECIPE-2", "")], "Recipes")
    assert codes(sheet, tmp_path) == [{"Code128": "RECIPE-2"}]
    assert labels_pdf([replace(paper(), order_number=number)]).startswith(b"%PDF")


def test_runs_change_font_only_where_the_script_does() -> None:
    assert [text for _, text in runs("Ana 石井 Rua")] == ["Ana ", "石井", " Rua"]
    assert width("Ana", 10) < width("Ana", 10, bold=True)


@pytest.mark.parametrize(
    ("country", "name", "town", "said"),
    [
        ("IN", "अनीता शर्मा", "मुंबई", "mumbi"),
        ("GE", "ნინო ბერიძე", "თბილისი", "tbilisi"),
        ("AM", "Անի Պետրոսյան", "Երևան", "erevan"),
        ("LK", "කුමාර පෙරේරා", "කොළඹ", "kolmb"),
        ("BD", "রহিম উদ্দিন", "ঢাকা", "dhaka"),
        ("ET", "አበበ በቀለ", "አዲስ አበባ", "adis abeba"),
        ("KH", "សុខ ចាន់", "ភ្នំពេញ", "phnampenh"),
        ("MM", "အောင်ဆန်း", "ရန်ကုန်", "rnkun"),
        ("GR", "Ελένη Μαυρίδη", "Ιωάννινα", "Ιωάννινα"),
        ("UA", "Олена Шевченко", "Київ", "Київ"),
        ("TH", "สมชาย ใจดี", "กรุงเทพ", "กรุงเทพ"),
        ("JP", "石井 花子", "東京都", "東京都"),
        ("KR", "김민수", "서울", "서울"),
        ("VN", "Nguyễn Văn Ánh", "Hồ Chí Minh", "Hồ Chí Minh"),
        ("IL", "שרה לוי", "חיפה", "חיפה"),
    ],
)
def test_every_word_of_an_address_is_on_the_label_in_its_script_or_spelt(
    country: str, name: str, town: str, said: str
) -> None:
    for line in (name, town):
        drawn = as_drawn(line)
        assert len(drawn.split()) == len(line.split()), "a word was left out"
        assert can_draw(drawn)
        assert (drawn == line) is can_draw(line)
    assert plain_words(as_drawn(town)) == plain_words(said), as_drawn(town)
