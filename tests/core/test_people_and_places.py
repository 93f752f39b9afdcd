"""Names that are like listed ones, towns and their postcodes, and what an asked carrier's answer is worth, and until when."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.gazetteer import Gazetteer, Town
from tidewind.core.consignments import NO_GOODS, Consignment, Parcel, Route
from tidewind.core.quantities import Refused, Size
from tidewind.core.screening import NEAR, SURE, Listed, Screen, plain_name, uncleared
from tidewind.core.tariffs.live import Answers, LiveAnswer, LivePrice, Question
from tidewind.core.tariffs.quote import Quote

NOW = datetime(2026, 11, 23, 10, tzinfo=UTC)
LIST = Screen(
    [Listed("a", ("Victor Halvorsen-Quade", "V. H. Quade"), "DE", "List A"), Listed("b", ("Ivan Petrov",), "RU")]
)


@pytest.mark.parametrize(
    ("name", "country", "who", "says"),
    [
        ("Victor Halvorsen Quade", "DE", ["a"], "is the same as"),
        ("QUADE, Victor Halvorsen", "DE", ["a"], "is the same as"),  # the order of words does not matter
        ("Viktor Halvorsen Quade", "DE", ["a"], "% like"),
        ("Viktor Halvorsen Quade", "FR", ["a"], "but that one is in DE"),
        ("Victor Halvor", "DE", [], ""),
        ("Иван Петров", "", ["b"], "the list"),  # spelt in Latin letters first
        ("Ivo", "", [], ""),  # too short to be like anybody
        ("", "", [], ""),
    ],
)
def test_a_recipient_is_like_a_listed_party(name: str, country: str, who: list[str], says: str) -> None:
    found = LIST.matches(name, country=country)
    assert [m.entry.key for m in found] == who
    assert all(says in m.words and m.score >= NEAR for m in found)


AT_ADDRESSES = Screen(
    [
        Listed("a", ("Isadora Quillfeather",), "GB", "List A", ("12 Marrow Lane, Hereford HR1 2PX",)),
        Listed("b", ("Kazimir Velde",), "", "List A", ("ул. Садовая 7, Псков", "Rua das Olarias 5-A, 3810-142 Aveiro")),
    ]
)


@pytest.mark.parametrize(
    ("street", "city", "country", "who"),
    [
        ("12 Marrow Lane", "Hereford", "GB", ["a"]),
        ("Marrow Ln 12", "Hereford", "GB", ["a"]),
        ("12 Marrow Lane", "Hereford", "US", []),  # the entry's country is known and another
        ("21 Marrow Lane", "Hereford", "GB", []),  # a neighbour
        ("12 Barn Street", "Hereford", "GB", []),  # a town and a number are no address
        ("Marrow Lane", "Hereford", "GB", []),  # nor is a street without a number
        ("Sadovaya ulitsa 7", "Pskov", "RU", ["b"]),  # spelt in Latin letters first
        ("Rua das Olarias 5 A", "Aveiro", "PT", ["b"]),
        ("Rua das Flores 5 A", "Aveiro", "PT", []),
        ("", "", "", []),
    ],
)
def test_a_recipient_is_at_a_listed_address(street: str, city: str, country: str, who: list[str]) -> None:
    to = Address("Somebody Else", street=street, city=city, country=country)
    assert [m.entry.key for m in AT_ADDRESSES.matches_at(to)] == who
    found = uncleared(AT_ADDRESSES, to, ())
    assert [m.entry.key for m in found] == who
    assert uncleared(AT_ADDRESSES, to, [m.entry.stamp for m in found]) == []
    moved = [Listed(m.entry.key, m.entry.names, m.entry.country, m.entry.source, ("Elsewhere 1",)) for m in found]
    assert all(m.entry.stamp != other.stamp for m, other in zip(found, moved, strict=True))


@given(st.text(max_size=60), st.text(max_size=60))
def test_likeness_never_fails_and_knows_each_its_own(name: str, other: str) -> None:
    screen = Screen([Listed("x", (name,)), Listed("y", (other,))])
    found = {m.entry.key: m.score for m in screen.matches(name)}
    assert all(NEAR <= score <= 100 for score in found.values())
    if len(plain_name(name)) >= 4:
        assert found["x"] >= SURE


TOWNS = Gazetteer(
    [
        Town("PT", "Viseu", ("3500",), "Viseu"),
        Town("PT", "Vila Real", ("5000",), "Vila Real"),
        Town("PT", "Santa Cruz", ("9100",), "Madeira"),
        Town("PT", "Santa Cruz", ("9700",), "Azores"),
        Town("ES", "Viseu", ("15",), "Galicia"),
        Town("PT", "Viseu Sul", ("35006",), "Viseu"),
    ]
)


@pytest.mark.parametrize(
    ("country", "city", "postcode", "doubted"),
    [
        ("PT", "Viseu", "3500-108", False),
        ("PT", "viseu", "3500-108", False),
        ("PT", "Viseu", "5000-108", True),
        ("PT", "Santa Cruz", "9700-001", False),  # either of two towns of one name
        ("PT", "Santa Cruz", "3500-108", True),
        ("PT", "Nowhere", "3500-108", False),  # what is not known is not doubted
        ("PT", "Viseu", "", False),
        ("ES", "Viseu", "15001", False),
        ("FR", "Viseu", "3500-108", False),
    ],
)
def test_a_postcode_that_does_not_belong_to_its_city_is_doubted(
    country: str, city: str, postcode: str, doubted: bool
) -> None:
    said = TOWNS.doubt(Address(name="A", street="B 1", postcode=postcode, city=city, country=country))
    assert (said is not None) == doubted


def test_towns_are_found_by_the_longest_postcode_and_by_what_is_typed() -> None:
    towns = [TOWNS.town_of("PT", code) for code in ("3500-108", "35006", "9700-001", "1000-001")]
    assert [t.name if t else None for t in towns] == ["Viseu", "Viseu Sul", "Santa Cruz", None]
    assert [t.name for t in TOWNS.starting("PT", "vi")] == ["Viseu", "Vila Real", "Viseu Sul"]
    assert [t.region for t in TOWNS.starting("PT", "97")] == ["Azores"]
    assert TOWNS.starting("PT", "") == []


def parcels(*grams: int) -> Consignment:
    return Consignment(
        Route("PT", "3500-108", home=True), NO_GOODS, tuple(Parcel(g, Size.of(300, 200, 100)) for g in grams)
    )


def test_an_answer_is_worth_what_it_says_until_it_expires() -> None:
    price = LivePrice((("base", "Base", 500), ("fuel", "Fuel", 60)), 1200, 129, 700)
    answer = LiveAnswer(NOW, NOW + timedelta(hours=1), {"x": price}, {"y": "does not go there"}, "")
    asked = parcels(1200)
    for minutes, good in ((0, True), (59, True), (60, False), (61, False)):
        told = Answers(
            lambda question: answer if question.consignment is asked else None,
            NOW + timedelta(minutes=minutes),
            NOW.date(),
        )
        quoted = told.quote(asked, "x", "home", "EUR", "77")
        assert isinstance(quoted, Quote) == good
        assert told.stale_net(asked, "x") == (None if good else 560)
        assert told.published_net(asked, "x") == 700
        if isinstance(quoted, Quote):
            assert (quoted.net, quoted.tax, quoted.total, quoted.account, quoted.billable_g) == (
                560,
                129,
                689,
                "77",
                1200,
            )
        refused = told.quote(asked, "y", "home", "EUR")
        assert isinstance(refused, Refused)
        assert isinstance(told.quote(parcels(1200), "x", "home", "EUR"), Refused)  # nobody asked for that one


def test_the_same_parcels_are_asked_about_once_for_a_day_in_whatever_order() -> None:
    def key(*weights_g: int, days_later: int = 0) -> str:
        return Question(parcels(*weights_g), NOW.date() + timedelta(days=days_later)).key

    assert key(500, 900) == key(900, 500)
    assert len({key(500, 900), key(900, 501), key(500, 900, days_later=1)}) == 3
