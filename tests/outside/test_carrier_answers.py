"""What a carrier says is checked before it is believed."""

from __future__ import annotations

from typing import Any

import httpx
import pytest

from tidewind.outside.carrier import Sold, SoldParcel, _sold
from tidewind.outside.errors import NotBelieved


def answer(price: Any = 321, number: Any = "CP473124829PT", **more: Any) -> httpx.Response:
    parcels = [{"tracking_number": number, "routing": "PT-3500"}]
    return httpx.Response(201, json={"price_minor": price, "parcels": parcels, **more})


@pytest.mark.parametrize("number", ["CP473124829PT", "00340434161094021501", "1Z 999.AA1/01-23"])
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
