"""Whatever stands in the place of any part of what people write: it is read, or refused in words, and never breaks."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from importlib import resources
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.any_json import ANYTHING, paths, put
from tests.core.any_cards import cards
from tests.core.builders import BRIGHTMILE, NORVIA
from tidewind.core.checkout.written import read_checkout
from tidewind.core.customs.tables import read_tables
from tidewind.core.rules.written import BadRules, read_rules, write_rules
from tidewind.core.tariffs.card import RateCard, Service
from tidewind.core.tariffs.changes import changes
from tidewind.core.tariffs.reading import BadCard
from tidewind.core.tariffs.written import read_card, write_card

RULES = [
    {
        "id": "a",
        "name": "A",
        "when": {
            "all": [
                {"fact": "country", "test": "is_any_of", "to": ["PT"]},
                {"fact": "ordered_time", "test": "before", "to": "14:30"},
                {"fact": "postcode", "test": "is_in", "to": ["95-99"]},
                {"any": [{"fact": "value", "test": "between", "to": [1, 2]}]},
                {"not": {"fact": "customs", "test": "is", "to": True}},
            ]
        },
        "do": [
            {"set": "tag", "to": "x"},
            {"set": "split", "to": {"by": "weight", "most": 3}},
            {"set": "ship_date", "to": {"date": "2026-12-01"}},
            {"set": "value", "to": 5},
            {"set": "hold", "to": "why"},
        ],
    }
]
OFFER = {
    "code": "home",
    "names": {"en": "Home", "pt": "Casa"},
    "price": {"kind": "live", "services": ["road"], "each": True},
    "percent_bp": 500,
    "ending_minor": 90,
    "floor_minor": 1,
    "ceiling_minor": 900,
    "handling": {"order": 1, "parcel": 2, "item": 3},
    "free": {"from_minor": 6000, "counts": "after"},
    "fallback": {"home_minor": 590, "abroad_minor": 9},
    "where": {"countries": "PT ES", "regions": "Algarve", "postcodes": "not 9000-9999"},
    "basket": {"weight_g_from": 1, "weight_g_to": 9, "skus": ["a"]},
    "channels": ["x"],
    "times": {"days": [1], "from": "08:00", "until": "14:00"},
    "takes": ["lithium"],
    "groups": {"club": 3},
    "shows": "day",
    "packing_days": 2,
}
TABLE = {
    "code": "t",
    "name": "T",
    "by": "weight_g",
    "bands": [1000, 2000],
    "rows": [{"countries": "PT", "prices": [490, None], "name": "n"}],
    "narrowest": True,
}
BY_TABLE = {"code": "isl", "names": {"en": "I"}, "price": {"kind": "table", "table": "t"}}
SAMPLES = json.loads(
    resources.files("tidewind.data").joinpath("customs", "sample-tables.json").read_text(encoding="utf-8")
)


def customs_tables(body: Any) -> str:
    """Read tables of customs, and return in words what is wrong with them."""
    try:
        read_tables(body if isinstance(body, dict) else {"name": body})
    except ValueError as error:
        assert not isinstance(error, UnicodeError)
        return str(error)
    return ""


READERS: dict[str, tuple[Any, Callable[[Any], Any], Callable[[Any], Any]]] = {
    "rules": (RULES, read_rules, lambda made: None if isinstance(made, BadRules) else write_rules(made)),
    "checkout": (
        {"offers": [OFFER, BY_TABLE], "tables": [TABLE], "keep_s": 60},
        lambda body: read_checkout(body, {"road": "Road"}),
        lambda made: None,
    ),
    "customs tables": (SAMPLES, customs_tables, lambda made: None),
    "a card by weight": (
        write_card(NORVIA),
        read_card,
        lambda made: None if isinstance(made, BadCard) else write_card(made),
    ),
    "a card with networks": (
        write_card(BRIGHTMILE),
        read_card,
        lambda made: None if isinstance(made, BadCard) else write_card(made),
    ),
}


@pytest.mark.parametrize("name", READERS)
@given(data=st.data(), new=ANYTHING)
def test_whatever_stands_in_the_place_of_a_part_is_read_or_refused(name: str, data: st.DataObject, new: Any) -> None:
    good, read, write = READERS[name]
    made = read(put(good, data.draw(st.sampled_from(list(paths(good)))), new))
    if (written := write(made)) is not None:
        assert read(written) == made


def test_what_nothing_was_put_into_is_read() -> None:
    made = {name: read(good) for name, (good, read, _) in READERS.items()}
    assert made["checkout"].errors == ()
    assert made["customs tables"] == ""
    assert not isinstance(made["rules"], BadRules)
    assert made["a card by weight"] == NORVIA
    assert made["a card with networks"] == BRIGHTMILE


@pytest.mark.parametrize(
    ("path", "new", "words"),
    [
        ((0, "do", 1, "to", "by"), [], "quantity or weight is expected"),
        ((0, "do", 1, "to", "most"), 0, "a whole number from 1"),
        ((0, "do", 2, "to"), {"working_days": 61}, "at most 60"),
        ((0, "do", 2, "to", "date"), "2026-02-30", "a date like 2026-12-01"),
        ((0, "do"), [], "at least one action"),
        ((0, "on"), "yes", "true or false"),
        ((0, "name"), "x" * 121, "at most 120 characters"),
        ((0, "when", "all", 0, "to"), [], "at least one value"),
        ((0, "when", "all", 0, "to"), ["PRT"], "two-letter country codes"),
        ((0, "when", "all", 1, "to"), "25:00", "a time like 14:30"),
        ((0, "when", "all", 3, "any"), [], "needs at least one part"),
        ((0, "when", "all", 3, "any", 0, "to"), [2, 1], "the smaller first"),
        ((0, "when", "all", 4, "not", "to"), "true", "true or false is expected"),
        ((0, "when", "all", 4, "not", "fact"), "weather", "is none of"),
        ((0, "when"), [], "a condition is an object"),
    ],
)
def test_a_fault_in_rules_is_said_at_its_place(path: tuple[Any, ...], new: Any, words: str) -> None:
    made = read_rules(put(RULES, path, new))
    assert isinstance(made, BadRules)
    assert [words in error for error in made.errors] == [True]


@pytest.mark.parametrize(
    ("path", "new", "words"),
    [
        (("offers",), {"home": 1}, "offers must be a list"),
        (("offers", 0), "home", "Offer 1 must be an object"),
        (("offers", 1, "code"), "home", "there are two with the code home"),
        (("offers", 0, "shows"), "hour", "shows must be one of span, day, nothing"),
        (("offers", 0, "channels"), [1], "must be a list of at most 500 texts"),
        (("offers", 0, "where", "regions"), "x" * 2_001, "a text of at most 2000 letters"),
        (("offers", 0, "basket"), [1], "basket must be an object"),
        (("offers", 0, "groups"), {"club": -1}, "prices of customer groups are minor units"),
        (("offers", 0, "times", "days"), [7], "days are 0 (Monday) to 6 (Sunday)"),
        (("offers", 0, "price", "services"), [], "name the services that are asked"),
        (("tables", 0, "bands"), [], "bands must be a list of 1 to 60"),
        (("tables", 0, "bands"), [2000, 1000], "each band must end after the one before it"),
        (("tables", 0, "rows"), 3, "rows must be a list"),
        (("tables", 0, "rows", 0), 3, "row 1 must be an object"),
        (("tables", 0, "rows", 0, "prices"), [1, 2, 3], "one for each band"),
        (("keep_s",), 301, "a whole number from 0 to 300"),
    ],
)
def test_a_fault_in_the_checkout_is_said_with_its_name(path: tuple[Any, ...], new: Any, words: str) -> None:
    errors = read_checkout(put(READERS["checkout"][0], path, new), {"road": "Road"}).errors
    assert any(words in error for error in errors), errors


def without(service: Service, what: str, which: int) -> Service:
    """Return a service with a zone, a class, or a price of a class less; the same where it has none."""
    if what == "zone" and service.steps:
        gone = sorted(service.steps)[which % len(service.steps)]
        return replace(service, steps={zone: steps for zone, steps in service.steps.items() if zone != gone})
    if not service.classes:
        return service
    chosen = service.classes[which % len(service.classes)]
    others = tuple(one for one in service.classes if one is not chosen)
    if what == "class":
        return replace(service, classes=others)
    if what == "limit":
        return replace(service, classes=(*others, replace(chosen, max_gross_g=chosen.max_gross_g + 1)))
    return replace(service, classes=(*others, replace(chosen, prices=dict(list(chosen.prices.items())[1:]))))


@given(cards(), st.sampled_from(["zone", "class", "limit", "price"]), st.integers(0, 9))
def test_whatever_goes_out_of_a_card_or_comes_in_is_said(card: RateCard, what: str, which: int) -> None:
    service = card.services[which % len(card.services)]
    less = replace(card, services=tuple(without(s, what, which) if s is service else s for s in card.services))
    if write_card(less) != write_card(card):
        for before, after in ((card, less), (less, card)):
            found = changes(before, after)
            assert found
            assert all(change.before != change.after for change in found)
    else:
        assert changes(card, less) == []
