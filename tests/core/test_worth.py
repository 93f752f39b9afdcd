"""What goods in another currency are worth here: said by a person for these goods, never reckoned by the program."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tidewind.core.addresses.check import Address
from tidewind.core.order_facts import Hand, LineFacts, OrderFacts, Worth, at_same_rate

TO = Address(name="A", street="12 Mill Lane", city="Bristol", postcode="BS1 4QA", country="GB")
FORK = LineFacts("1", "HF-02", "Fork", 2, 310, (300, 60, 40), 1_820)


@pytest.mark.parametrize(
    ("said", "quantity", "currency", "value", "asks"),
    [
        (None, 2, "", 3_640, False),
        (None, 2, "GBP", 0, True),
        (Worth(4_250, 3_640, "GBP"), 2, "GBP", 4_250, False),
        (Worth(0, 3_640, "GBP"), 2, "GBP", 0, False),  # worth nothing is a word, too
        (Worth(4_250, 3_640, "GBP"), 1, "GBP", 0, True),  # it was said of other goods
        (Worth(4_250, 3_640, "GBP"), 3, "GBP", 0, True),
        (Worth(4_250, 3_640, "GBP"), 2, "USD", 0, True),  # it was said of pounds
        (Worth(4_250, 3_640, "GBP"), 2, "", 3_640, False),  # it is in the shop's currency now
    ],
)
def test_what_was_said_holds_for_the_goods_it_was_said_of(
    said: Worth | None, quantity: int, currency: str, value: int, asks: bool
) -> None:
    order = OrderFacts((replace(FORK, quantity=quantity),), TO, hand=Hand(worth=said), currency=currency)
    assert (order.value, order.asks_worth) == (value, asks)


@pytest.mark.parametrize(
    ("said", "goods", "worth"),
    [
        (Worth(4_250, 3_640, "GBP"), 1_820, 2_125),
        (Worth(4_250, 3_640, "GBP"), 3_640, 4_250),
        (Worth(1, 2, "GBP"), 1, 1),  # half a cent up
        (Worth(1, 3, "GBP"), 1, 0),
        (Worth(16, 2_400, "GBP"), 3_000, 20),  # 2,400 yen are 0.16
        (Worth(0, 3_640, "GBP"), 1_820, 0),
        (Worth(4_250, 3_640, "GBP"), 0, None),  # without a price it is not known
        (Worth(4_250, 0, "GBP"), 1_820, None),
        (Worth(10_000_000_000, 1, "GBP"), 10_000_000_000, None),  # more than can be kept
    ],
)
def test_others_at_the_same_rate(said: Worth, goods: int, worth: int | None) -> None:
    found = at_same_rate(said, goods)
    assert found == (None if worth is None else Worth(worth, goods, "GBP"))
