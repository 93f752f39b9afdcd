"""Messages to buyers: whether, how and when something is told, how long a text is, what no order can fill."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.messages.deciding import Buyer, QuietHours, Rules, Told, decide
from tidewind.core.messages.filling import FIELDS, faults_in, fill_lines
from tidewind.core.messages.text_length import text_length
from tidewind.core.messages.triggers import TRIGGERS, trigger_of
from tidewind.core.tracking.states import TrackingState

LISBON = ZoneInfo("Europe/Lisbon")
NOW = datetime(2026, 11, 27, 14, 0, tzinfo=LISBON)
BOTH = Buyer({"mail": "ana@c.example", "sms": "+351 912 000 000"})
BOTH_WAYS = Rules(told={"delivered": Told(mail=True, sms=True)})


@pytest.mark.parametrize(
    ("rules", "buyer", "hours_ago", "expected"),
    [
        (BOTH_WAYS, BOTH, 1, {"mail": "", "sms": ""}),
        (Rules(), BOTH, 1, {}),  # nobody wants it
        (Rules(shop=BOTH_WAYS.told), BOTH, 1, {"mail": "", "sms": ""}),  # a channel that says nothing is as the shop
        (Rules(told={"delivered": Told()}, shop=BOTH_WAYS.told), BOTH, 1, {}),
        (Rules(told={"delivered": Told(store=True)}, shop=BOTH_WAYS.told), BOTH, 1, {"mail": "the store tells"}),
        (BOTH_WAYS, Buyer({"mail": "", "sms": "+351912000000"}), 1, {"mail": "no mail address", "sms": ""}),
        (BOTH_WAYS, Buyer({"mail": "a@b.example", "sms": ""}), 1, {"mail": "", "sms": "no phone number"}),
        (BOTH_WAYS, Buyer(BOTH.addresses, {"ana@c.example": "mail to it came back"}), 1, {"mail": "came back", "sms": ""}),
        (BOTH_WAYS, Buyer(BOTH.addresses, {"+351912000000": "asked"}), 1, {"mail": "", "sms": "asked"}),
        (BOTH_WAYS, Buyer(BOTH.addresses, told_before={("delivered", "mail")}), 1, {"mail": "already", "sms": ""}),
        (BOTH_WAYS, BOTH, 36, {"mail": "", "sms": ""}),
        (BOTH_WAYS, BOTH, 36.1, {"mail": "too long ago", "sms": "too long ago"}),
    ],
)  # fmt: skip
def test_what_is_told_by_which_way_and_why_not(
    rules: Rules, buyer: Buyer, hours_ago: float, expected: dict[str, str]
) -> None:
    found = decide("delivered", rules, buyer, NOW - timedelta(hours=hours_ago), NOW)
    assert {one.way for one in found} == set(expected)
    for one in found:
        assert expected[one.way] in one.not_sent
        assert bool(one.not_sent) == bool(expected[one.way]) == (one.at is None)


def test_a_shop_that_has_said_nothing_tells_of_labels_collection_and_money() -> None:
    told = {trigger for trigger in TRIGGERS if decide(trigger, Rules(), BOTH, NOW, NOW)}
    assert told == {"label", "awaiting_collection", "refund"}


@pytest.mark.parametrize(
    ("start", "until", "now", "then"),
    [
        ("21:00", "08:00", "20:59", "20:59"),
        ("21:00", "08:00", "21:00", "08:00 +1"),
        ("21:00", "08:00", "07:59", "08:00"),
        ("21:00", "08:00", "08:00", "08:00"),
        ("12:00", "14:00", "12:30", "14:00"),
        ("12:00", "14:00", "14:00", "14:00"),
        ("00:00", "00:00", "03:00", "03:00"),
    ],
)
def test_quiet_hours(start: str, until: str, now: str, then: str) -> None:
    clock, _, days = then.partition(" +")
    day = datetime(2026, 11, 27, tzinfo=LISBON)
    at = datetime.combine(day, time.fromisoformat(now), LISBON)
    ends = datetime.combine(day + timedelta(days=int(days or 0)), time.fromisoformat(clock), LISBON)
    assert QuietHours(time.fromisoformat(start), time.fromisoformat(until)).after(at) == ends


@given(st.times(), st.times(), st.integers(0, 525_600))
def test_what_waits_goes_within_a_day_and_outside_the_quiet_hours(start: time, until: time, minutes: int) -> None:
    quiet = QuietHours(start.replace(second=0, microsecond=0), until.replace(second=0, microsecond=0))
    at = NOW + timedelta(minutes=minutes)
    then = quiet.after(at)
    assert at <= then <= at + timedelta(hours=25)
    assert quiet.after(then) == then


@pytest.mark.parametrize(
    ("text", "places", "parts", "basic"),
    [
        ("a" * 160, 160, 1, True),
        ("a" * 161, 161, 2, True),
        ("a" * 306, 306, 2, True),
        ("a" * 307, 307, 3, True),
        ("€" * 80, 160, 1, True),
        ("a" * 152 + "€" + "a" * 152, 306, 3, True),  # a sign of two places is not cut: one place stays empty
        ("ã" * 70, 70, 1, False),
        ("ã" * 71, 71, 2, False),
        ("🌱" * 35, 70, 1, False),
        ("🌱" * 36, 72, 2, False),  # 33 whole ones in 67 places
        ("🌱" * 66, 132, 2, False),
        ("🌱" * 67, 134, 3, False),
        ("", 0, 1, True),
    ],
)
def test_how_many_parts_a_text_takes(text: str, places: int, parts: int, basic: bool) -> None:
    found = text_length(text)
    assert (found.places, found.parts, found.basic) == (places, parts, basic)


@pytest.mark.parametrize(
    ("before", "state", "told"),
    [
        ("announced", "moving", "moving"),
        ("moving", "moving", None),
        ("moving", "delivered", "delivered"),
        ("announced", "accepted", None),
        ("moving", "lost", "lost"),
        ("moving", "problem", "problem"),
        ("moving", "problem:damaged", "damaged"),
        ("moving", "problem:address", "address"),
        ("moving", "problem:customs", "customs"),
        ("moving", "problem:refused", "problem"),
        ("delivered", "out_for_delivery", "not_delivered"),
    ],
)
def test_which_change_of_state_is_told(before: str, state: str, told: str | None) -> None:
    name, _, reason = state.partition(":")
    assert trigger_of(before, TrackingState(name), reason) == told


VALUES: dict[str, Any] = dict.fromkeys(FIELDS, "x") | {"arrives": "", "name": "Ana\nBcc: eve@d.example"}


def test_what_no_order_can_fill_is_named_and_a_line_without_anything_to_say_is_left_out() -> None:
    assert faults_in("{name} {nmae} {Order} {order.total} {__class__} {} {name") == [
        "{nmae}", "{Order}", "{order.total}", "{__class__}", "{}", "{name",
    ]  # fmt: skip
    assert fill_lines("Dear {name},\n\nExpected: {arrives}\nIt goes {arrives}, with {carrier}.\nBye", VALUES) == (
        "Dear Ana Bcc: eve@d.example,\n\nIt goes , with x.\nBye"
    )
