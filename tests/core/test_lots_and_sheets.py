"""Goods are divided into lots without losing a piece; rate tables go to a spreadsheet and come back the same."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import BOX_L, POT, SHOP
from tidewind.core.checkout.sheets import HEADS, has_bands, sheet_of, table_of
from tidewind.core.layers import BATCH, HAND, RULE, Wish, Wishes
from tidewind.core.order_facts import Hand, HandParcel
from tidewind.core.packing import Packaging, Unit
from tidewind.core.parcels import Packed, divide, parcels_text, put_into_parcels, units_of
from tidewind.core.quantities import Refused, Size
from tidewind.core.rules.rule import Split
from tidewind.core.snags import Snag


def unit(grams: int) -> Unit:
    return Unit("1", (10, 10, 10), grams, upright=False, own_box=False)


@pytest.mark.parametrize(
    ("grams", "split", "lots"),
    [
        pytest.param([5, 5, 5], Split("quantity", 2), [[5, 5], [5]], id="two at most"),
        pytest.param([5, 5, 5], Split("quantity", 1), [[5], [5], [5]], id="each by itself"),
        pytest.param([5, 5, 5], Split("weight", 10), [[5, 5], [5]], id="ten grams, to the gram"),
        pytest.param([5, 5, 5], Split("weight", 9), [[5], [5], [5]], id="a gram less"),
        pytest.param([6, 5, 4], Split("weight", 10), [[6, 4], [5]], id="a light one goes back to where there is room"),
        pytest.param([30, 5], Split("weight", 10), [[30], [5]], id="what is heavier by itself goes alone"),
        pytest.param([], Split("quantity", 3), [], id="nothing"),
    ],
)
def test_lots(grams: list[int], split: Split, lots: list[list[int]]) -> None:
    assert [[u.weight_g for u in lot] for lot in divide([unit(g) for g in grams], split)] == lots


@given(st.lists(st.integers(1, 40), max_size=30), st.sampled_from(["quantity", "weight"]), st.integers(1, 60))
def test_no_piece_is_lost_and_no_lot_is_over_what_was_asked(grams: list[int], by: str, most: int) -> None:
    lots = divide([unit(g) for g in grams], Split(by, most))  # type: ignore[arg-type]
    assert Counter(u.weight_g for lot in lots for u in lot) == Counter(grams)
    for lot in lots:
        size = len(lot) if by == "quantity" else sum(u.weight_g for u in lot)
        assert size <= most or len(lot) == 1
    assert all(lots)


TINY = Packaging("TINY", "Tiny box", (50, 50, 50), Size.of(55, 55, 55), 20, 5, 1_000)
WITH_TINY = replace(SHOP, packagings=(*SHOP.packagings, TINY))


def placed(hand: Hand, *wishes: Wish) -> tuple[Packed | Refused, list[Snag]]:
    """Put two pots into parcels."""
    snags: list[Snag] = []
    asked = Wishes({}, {}, packaging=list(wishes))
    return put_into_parcels(units_of([replace(POT, quantity=2)]), asked, hand, WITH_TINY, snags), snags


@pytest.mark.parametrize(
    ("parcels", "words"),
    [
        pytest.param([("CTN-L", 1), ("CTN-L", 1)], None, id="all of it, in two"),
        pytest.param([("CTN-L", 1)], "leave items out", id="one is forgotten"),
        pytest.param([("CTN-L", 2), ("CTN-L", 1)], "parcel 2, put together by hand", id="one is there twice"),
        pytest.param([("CTN-L", 0), ("CTN-L", 2)], "parcel 1, put together by hand", id="an empty parcel"),
        pytest.param([("TINY", 2)], "does not fit into Tiny box", id="too large for the box"),
        pytest.param([(None, 2)], None, id="in whatever fits"),
    ],
)
def test_parcels_that_somebody_put_together(parcels: list[tuple[str | None, int]], words: str | None) -> None:
    hand = Hand(parcels=tuple(HandParcel(((POT.id, count),), box) for box, count in parcels))
    found, _ = placed(hand)
    if words is None:
        assert isinstance(found, Packed)
        assert sum(n for p in found.parcels for _, n in p.contents) == 2
        assert parcels_text(found.parcels) == (f"{len(parcels)} parcels" if len(parcels) > 1 else BOX_L.name)
    else:
        assert isinstance(found, Refused)
        assert words in found.detail


@pytest.mark.parametrize("box", [TINY.code, "GONE"])
@pytest.mark.parametrize(
    ("layer", "by"),
    [(HAND, "chosen by hand"), (BATCH, "chosen for the batch"), (RULE, "as always"), ("product", ""), ("promise", "")],
)
def test_a_box_that_cannot_be_refuses_where_a_person_or_a_rule_wished_it_and_gives_way_else(
    layer: str, by: str, box: str
) -> None:
    found, snags = placed(Hand(), Wish(layer, BOX_L.code, "before"), Wish(layer, box, "as always"))
    if by:
        assert isinstance(found, Refused)
        assert (found.reason, by in found.detail, snags) == ("wished_packaging", True, [])
    else:  # the wish behind it is fallen back on, and said
        assert isinstance(found, Packed)
        assert found.box == BOX_L
        assert [(s.code, s.level) for s in snags] == [("packaging_gave_way", "warns")]


FIGURE = {"weight_g": st.integers(1, 90_000), "items": st.integers(1, 500), "value": st.integers(1, 900_000)}
TABLES = st.sampled_from(sorted(FIGURE)).flatmap(
    lambda by: st.lists(FIGURE[by], min_size=1, max_size=6, unique=True).flatmap(
        lambda bands: st.fixed_dictionaries(
            {
                "by": st.just(by),
                "bands": st.just(sorted(bands)),
                "rows": st.lists(
                    st.fixed_dictionaries(
                        {
                            "name": st.sampled_from(["", "Home", "Far, and dear"]),
                            "countries": st.sampled_from(["PT", "ES, FR", ""]),
                            "regions": st.just(""),
                            "postcodes": st.just(""),
                            "prices": st.lists(
                                st.one_of(st.none(), st.integers(0, 99_999)),
                                min_size=len(bands),
                                max_size=len(bands),
                            ),
                        }
                    ).filter(lambda row: row["countries"] and any(p is not None for p in row["prices"])),
                    max_size=4,
                ),
            }
        )
    )
)


@given(TABLES, st.sampled_from(["EUR", "JPY", "BHD"]), st.randoms())
def test_a_table_comes_back_from_its_sheet_whatever_the_order_of_its_columns(
    table: dict[str, object], currency: str, chance: object
) -> None:
    sheet = sheet_of(table, currency)
    columns = list(range(len(sheet[0])))
    chance.shuffle(columns)  # type: ignore[attr-defined]
    made, wrong = table_of("Abroad, by weight", [[row[n] for n in columns] for row in sheet], currency)
    assert wrong == []
    assert {name: made[name] for name in ("by", "bands", "rows")} == table
    assert (made["code"], made["name"]) == ("abroad-by-weight", "Abroad, by weight")


@pytest.mark.parametrize(
    ("head", "words"),
    [
        pytest.param("to 4 stone", "is no band", id="a unit that is none here"),
        pytest.param("to four kg", "is no band", id="a figure in words"),
        pytest.param("to 1.5 pieces", "is no band", id="half a piece"),
        pytest.param("to 60.00 USD", "is no band", id="another currency"),
        pytest.param("to 999999999999999999 kg", "is no band", id="more than any parcel weighs"),
    ],
)
def test_heads_that_are_no_band_are_named(head: str, words: str) -> None:
    _, wrong = table_of("T", [[*HEADS, "to 4 kg", head], ["", "PT", "", "", "3.90", "4.90"]], "EUR")
    assert len(wrong) == 1
    assert words in wrong[0]


def test_faults_are_said_by_row_and_the_good_rows_stay() -> None:
    sheet = [[*HEADS, "to 4 kg", "to 3 pieces"], ["", "PT", "", "", "3.90", "x"], [], ["", "Atlantis", "", "", "4", ""]]
    made, wrong = table_of("T", sheet, "EUR")
    assert [row["prices"] for row in made["rows"]] == [[None, 390], [None, 400]]
    assert any("different things" in w for w in wrong)
    assert any(w.startswith("Row 2: “x” is no price") for w in wrong)
    assert any(w.startswith("Row 4:") for w in wrong)
    assert (has_bands(sheet), has_bands([["a", "b"]]), has_bands([])) == (True, False, False)
