"""What a buyer may wish of a delivery: by whom, until when, said once, told to the carrier until it has answered."""

from __future__ import annotations

import json
from datetime import date, timedelta

import httpx
import pytest
from sqlalchemy import select

from tests.conftest import Clock
from tests.services.steps import ask, buy, clear_orders, ids_of
from tests.services.test_messages import hear
from tidewind.core.states.wishes import WISH_MOVES, WishState
from tidewind.core.tracking.states import TrackingState
from tidewind.core.wishing import Choices, Wish, choices, is_whole
from tidewind.db.tables import ParcelWish, Shipment
from tidewind.services.base import history_of
from tidewind.services.follow import ask_wish, erase_person, hours_in, personal_data, story_of, tell_wishes
from tidewind.services.planning import shop_day
from tidewind.standins.carriers import WISHES
from tidewind.standins.world import World
from tidewind.web.access import Wiring

MONDAY, ALL = date(2026, 11, 30), ("wish_other_day", "wish_neighbour", "wish_collect")
DAYS = tuple(date(2026, 12, n) for n in (2, 3, 4, 7))  # the 1st is a holiday, the 5th and 6th a weekend
LATER, AFTER = date(2026, 12, 9), tuple(date(2026, 12, n) for n in (7, 9, 10, 11))  # the 8th is a holiday


@pytest.mark.parametrize(
    ("can", "state", "arrives", "kinds", "days"),
    [
        (ALL, "moving", None, ("other_day", "neighbour", "collect"), DAYS),
        (ALL, "accepted", DAYS[0], ("other_day", "neighbour", "collect"), (*DAYS[1:], LATER)),  # it arrives that day
        (ALL, "moving", DAYS[2], ("other_day", "neighbour", "collect"), AFTER),  # it cannot be there sooner
        (ALL, "moving", date(2026, 11, 27), ("other_day", "neighbour", "collect"), DAYS),  # it is late already
        (("wish_collect",), "moving", None, ("collect",), ()),
        ((), "moving", None, (), ()),
        (ALL, "announced", None, (), ()),  # its carrier does not have it yet
        (ALL, "out_for_delivery", None, (), ()),  # the driver has it
        (ALL, "delivered", None, (), ()),
        (ALL, "lost", None, (), ()),
    ],
)
def test_what_may_be_wished(
    can: tuple[str, ...], state: str, arrives: date | None, kinds: tuple[str, ...], days: tuple[date, ...]
) -> None:
    may = choices(can, TrackingState(state), arrives, MONDAY, "PT")
    assert (may.kinds, may.days) == (kinds, days)


@pytest.mark.parametrize(
    ("wish", "whole"),
    [
        (Wish("other_day", DAYS[0]), True),
        (Wish("other_day", date(2026, 12, 6)), False),
        (Wish("other_day"), False),
        (Wish("neighbour", words="Ana, 12"), True),
        (Wish("neighbour"), False),
        (Wish("neighbour", words="x" * 121), False),
        (Wish("collect"), False),  # not offered
    ],
)
def test_a_wish_is_whole_or_none(wish: Wish, whole: bool) -> None:
    assert is_whole(wish, Choices(("other_day", "neighbour"), DAYS)) is whole


def test_a_wish_ends_with_yes_or_no() -> None:
    assert {s for s in WishState if WISH_MOVES.final(s)} == {WishState.TAKEN, WishState.REFUSED}


@pytest.fixture
def moving(wiring: Wiring) -> int:
    """A parcel of Brightmile's on its way."""
    with wiring.sessions() as session:
        order = clear_orders(session, "brightmile", 1)[0]
    (shipment_id,) = ids_of(wiring, ask(wiring, [order]).batch_id)
    assert buy(wiring, shipment_id) == "bought"
    hear(wiring, shipment_id, "accepted", "moving")
    return shipment_id


def standing(wiring: Wiring) -> tuple[str, int]:
    with wiring.sessions() as session:
        row = session.scalars(select(ParcelWish).order_by(ParcelWish.id.desc())).first()
        return (row.state, row.attempts) if row else ("", 0)


def test_from_the_buyers_phone_to_the_carrier(
    wiring: Wiring, base_url: str, world: World, clock: Clock, moving: int
) -> None:
    with wiring.sessions() as session:
        shipment = session.get_one(Shipment, moving)
        page, before, order_id, mail = (
            f"/t/{shipment.tracking_key}",
            shipment.arrives,
            shipment.order_id,
            shipment.address.email,
        )
    with httpx.Client(base_url=base_url, follow_redirects=True) as phone:
        seen = phone.get(page, params={"lang": "en"}).text
        assert ("Not at home?" in seen, "<script" in seen) == (True, False)
        days = [part.split('"')[0] for part in seen.split('<option value="')[1:]]
        assert days
        assert before is None or before.isoformat() not in days
        for wrong in (
            {},
            {"kind": "other_day", "day": "2026-12-06"},
            {"kind": "neighbour"},
            {"kind": "other_day", "day": "x"},
        ):
            answer = phone.post(f"{page}/wish", data={"lang": "en", **wrong})
            assert (answer.status_code, "Choose one" in answer.text, 'name="kind"' in answer.text) == (422, True, True)
        again = phone.post(f"{page}/wish", data={"lang": "en", "kind": "neighbour", "words": '"><b>' * 40}).text
        assert ('value="neighbour" required checked' in again, again.count("&quot;&gt;&lt;b&gt;")) == (True, 40)  # kept
        assert phone.post(f"{page}/wish", data={"kind": "theft"}).status_code == 422
        assert phone.post("/t/no-such-parcel/wish", data={"kind": "collect"}).status_code == 404
        world.set_fault("brightmile", "down", 1)
        told = phone.post(f"{page}/wish", data={"lang": "en", "kind": "other_day", "day": days[-1], "words": "x"})
        assert ("We are asking the carrier" in told.text, 'name="kind"' in told.text) == (True, False)
        twice = phone.post(f"{page}/wish", data={"lang": "en", "kind": "collect"})
        assert (twice.status_code, "too late to change" in twice.text) == (422, True)
        assert tell_wishes(wiring.sessions, wiring.outside, clock) == 0  # it does not answer
        assert standing(wiring) == ("asked", 1)
        clock.move(minutes=1)
        assert tell_wishes(wiring.sessions, wiring.outside, clock) == 1
        assert tell_wishes(wiring.sessions, wiring.outside, clock) == 0
        after = phone.get(page, params={"lang": "en"}).text
        assert ("The carrier will try:" in after, 'name="kind"' in after) == (True, False)
    (row,) = world.rows("select body from wish")
    assert json.loads(row["body"]) == {"kind": "other_day", "day": days[-1], "words": ""}
    with wiring.sessions.begin() as session:
        assert session.get_one(Shipment, moving).arrives == date.fromisoformat(days[-1])
        assert [c.what for c in history_of(session, order_id)][:2] == [
            "took the wish for another day",
            "wished for another day",
        ]
        assert "wished" in {step.kind for step in story_of(session, order_id, "http://shop", clock()).steps}
        assert personal_data(session, mail)["wishes"][0]["for"] == "other_day"


def test_a_day_that_came_while_the_carrier_did_not_answer_is_wished_no_more(
    wiring: Wiring, world: World, clock: Clock, moving: int
) -> None:
    with wiring.sessions.begin() as session:
        shipment = session.get_one(Shipment, moving)
        key, before = shipment.tracking_key, shipment.arrives
        today = shop_day(session, clock())
        may = choices(ALL, TrackingState.MOVING, before, today, shipment.address.country)
        ask_wish(session, key, Wish("other_day", may.days[0]), clock())
    world.set_fault("brightmile", "down", 1)
    assert tell_wishes(wiring.sessions, wiring.outside, clock) == 0
    clock.move(days=(may.days[0] - today).days)
    assert tell_wishes(wiring.sessions, wiring.outside, clock) == 1
    with wiring.sessions() as session:
        row = session.scalars(select(ParcelWish)).one()
        assert (row.state, "has come" in row.failure) == ("refused", True)
        assert session.get_one(Shipment, moving).arrives == before


def test_what_the_carrier_will_not_do_is_said_and_may_be_wished_otherwise(
    wiring: Wiring, base_url: str, clock: Clock, moving: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    with wiring.sessions.begin() as session:
        shipment = session.get_one(Shipment, moving)
        page, mail = f"/t/{shipment.tracking_key}", shipment.address.email
    with httpx.Client(base_url=base_url, follow_redirects=True) as phone:
        words = "Ana <b>Vale</b>, 12"
        phone.post(f"{page}/wish", data={"lang": "en", "kind": "neighbour", "words": words}).raise_for_status()
        monkeypatch.setitem(WISHES, "brightmile", ())
        assert tell_wishes(wiring.sessions, wiring.outside, clock) == 1
        assert standing(wiring)[0] == "refused"
        seen = phone.get(page, params={"lang": "en"}).text
        assert ("The carrier cannot do this:" in seen, 'name="kind"' in seen, words in seen) == (True, True, False)
        phone.post(f"{page}/wish", data={"lang": "en", "kind": "collect"}).raise_for_status()
        with wiring.sessions.begin() as session:
            shipment = session.get_one(Shipment, moving)
            shipment.state, shipment.void_asked_at = "void_asked", clock()
        assert tell_wishes(wiring.sessions, wiring.outside, clock) == 1
        assert standing(wiring)[0] == "refused"  # nobody is asked about a label that does not count any more
        with wiring.sessions.begin() as session:
            session.get_one(Shipment, moving).state = "void_refused"
        clock.move(hours=2)
        hear(wiring, moving, "out_for_delivery")
        assert 'name="kind"' not in phone.get(page).text
    with wiring.sessions.begin() as session:
        assert personal_data(session, mail)["wishes"][0]["words"] == "Ana <b>Vale</b>, 12"
        shipment = session.get_one(Shipment, moving)
        shipment.tracking_state, shipment.order.state = "delivered", "shipped"
    with wiring.sessions.begin() as session:
        erase_person(session, mail, "Inês", clock() + timedelta(days=1))
        assert {wish.words for wish in session.scalars(select(ParcelWish))} == {""}


HOURS = "Mo-Fr 09:00-13:00,14:00-19:00; Sa 09:00-13:00; PH off"
MORNING_AND_LATER = "09:00 – 13:00, 14:00 – 19:00"


@pytest.mark.parametrize(
    ("written", "language", "lines"),
    [
        (
            HOURS,
            "en",
            (f"Mon – Fri: {MORNING_AND_LATER}", "Sat: 09:00 – 13:00", "Sun: closed", "public holidays: closed"),
        ),
        (
            HOURS,
            "de",
            (f"Mo – Fr: {MORNING_AND_LATER}", "Sa: 09:00 – 13:00", "So: geschlossen", "Feiertage: geschlossen"),
        ),
        ("24/7", "nl", ("ma – zo: dag en nacht",)),
        ("Mo,We 10:00-12:00", "it", ("lun: 10:00 – 12:00", "mar: chiuso", "mer: 10:00 – 12:00", "gio – dom: chiuso")),
        ("mornings", "pt", ("mornings",)),  # a carrier may tell hours that nobody can read but people
        ("", "fr", ()),
    ],
)
def test_hours_are_told_in_the_readers_words(written: str, language: str, lines: tuple[str, ...]) -> None:
    assert hours_in(written, language) == lines
