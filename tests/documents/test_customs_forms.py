"""CN22 and CN23 as paper: every row of many, nothing lost or cut, any script."""

from __future__ import annotations

from pathlib import Path

import pypdfium2
import pytest

from tests.documents.reading import text_of
from tidewind.documents.customs_forms import CustomsForm, FormRow, cn22_paper, cn23_paper
from tidewind.documents.fonts import REGULAR, can_draw, runs
from tidewind.documents.paper import pdf_of

WORDS = {"title": "税関告知書", "contents": "内容品"}


def form(count: int, text: str = "Hand fork for gardening, steel, ash handle") -> CustomsForm:
    rows = tuple(FormRow(f"{text} no{n}", "2", "0.58 kg", "37.00 EUR", "8201.90", "PT") for n in range(1, count + 1))
    return CustomsForm(
        "RR473124829PT", ("Larkspur & Loam", "Rua da Olaria 40", "Portugal"), "EORI PT980000001",
        ("Μαρία Παπαδοπούλου", "عمر", "石井 はるか", "Japan"), "", "other", "repair", rows, "1.20 kg", "74.00 EUR", "12.90 EUR",
        "LL-1", "returned goods, first exported under 26PT0001", "", "", "Aveiro, 2026-11-27", "2026-11-27", WORDS,
    )  # fmt: skip


@pytest.mark.parametrize(("make", "per_page"), [(cn22_paper, 4), (cn23_paper, 8)])
@pytest.mark.parametrize("count", [1, 8, 40])
def test_every_item_stands_on_a_form_and_the_sums_on_the_last(make, per_page: int, count: int, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    pdf = pdf_of([make(form(count))], "forms")
    pages = -(-count // per_page)
    assert len(pypdfium2.PdfDocument(pdf)) == pages
    text = "".join(text_of(pdf, tmp_path).split())
    assert all(f"no{n}" in text for n in range(1, count + 1))
    assert text.count("74.00EUR") == 1
    assert "2026-11-27" in text.split("74.00EUR")[1]
    assert ("税関告知書" in text) == (make is cn23_paper)


def test_a_cn23_shows_both_scripts_and_long_words_stay_inside(tmp_path: Path) -> None:
    long = "Hand tool of stainless steel with a handle of ash wood for planting and lifting bulbs in heavy soil " * 2
    text = text_of(pdf_of([cn23_paper(form(8, long[:190]))], "form"), tmp_path)
    for words in ("Μαρία", "石井", "EORI PT980000001", "repair", "first exported", "8201.90"):
        assert words in text, words


def test_what_has_no_glyphs_is_known_before_it_leaves_a_gap() -> None:
    drawn = ("Ærø", "Μαρία", "石井 はるか", "عمر بن الخطاب ٤٢", "שרה לוי, רחוב 5", "สมชาย ใจดี", "")
    assert [text for text in drawn if not can_draw(text)] == []
    assert not can_draw("ⴰⵣⵓⵍ")  # Tifinagh


def test_what_is_read_from_the_right_is_drawn_from_the_right_and_joined() -> None:
    """Seen from the left the last letter comes first; numbers and Latin words within keep their own order."""
    (hebrew,) = runs("שרה")
    assert hebrew[1] == "הרש"
    (arabic,) = runs("عمر")
    assert (
        arabic[1] == "\ufeae\ufee4\ufecb"
    )  # final reh, medial meem, initial ain (Unicode, Arabic presentation forms B)
    assert "".join(part for _, part in runs("רחוב 12 Main")) == "Main 12 בוחר"
    assert runs("Rua 5") == ((REGULAR, "Rua 5"),)
