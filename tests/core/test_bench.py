"""What a scan means, what the scale says, and what codes of ours hold."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.bench.checking import Check, Item, confirm, scan
from tidewind.core.bench.codes import Action, Code, CodeKind, collides, read_code
from tidewind.core.bench.weighing import Reading, Tolerance, reading_refusal, weigh
from tidewind.core.scanned import forms_of

FORK = Item("1/1", "HF-02", "Hand fork", 1, "B5", frozenset({"2000000000017", "HF-02"}), each_g=310)
POT = Item("2/1", "TP-12", "Pot", 3, "D4", frozenset({"2000000000024"}), each_g=620)
LAMP = Item("3/2", "SL-1", "Solar lamp", 2, "G2", frozenset({"2000000000031"}), serial=True, parcel=2, each_g=260)
CARD = Item("4/2", "GC-01", "Gift card", 2, "C7", parcel=2)
ALL = Check((FORK, POT, LAMP, CARD))

SCANS = (
    ("an item", ["HF-02"], ["right"]),
    ("the same by its barcode, as a scanner of GS1 sends it", ["]E02000000000017"], ["right"]),
    ("one too many", ["HF-02", "HF-02"], ["right", "surplus"]),
    ("three of one", ["2000000000024"] * 4, ["right", "right", "right", "surplus"]),
    ("a parcel that is full", ["HF-02", *["2000000000024"] * 3], ["right", "right", "right", "parcel_full"]),
    ("something else", ["XX-1"], ["wrong"]),
    ("a serial number where one is asked", ["2000000000031", "S1"], ["serial_wanted", "right"]),
    ("the product again instead of its number", ["2000000000031", "2000000000031"], ["serial_wanted", "no_serial"]),
    (
        "the same number twice",
        ["2000000000031", "S1", "2000000000031", "S1"],
        ["serial_wanted", "right", "serial_wanted", "serial_twice"],
    ),
)


@pytest.mark.parametrize(("codes", "verdicts"), [row[1:] for row in SCANS], ids=[row[0] for row in SCANS])
def test_each_scan_is_right_or_says_what_is_wrong(codes: list[str], verdicts: list[str]) -> None:
    check, said = ALL, []
    for code in codes:
        check, one = scan(check, forms_of(code))
        said.append(one.verdict)
    assert said == verdicts


def test_several_pieces_by_one_scan_and_items_without_a_barcode_by_confirming() -> None:
    check, said = scan(ALL, ["2000000000024"], 4)
    assert (check, said.verdict, said.words) == (ALL, "surplus", "Pot: only 3 more are needed, not 4")
    check, said = scan(ALL, ["2000000000024"], 3)
    assert check.counted(POT) == 3
    assert scan(ALL, ["2000000000031"], 2)[1].verdict == "no_serial"  # each has a number of its own
    assert confirm(ALL)[1].words == "Hand fork has a barcode: scan it"
    check = Check((CARD,))
    check, said = confirm(check)
    assert (said.verdict, said.words) == ("right", "Gift card: 1 more")
    check, said = confirm(check)
    assert said.verdict == "complete"


@given(st.lists(st.sampled_from(["HF-02", "2000000000024", "2000000000031", "S1", "S2", "S3", "XX-1"]), max_size=25))
def test_nothing_is_counted_past_what_belongs_in_and_every_scan_that_counted_can_be_undone(codes: list[str]) -> None:
    check = ALL
    for code in codes:
        before = check
        check, said = scan(check, [code])
        assert said.counts == (check != before)
        assert all(0 <= check.left(item) <= item.pieces for item in check.items)
        numbers = [number for some in check.serials.values() for number in some]
        assert len(numbers) == len(set(numbers))
        if check != before and not check.steps[-1].serial:
            assert check.undo() == before
    while check.steps:
        check = check.undo()
    assert check == ALL


SCALE = (  # two trowels of 320 g, a book of 610 g, Carton M 340 g, padding 200 g
    ("as it should be", 1790, ""),
    ("the last gram of 3 per cent, half up", 1844, ""),
    ("one gram more", 1845, "55 g too heavy"),
    ("a trowel less", 1470, "320 g too light: one TR-02 missing?"),
    ("both trowels less", 1150, "640 g too light: 2 TR-02 missing?"),
    ("a book too many", 2400, "610 g too heavy: one BK-2 too many?"),
)


@pytest.mark.parametrize(("grams", "words"), [row[1:] for row in SCALE], ids=[row[0] for row in SCALE])
def test_a_weight_says_which_item_would_explain_it(grams: int, words: str) -> None:
    items = (Item("1", "TR-02", "Trowel", 2, each_g=320), Item("2", "BK-2", "Book", 1, each_g=610))
    assert weigh(grams, 1790, items, Tolerance(300, 30)).words == words


def test_a_tolerance_is_at_least_so_many_grams_and_readings_that_are_none_are_refused() -> None:
    assert [Tolerance(300, 30).grams(g) for g in (100, 1000, 1016, 1017, 1790)] == [30, 30, 30, 31, 54]
    said = [reading_refusal(r) for r in (None, Reading(900, stable=False), Reading(900, overload=True), Reading(0))]
    assert said == [
        "the scale does not answer",
        "the scale is not at rest yet",
        "there is more on the scale than it can weigh",
        "the scale is empty",
    ]
    assert reading_refusal(Reading(900)) == ""


CODES = (
    ("TWCODE-DO-BUY-AND-PRINT", Code(CodeKind.ACTION, Action.BUY_AND_PRINT)),
    ("twcode-do-UNDO", Code(CodeKind.ACTION, "UNDO")),
    ("TWCODE-RECIPE-road-fragile", Code(CodeKind.RECIPE, "road-fragile")),
    ("RECIPE-road-fragile", Code(CodeKind.RECIPE, "road-fragile")),
    ("TWCODE-PIECES-12", Code(CodeKind.PIECES, "12")),
    ("TWCODE-", None),
    ("TWCODE-NEVER-x", None),
    ("TW-100", None),
    ("2000000000017", None),
)


@pytest.mark.parametrize(("scanned", "code"), CODES)
def test_codes_of_ours_are_known_and_no_product_can_be_taken_for_one(scanned: str, code: Code | None) -> None:
    assert read_code(scanned) == code
    assert collides(scanned) == scanned.upper().startswith(("TWCODE-", "RECIPE-"))
    if code is not None and scanned.startswith("TWCODE"):
        assert code.payload == scanned
    assert set(scanned) <= set("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-")
