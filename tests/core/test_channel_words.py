"""What a channel says later is compared with what it said before, never with what people corrected here."""

from __future__ import annotations

import itertools
from dataclasses import fields, replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.addresses.check import Address
from tidewind.core.channel_changes import (
    FIELDS,
    ChangeKind,
    ChannelChange,
    changes_between,
    kind_of,
    merged_address,
    merged_lines,
    worst,
)
from tidewind.core.order_limits import (
    MOST_MINOR,
    MOST_PIECES,
    BeyondLimits,
    amount,
    pieces,
    short_text,
    storable,
    whole,
)

SAID: dict[str, Any] = {
    "address": {"name": "Ana Prado", "street": "Rua 1", "city": "Viseu", "country": "PT"},
    "lines": [{"sku": "HF-02", "name": "Hand fork", "quantity": 2, "unit_price_minor": 1290}],
    "promise": "Standard",
    "promise_date": None,
    "note": "",
    "billing_name": "",
    "home": True,
    "paid_shipping_minor": 390,
}


@pytest.mark.parametrize(
    ("later", "told", "kind"),
    [
        pytest.param({}, [], ChangeKind.EDITED, id="the same again"),
        pytest.param({"state": "processing"}, [], ChangeKind.EDITED, id="a state is no change of what was ordered"),
        pytest.param({"note": "ring twice"}, [("note", "", "ring twice")], ChangeKind.EDITED, id="a note"),
        pytest.param(
            {"home": False}, [("home or business", "home", "business")], ChangeKind.EDITED, id="a business after all"
        ),
        pytest.param(
            {"address": {**SAID["address"], "street": "Rua 2"}},
            [("address", "Ana Prado, Rua 1, Viseu, PT", "Ana Prado, Rua 2, Viseu, PT")],
            ChangeKind.CONTENT,
            id="another street stops it",
        ),
        pytest.param(
            {"address": dict(reversed(SAID["address"].items()))}, [], ChangeKind.EDITED, id="its parts in another order"
        ),
        pytest.param(
            {"lines": [*SAID["lines"], {"sku": "X", "name": "", "quantity": 1, "unit_price_minor": 0}]},
            [("items", "2 × Hand fork", "2 × Hand fork, 1 × X")],
            ChangeKind.CONTENT,
            id="one more item, known by its SKU alone",
        ),
        pytest.param(
            {"recipient_number": "PT501"}, [("recipient's tax number", "", "PT501")], ChangeKind.EDITED, id="a number"
        ),
        pytest.param({"recipient_number": ""}, [], ChangeKind.EDITED, id="no number, said outright"),
    ],
)
def test_two_words_of_a_channel(later: dict[str, Any], told: list[tuple[str, str, str]], kind: ChangeKind) -> None:
    found = changes_between(SAID, {**SAID, **later})
    assert [(c.field, c.before, c.after) for c in found] == told
    assert kind_of(found, "open") is kind
    assert kind_of(found, "hold") is ChangeKind.STOPPED
    assert kind_of(found, "cancelled") is ChangeKind.CANCELLED


def test_a_field_that_older_versions_did_not_know_is_no_change() -> None:
    for name in FIELDS:
        older = {key: value for key, value in SAID.items() if key != name}
        assert changes_between(older, SAID) == []


@pytest.mark.parametrize(
    ("change", "stops", "words"),
    [
        (ChannelChange(ChangeKind.EDITED, ("note",)), False, "changed this order after it was imported: note"),
        (
            ChannelChange(ChangeKind.CONTENT, ("address", "items")),
            True,
            "changed this order after it was imported: address, items",
        ),
        (ChannelChange(ChangeKind.STOPPED, why="unpaid"), True, "keeps this order back since it was imported: unpaid"),
        (ChannelChange(ChangeKind.CANCELLED, whose="LL-7"), True, "cancelled order LL-7, which belongs to it, after"),
    ],
)
def test_a_change_says_what_it_is(change: ChannelChange, stops: bool, words: str) -> None:
    assert (change.stops, words in change.words) == (stops, True)


@given(st.permutations(list(ChangeKind)), st.integers(1, 4))
def test_the_worst_change_speaks_for_all(kinds: list[ChangeKind], many: int) -> None:
    changes = [ChannelChange(kind, why=str(n)) for n, kind in enumerate([*kinds, *kinds][: many * 2])]
    found = worst(changes)
    ranks = list(ChangeKind)
    assert found is not None
    assert all(ranks.index(found.kind) >= ranks.index(c.kind) for c in changes)
    assert found == next(c for c in changes if c.kind is found.kind)
    assert worst([]) is None


PARTS = [f.name for f in fields(Address)]
PLACE = {"street", "extra", "city", "postcode", "region", "country"}


@given(
    st.dictionaries(st.sampled_from(PARTS), st.sampled_from(["a", "b"])),
    st.sets(st.sampled_from(PARTS)),
    st.sets(st.sampled_from(PARTS)),
)
def test_an_address_is_never_half_of_one_place_and_half_of_another(
    first: dict[str, str], corrected: set[str], changed: set[str]
) -> None:
    before = Address(**first)
    here = replace(before, **dict.fromkeys(corrected, "ours"))
    after = replace(before, **dict.fromkeys(changed, "theirs"))
    merged = merged_address(here, before, after)
    for part in PARTS:
        if part in changed or (part in PLACE and changed & PLACE):
            assert getattr(merged, part) == getattr(after, part)
        else:
            assert getattr(merged, part) == getattr(here, part)
    assert merged_address(here, before, before) == here


LINES = st.lists(st.tuples(st.sampled_from("AB"), st.integers(0, 5)), max_size=5)


@given(LINES, LINES)
def test_pieces_that_went_are_spread_over_the_lines_of_their_article(
    went: list[tuple[str, int]], wanted: list[tuple[str, int]]
) -> None:
    here = [(sku, sent, 100 if sku == "A" else None) for sku, sent in went]
    after = [{"sku": s, "name": s, "quantity": q + 1, "unit_price_minor": 5} for s, q in wanted]
    made = merged_lines(here, after)
    assert [(m.sku, m.quantity) for m in made] == [(a["sku"], a["quantity"]) for a in after]
    for sku in "AB":
        mine = [m for m in made if m.sku == sku]
        gone = sum(sent for s, sent in went if s == sku)
        assert sum(m.sent for m in mine) == min(gone, sum(m.quantity for m in mine))
        # From the first: a line has pieces gone only where all before it are gone whole.
        assert all(a.sent == a.quantity for a, b in itertools.pairwise(mine) if b.sent)
        assert {m.weight_g for m in mine} <= {100 if sku == "A" and any(s == "A" for s, _ in went) else None}


@pytest.mark.parametrize(
    ("value", "is_"),
    [
        ("7", 7),
        (" 7 ", 7),
        ("7.0", 7),
        ("7.", 7),
        ("-3", -3),
        (12, 12),
        ("9" * 18, int("9" * 18)),
        ("7.5", None),
        ("", None),
        (None, None),
        (True, None),
        ("9" * 19, None),
        ("1e3", None),
        ("٣", 3),
        ("0x10", None),
    ],
)
def test_whole_numbers(value: object, is_: int | None) -> None:
    if is_ is None:
        with pytest.raises(BeyondLimits):
            whole(value, "quantity")
    else:
        assert whole(value, "quantity") == is_


@pytest.mark.parametrize(
    ("read", "inside", "beyond"),
    [
        (pieces, (1, MOST_PIECES), (0, -1, MOST_PIECES + 1)),
        (lambda v: amount(v, "price"), (0, MOST_MINOR), (-1, MOST_MINOR + 1)),
        (lambda v: short_text("x" * v, 60, "SKU"), (0, 60), (61, 5_000)),
    ],
)
def test_limits_are_said_with_the_figure(read: Any, inside: tuple[int, ...], beyond: tuple[int, ...]) -> None:
    for value in inside:
        read(value)
    for value in beyond:
        with pytest.raises(BeyondLimits, match=r"\d"):
            read(value)


@given(st.one_of(st.text(), st.integers(), st.floats(), st.none(), st.characters(categories=["Cs"])))
def test_what_is_stored_is_text_that_a_database_takes(value: object) -> None:
    text = storable(value)
    assert "\x00" not in text
    assert text.encode("utf-8").decode("utf-8") == text


@pytest.mark.parametrize("value", [{"a": 1}, [1], (1,), b"x"])
def test_a_list_where_a_word_belongs_is_refused(value: object) -> None:
    with pytest.raises(BeyondLimits, match="stands where text belongs"):
        storable(value)
