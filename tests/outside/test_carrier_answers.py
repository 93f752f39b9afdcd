"""What a carrier says is checked before it is believed."""

from __future__ import annotations

from typing import Any

import httpx
import pytest

from tidewind.outside.carrier import Sold, SoldParcel
from tidewind.outside.errors import NotBelieved
from tidewind.outside.http_carrier import HttpCarrier, _sold


def answer(price: Any = 321, number: Any = "CP473124829PT", **more: Any) -> httpx.Response:
    parcels = [{"tracking_number": number, "routing": "PT-3500"}]
    return httpx.Response(201, json={"price_minor": price, "parcels": parcels, **more})


@pytest.mark.parametrize("number", ["CP473124829PT", "00340434161094021501", "AB 999.AA1/01-23"])
def test_a_number_that_can_stand_on_a_label_is_taken_as_it_is(number: str) -> None:
    assert _sold(answer(number=number)) == Sold(321, (SoldParcel(number, "PT-3500"),))


@pytest.mark.parametrize(
    "told",
    [
        answer(number=""),
        answer(number="None"),
        answer(number="null"),
        answer(number=None),
        answer(number=47),
        answer(number="7" * 41),
        answer(number="AB\x00CD12"),
        answer(number="AB\nCD12"),
        answer(number="  AB12"),
        answer(price=-1),
        answer(price=1e9),
        answer(price="321"),
        answer(price=True),
        answer(price=3.21),
        answer(price=None),
        answer(parcels=None),
        answer(parcels=[None]),
        answer(parcels=[{}]),
        httpx.Response(201, json=[]),
        httpx.Response(201, text="<html>"),
        httpx.Response(201),
    ],
    ids=lambda told: told.text[:60],
)
def test_what_cannot_be_true_is_not_believed(told: httpx.Response) -> None:
    with pytest.raises(NotBelieved):
        _sold(told)


class Says:
    """A carrier that gives one answer to everything."""

    def __init__(self, told: Any) -> None:
        self.told = told

    def client(self) -> HttpCarrier:
        made = HttpCarrier("http://127.0.0.1", 1, states={"N20": "moving"})
        given = httpx.Response(200, json=self.told) if not isinstance(self.told, httpx.Response) else self.told
        made._client = httpx.Client(base_url="http://127.0.0.1", transport=httpx.MockTransport(lambda _: given))
        return made


EVENT = {"at": "2026-11-23T10:00:00+00:00", "code": "100", "words": "In the\u0000 van\nnow", "spot": "Viseu"}


@pytest.mark.parametrize(
    "events",
    [
        [{**EVENT, "at": "2026-11-23T10:00:00"}],
        [{**EVENT, "at": "soon"}],
        [{**EVENT, "at": 5}],
        [{**EVENT, "words": None}],
        [{**EVENT, "words": ["a"]}],
        [{"code": "100"}],
        [None],
        None,
        "x",
    ],
    ids=str,
)
def test_events_that_make_no_sense_are_the_carriers_trouble_alone(events: Any) -> None:
    known = "N20"
    told = [{**e, "code": known} if isinstance(e, dict) else e for e in events] if isinstance(events, list) else events
    with pytest.raises(NotBelieved):
        Says({"events": told}).client().events("X1")


def test_events_are_kept_on_one_line_and_unknown_codes_without_a_meaning() -> None:
    known, other = {**EVENT, "code": "N20", "id": "a"}, {**EVENT, "code": "never\nheard of", "takes_back": "a"}
    told = Says({"events": [known, other]}).client().events("X1")
    assert [(e.words, e.spot) for e in told] == [("In the van now", "Viseu")] * 2
    assert [(e.state, e.code, e.id, e.takes_back) for e in told] == [
        ("moving", "N20", "a", ""),
        (None, "never heard of", "", "a"),
    ]


@pytest.mark.parametrize("number", ["None", None, "", "AB\x00CD12", "7" * 41, 5])
def test_a_label_for_the_way_back_needs_a_number_that_can_be_one(number: Any) -> None:
    with pytest.raises(NotBelieved):
        Says({"tracking_number": number, "routing": "", "price_minor": 300}).client().make_return("k", "r", "s")
    with pytest.raises(NotBelieved):
        Says({"tracking_number": "RB00000001", "routing": "", "price_minor": -1}).client().make_return("k", "r", "s")
