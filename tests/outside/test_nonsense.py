"""Whatever a carrier or a channel answers, it is read, or refused as theirs: an error of ours it never becomes."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any, Literal

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.any_json import ANYTHING, paths, put
from tests.conftest import MONDAY
from tidewind.core.addresses.check import Address
from tidewind.core.consignments import Consignment, Goods, Parcel, Route
from tidewind.core.quantities import Size
from tidewind.core.tariffs.live import Question
from tidewind.outside.channels.dialects import DIALECTS
from tidewind.outside.channels.store import Store
from tidewind.outside.channels.upstream import UpstreamOrder
from tidewind.outside.errors import OutsideError, RefusedOutside
from tidewind.outside.http_carrier import TRACK_MANY, HttpCarrier

HERE = "http://127.0.0.1:9"
POT = Consignment(Route("PT", "5180-101", True), Goods(3_000), (Parcel(2_000, Size.of(225, 225, 215)),), frozenset())
TO = Address(name="N", street="S 1", city="C", postcode="3800-001", country="PT")
EVENT = {"code": "a", "at": "2026-11-23T10:00:00+00:00", "words": "w", "spot": "s", "id": "i", "takes_back": "t"}
CARRIER = {
    "protocol": {"name": "tidewind-carrier", "version": "1.0"},
    "carrier": {"code": "a", "name": "A", "monogram": "A", "latin_only": True},
    "states": {"x": "delivered"},
    "can": ["void"],
    "services": [{"code": "s", "name": "S", "days": [1, 2], "max_g": 5, "cutoff": "16:00"}],
    "cards": [{"a": 1}],
}
LINE = {"code": "base", "name": "B", "amount_minor": 5}
PRICE = {"lines": [LINE], "billable_g": 5, "tax_minor": 0, "published_minor": 5}
POINT = {"code": "p", "name": "P", "heaviest_g": 20000, "longest_cm": 5, "longest_mm": 500, "full": True}
SOLD = {"price_minor": 500, "parcels": [{"tracking_number": "CP00000001", "routing": "r"}]}
PICKUP = {"state": "booked", "confirmation": "c", "fee_minor": 4, "words": "w"}
CARRIERS: dict[str, tuple[Any, Callable[[HttpCarrier], Any]]] = {
    "introduce": (CARRIER, lambda c: c.introduce()),
    "quotes": (
        {"holds_seconds": 60, "prices": {"s": PRICE}, "refusals": {"x": "no"}},
        lambda c: c.quotes(Question(POT, MONDAY.date()), MONDAY),
    ),
    "points": ({"points": [POINT]}, lambda c: c.points("PT", "3800")),
    "events": ({"events": [EVENT]}, lambda c: c.events("N1")),
    "events of many": ({"parcels": [{"number": "N1", "events": [EVENT]}]}, lambda c: c.events_of(["N1"])),
    "void": ({"state": "pending", "words": "w"}, lambda c: c.void("k")),
    "return": ({**SOLD["parcels"][0], "price_minor": 4}, lambda c: c.make_return("k", "o", "s")),  # type: ignore[index]
    "packaging": (
        {"confirmation": "c", "arrives": "2026-11-25"},
        lambda c: c.order_packaging("k", {"NB-S": 20}, TO),
    ),
    "pickup": (PICKUP, lambda c: c.find_pickup("k")),
    "purchase": (SOLD, lambda c: c.find("k")),
}
LARKSPUR_ORDER = {
    "number": "L-1", "status": "processing", "payment": "paid", "created": "2026-11-23T10:00:00+00:00",
    "recipient": {"name": "N", "street": "S 1", "city": "C", "postcode": "3800-001", "country": "PT"},
}  # fmt: skip
PAGES: dict[str, Any] = {
    "larkspur": {"orders": [LARKSPUR_ORDER], "next": "2", "more": False},
    "tallyfair": {"items": [{"order_ref": "T-1", "changed_at": "2026-11-23T10:00:00+00:00"}], "next_page": None},
    "ovenbird": {"count": 1, "offset": 0, "results": [{"code": "O-1", "updated": 3.5}]},
    "store": {"orders": [{"number": "S-1"}], "cursor": "2", "more": False},
}
COUNTS = {
    "larkspur": {"status": {"new": 2}, "payment": {"paid": 2}},
    **{code: {"states": {"new": 2}, "payments": {"paid": 2}} for code in ("tallyfair", "ovenbird", "store")},
}
BROKEN = [b"", b"[", b"[" * 100_000, b'{"a":' * 50_000, b"\xff\xfe\x00", b"null", b"[]", b'"x"', b"1e999", b"<html>"]


def answering(content: bytes) -> httpx.Client:
    return httpx.Client(base_url=HERE, transport=httpx.MockTransport(lambda _: httpx.Response(200, content=content)))


def carrier_that_says(content: bytes) -> HttpCarrier:
    client = HttpCarrier(HERE, 1, states={"a": "delivered"}, private=True, can={TRACK_MANY})
    client._client = answering(content)
    return client


def channel_that_says(code: str, content: bytes) -> Any:
    client: Any = Store(HERE, "key", 1, private=True) if code == "store" else DIALECTS[code](HERE, "secret", 1)
    client._client = answering(content)
    return client


def said(value: Any) -> bytes:
    return json.dumps(value).encode()


@pytest.mark.parametrize("what", CARRIERS)
@given(data=st.data(), new=ANYTHING)
def test_whatever_a_carrier_says_is_read_or_refused(what: str, data: st.DataObject, new: Any) -> None:
    good, ask = CARRIERS[what]
    try:
        ask(carrier_that_says(said(put(good, data.draw(st.sampled_from(list(paths(good)))), new))))
    except OutsideError as error:
        assert str(error)


@pytest.mark.parametrize("what", CARRIERS)
def test_a_carriers_good_answer_is_read_and_a_broken_one_is_not(what: str) -> None:
    good, ask = CARRIERS[what]
    assert ask(carrier_that_says(said(good)))
    for content in BROKEN:
        with pytest.raises(OutsideError):
            ask(carrier_that_says(content))


@pytest.mark.parametrize("kind", ["orders", "counts"])
@pytest.mark.parametrize("code", PAGES)
@given(data=st.data(), new=ANYTHING)
def test_whatever_a_channel_says_is_read_or_refused(
    code: str, kind: Literal["orders", "counts"], data: st.DataObject, new: Any
) -> None:
    good = (PAGES if kind == "orders" else COUNTS)[code]
    client = channel_that_says(code, said(put(good, data.draw(st.sampled_from(list(paths(good)))), new)))
    try:
        if kind == "orders":
            page = client.orders_after("")
            assert all(isinstance(one, UpstreamOrder) or one.why for one in page.orders)
            assert isinstance(page.cursor, str)
        else:
            found = client.counts()
            assert all(isinstance(n, int) for n in (*found.states.values(), *found.payments.values()))
    except OutsideError as error:
        assert str(error)


@pytest.mark.parametrize("code", PAGES)
def test_a_channels_page_is_read_by_itself_and_a_broken_one_refused_in_words(code: str) -> None:
    page = channel_that_says(code, said(PAGES[code])).orders_after("")
    assert [bool(one.why) for one in page.orders] == [True]  # its order is not whole, and kept aside by itself
    assert sum(channel_that_says(code, said(COUNTS[code])).counts().states.values()) == 2
    for content in BROKEN:
        for ask in ("orders_after", "counts"):
            with pytest.raises(OutsideError):
                getattr(channel_that_says(code, content), ask)(*([""] if ask == "orders_after" else []))
    with pytest.raises(RefusedOutside, match=r"the orders that it lists make no sense: “.*” is missing"):
        channel_that_says(code, b"{}").orders_after("")
