"""Counting with the driver: whatever is scanned, signed for, taken back or opened again, no parcel is lost on paper."""

from __future__ import annotations

import random
from contextlib import suppress
from datetime import UTC, date, datetime, timedelta

import pytest
from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.run.length import seeds
from tests.services.steps import ask, buy, clear_orders, ids_of
from tidewind.core.tracking.states import TrackingState
from tidewind.db.tables import Departure, Label, Pickup, Shipment
from tidewind.outside.carrier import CarrierEvent
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.buying import ask_void
from tidewind.services.follow.parcels import take_events
from tidewind.services.handover import (
    DepartureKey,
    Lane,
    PickupWish,
    alert_counts,
    ask_for_pickups,
    close_manifest,
    count_out,
    hand_over,
    lanes_on,
    listed_on,
    move_pile,
    open_count_again,
    pass_departures,
    reopen_manifest,
    settle_pickups,
    take_count_back,
)
from tidewind.services.planning import replan_waiting
from tidewind.web.access import Wiring

TUESDAY = date(2026, 11, 24)
KEY = DepartureKey("brightmile", "road", TUESDAY)


@pytest.fixture
def lying(wiring: Wiring, clock: Clock) -> list[str]:
    """The numbers of labels that lie at Tuesday's road departure."""
    clock.at = datetime(2026, 11, 24, 9, tzinfo=UTC)
    with wiring.sessions.begin() as session:
        replan_waiting(session, "the clock of the test", clock())
        orders = [
            o for o in clear_orders(session, KEY.carrier, 60) if (o.network, o.ship_date) == (KEY.network, KEY.day)
        ]
    for shipment_id in ids_of(wiring, ask(wiring, orders[:6], key="lying").batch_id):
        assert buy(wiring, shipment_id) == "bought"
    with wiring.sessions() as session:
        return [number or "" for number in session.scalars(select(Label.tracking_number).order_by(Label.id))]


def lane(session: Session, clock: Clock, day: date = TUESDAY) -> Lane:
    found = lanes_on(session, day, clock())
    return next(one for one in found if (one.carrier, one.network) == (KEY.carrier, KEY.network))


def figures(session: Session, clock: Clock, day: date = TUESDAY) -> tuple[int, int, int]:
    """How many lie at the departure, are counted out, and have gone."""
    piles = lane(session, clock, day).piles
    return sum(p.labels for p in piles), sum(p.counted for p in piles), sum(p.gone for p in piles)


def moving(session: Session, number: str, clock: Clock) -> None:
    shipment = session.scalars(select(Shipment).join(Label).where(Label.tracking_number == number)).one()
    label = next(one for one in shipment.labels if one.tracking_number == number)
    event = CarrierEvent(clock(), TrackingState.MOVING, "in the depot", "Coimbra")
    take_events(session, shipment, {label.id: [event]}, "http://shop.test", clock())


def test_both_counts_stand_and_where_they_differ_it_is_asked(wiring: Wiring, clock: Clock, lying: list[str]) -> None:
    whole = len(lying)
    with wiring.sessions.begin() as session:
        count_out(session, KEY, lying[0], clock())
        with pytest.raises(Conflict, match=f"1 of {whole} parcels are counted. Did the driver take {whole} or 1"):
            hand_over(session, KEY, None, "Ana", "", "Tomé", clock())
        assert take_count_back(session, KEY, "", clock()).counted == 0
        with pytest.raises(Conflict, match="not counted out"):
            take_count_back(session, KEY, lying[0], clock())
        count_out(session, KEY, lying[0], clock())
        assert take_count_back(session, KEY, lying[0], clock()).counted == 0
        count_out(session, KEY, lying[1], clock())
        done = hand_over(session, KEY, whole, "Ana", "", "Tomé", clock())  # he signs for all of them
        assert (done.parcels, done.left) == (whole, [])
        assert figures(session, clock) == (0, 0, whole)
        assert listed_on(session, KEY) == []


def test_a_count_is_opened_again_with_a_reason_and_nothing_of_it_is_voided(
    wiring: Wiring, clock: Clock, lying: list[str]
) -> None:
    whole = len(lying)
    with wiring.sessions.begin() as session:
        number = close_manifest(session, KEY, "Tomé", clock()).number
        for one in lying[:-1]:
            count_out(session, KEY, one, clock())
        left = hand_over(session, KEY, whole - 1, "Ana", "", "Tomé", clock()).left
        went = lane(session, clock).handed_over_at
    clock.move(hours=1)
    with wiring.sessions.begin() as session:
        moving(session, lying[0], clock)
        with pytest.raises(Invalid, match="Say why"):
            open_count_again(session, KEY, " ", "Inês", clock())
        open_count_again(session, KEY, "he brought one back", "Inês", clock())
        assert figures(session, clock) == (whole - 2, whole - 2, 1)
        of = select(Label.shipment_id).where(Label.tracking_number == lying[1])
        mine = session.scalars(of).one()
        refused = ask_void(session, [mine], "Tomé", True, clock()).refused
        assert refused == {mine: "it was handed over to the carrier"}
    clock.move(days=1)
    assert pass_departures(wiring.sessions, clock) == {}  # nobody sweeps what somebody is finding out
    with wiring.sessions.begin() as session:
        take_count_back(session, KEY, lying[1], clock())
        # The one that was written down as left behind went after all.
        assert left
        said = count_out(session, KEY, lying[-1], clock())
        assert (said.verdict, said.counted, said.of) == ("right", whole - 2, whole - 1)
        open_list = lane(session, clock).manifest
        assert open_list is not None
        assert open_list.number == number
        done = hand_over(session, KEY, whole - 2, "Ana", "", "Inês", clock())
        assert done.parcels == whole - 2
        seen = lane(session, clock)
        assert (seen.state, seen.handed_over_at, seen.recount) == ("handed_over", went, "Inês: he brought one back")


def test_what_the_carrier_scans_is_gone_whatever_day_it_was_moved_to(
    wiring: Wiring, clock: Clock, lying: list[str]
) -> None:
    with wiring.sessions.begin() as session:
        service = lane(session, clock).piles[0].service
        moved = move_pile(session, KEY, service, TUESDAY + timedelta(days=2), "Tomé", clock())
        assert moved
    clock.move(hours=3)
    with wiring.sessions.begin() as session:
        number = session.scalars(
            select(Label.tracking_number).join(Departure).where(Departure.day == TUESDAY + timedelta(days=2))
        ).first()
        moving(session, number or "", clock)
        lie, _, gone = figures(session, clock, TUESDAY + timedelta(days=2))
        assert gone == 1
        assert number not in {one.tracking_number for one in listed_on(session, DepartureKey(*_later()))}
        assert lie + gone == len(
            session.scalars(select(Label.id).where(Label.departure_id.in_(_on(_later()[2])))).all()
        )


def test_a_van_that_was_asked_for_fewer_parcels_than_lie_ready_is_said(
    wiring: Wiring, clock: Clock, lying: list[str]
) -> None:
    with wiring.sessions.begin() as session:
        ask_for_pickups(session, [PickupWish(KEY, 420)], "Tomé", clock())
    settle_pickups(wiring.sessions, wiring.outside, clock)
    with wiring.sessions.begin() as session:
        booked = session.scalars(select(Pickup)).one()
        assert (booked.state, alert_counts(session, clock())["vans_too_small"]) == ("booked", 0)
        booked.parcels = len(lying) - 1
        session.flush()
        assert alert_counts(session, clock())["vans_too_small"] == 1
        moving(session, lying[0], clock)  # what has gone takes no room in it
        session.flush()
        assert alert_counts(session, clock())["vans_too_small"] == 0


def _later() -> tuple[str, str, date]:
    return KEY.carrier, KEY.network, TUESDAY + timedelta(days=2)


def _on(day: date) -> Select[int]:
    mine = (Departure.carrier == KEY.carrier, Departure.network == KEY.network)
    return select(Departure.id).where(*mine, Departure.day == day)


@pytest.mark.parametrize("seed", seeds(3))
def test_lying_and_gone_are_all_labels_whatever_is_done(
    wiring: Wiring, clock: Clock, lying: list[str], seed: int
) -> None:
    chance = random.Random(seed)
    for _ in range(30):
        step(wiring, clock, chance, lying)
        clock.move(minutes=chance.choice((1, 20, 90, 600)))
        with wiring.sessions() as session:
            days = session.scalars(select(Departure.day).distinct()).all()
            found = [figures(session, clock, day) for day in days]
            assert sum(lie + gone for lie, _, gone in found) == len(lying)
            assert all(counted <= lie for lie, counted, _ in found)
            lost = select(func.count(Label.id)).join(Departure).where(Label.handed_over_at.is_(None))
            assert session.scalar(lost.where(Departure.state == "handed_over")) == 0


def step(wiring: Wiring, clock: Clock, chance: random.Random, lying: list[str]) -> None:
    """Do something that anybody at the truck, in the office or at the carrier may do; what is refused changes nothing."""
    with wiring.sessions() as session:
        days = session.scalars(select(Departure.day).where(Departure.network == KEY.network)).all()
    key, number = DepartureKey(KEY.carrier, KEY.network, chance.choice(days)), chance.choice(lying)
    signed = chance.choice((None, None, 1, 2, len(lying) - 1, len(lying)))
    if chance.random() < 0.1:
        pass_departures(wiring.sessions, clock)
        return
    deeds = (
        lambda s: count_out(s, key, number, clock()),
        lambda s: count_out(s, key, number, clock()),
        lambda s: take_count_back(s, key, chance.choice(("", number)), clock()),
        lambda s: hand_over(s, key, signed, "Ana", "", "Tomé", clock()),
        lambda s: open_count_again(s, key, "not so", "Inês", clock()),
        lambda s: close_manifest(s, key, "Tomé", clock()),
        lambda s: reopen_manifest(s, key, "Tomé", clock()),
        lambda s: move_pile(
            s, key, lane(s, clock, key.day).piles[0].service, key.day + timedelta(days=1), "T", clock()
        ),
        lambda s: moving(s, number, clock),
    )
    with suppress(Conflict, Invalid, NotFound, IndexError), wiring.sessions.begin() as session:
        chance.choice(deeds)(session)
