"""The handovers of a day: what lies in each, what its van takes and leaves, and until when it is asked for."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta

import pytest
from sqlalchemy import select, update

from tests.conftest import MONDAY, Clock
from tests.services.steps import ask, buy, clear_orders, ids_of
from tidewind.db.tables import Departure, Label, Shipment, Shop
from tidewind.services.base import Invalid
from tidewind.services.handover import Lane, days_shown, lanes_on, lanes_to_begin_with
from tidewind.services.papers import mark_printed
from tidewind.web.access import Wiring


def lane(wiring: Wiring, network: str, day: date, clock: Clock) -> Lane:
    with wiring.sessions() as session:
        return next(one for one in lanes_on(session, day, clock()) if one.network == network)


def test_what_is_bought_lies_in_its_lane_and_the_rules_say_what_goes(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions() as session:
        orders = clear_orders(session, "norvia", 3) + clear_orders(session, "brightmile", 2)
    ids = ids_of(wiring, ask(wiring, orders).batch_id)
    assert [buy(wiring, one) for one in ids] == ["bought"] * 5
    with wiring.sessions.begin() as session:
        mark_printed(session, ids[:2], True, clock())
        bought = session.scalars(select(Shipment).where(Shipment.id.in_(ids))).all()
        days = {s.ship_date for s in bought}
        mine = {s.id: s.carrier for s in bought}
        labels = session.scalars(select(Label).where(Label.shipment_id.in_(ids))).all()
        sums = {
            carrier: (
                sum(mine[one.shipment_id] == carrier for one in labels),
                sum(one.gross_g for one in labels if mine[one.shipment_id] == carrier),
            )
            for carrier in ("norvia", "brightmile")
        }
        printed = sum(label.printed_at is not None for label in labels)
    found = [one for day in days for one in _lanes(wiring, day, clock)]
    for carrier, expected in sums.items():
        piles = [pile for one in found if one.carrier == carrier for pile in one.piles]
        assert (sum(p.labels for p in piles), sum(p.gross_g for p in piles)) == expected
    assert sum(p.printed for one in found for p in one.piles) == printed
    points = [one for one in found if one.carrier == "pontolo"]
    assert points
    assert all(one.fetching is None for one in points)  # nobody comes for those


def _lanes(wiring: Wiring, day: date, clock: Clock) -> list[Lane]:
    with wiring.sessions() as session:
        return lanes_on(session, day, clock())


def test_a_van_that_cannot_be_asked_any_more_names_the_next_day_and_too_heavy_ones_stay(
    wiring: Wiring, clock: Clock
) -> None:
    with wiring.sessions() as session:
        orders = [order for order in clear_orders(session, "brightmile", 20) if order.network == "road"][:2]
    ids = ids_of(wiring, ask(wiring, orders).batch_id)
    assert [buy(wiring, one) for one in ids] == ["bought"] * 2
    with wiring.sessions.begin() as session:
        heavy = session.scalars(select(Label).where(Label.shipment_id == ids[0])).first()
        assert heavy is not None
        heavy.gross_g = 32_000
        shipment = session.get_one(Shipment, ids[0])
        network = session.get_one(Departure, heavy.departure_id).network
        day, number = shipment.ship_date, shipment.order.number
    before = lane(wiring, network, day, clock)
    assert before.fetching is not None
    assert before.fetching.refused == ""
    assert before.fetching.fee_minor == 420
    assert [(left.order_number, left.words) for left in before.fetching.left] == [(number, "500 g over 31.5 kg")]
    assert before.fetching.until is not None
    clock.at = before.fetching.until + timedelta(seconds=1)
    after = lane(wiring, network, day, clock)
    assert after.fetching is not None
    assert after.fetching.refused == "it is asked for until 13:00 the same day"
    assert after.fetching.next_day is not None
    assert after.fetching.next_day > day


def test_days_shown_leave_out_holidays_weekends_and_days_closed(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        session.execute(update(Shop).values(closed=[{"first": "2026-11-25", "last": "2026-11-25"}]))
        assert days_shown(session, MONDAY + timedelta(days=4)) == [
            date(2026, 11, 27),
            date(2026, 11, 30),
            date(2026, 12, 2),
            date(2026, 12, 3),
            date(2026, 12, 4),
        ]
        assert date(2026, 11, 25) not in days_shown(session, MONDAY)
        with pytest.raises(Invalid, match="three months"):
            lanes_on(session, date(2030, 1, 1), clock())


@pytest.mark.parametrize(
    ("at", "shown"),
    [
        pytest.param(datetime(2026, 11, 27, 10, tzinfo=UTC), date(2026, 11, 27), id="a working day"),
        pytest.param(datetime(2026, 11, 27, 22, tzinfo=UTC), date(2026, 11, 30), id="after the last cut-off"),
        pytest.param(datetime(2026, 11, 28, 0, 30, tzinfo=UTC), date(2026, 11, 30), id="a Saturday has begun"),
        pytest.param(datetime(2026, 11, 25, 9, tzinfo=UTC), date(2026, 11, 26), id="the shop is closed"),
        pytest.param(datetime(2026, 12, 1, 9, tzinfo=UTC), date(2026, 12, 2), id="a holiday"),
    ],
)
def test_departures_begin_with_the_day_on_which_something_leaves(wiring: Wiring, at: datetime, shown: date) -> None:
    with wiring.sessions.begin() as session:
        session.execute(update(Shop).values(closed=[{"first": "2026-11-25", "last": "2026-11-25"}]))
        day, lanes = lanes_to_begin_with(session, at)
        assert (day, {lane.day for lane in lanes}) == (shown, {shown})


def test_what_lies_on_a_saturday_is_shown_on_it(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions() as session:
        order = clear_orders(session, "brightmile", 1)[0]
    assert [buy(wiring, one) for one in ids_of(wiring, ask(wiring, [order]).batch_id)] == ["bought"]
    clock.at = datetime(2026, 11, 28, 9, tzinfo=UTC)
    with wiring.sessions.begin() as session:
        departure = session.scalars(select(Departure).join(Label, Label.departure_id == Departure.id)).one()
        departure.day = date(2026, 11, 28)
        session.flush()
        assert lanes_to_begin_with(session, clock())[0] == date(2026, 11, 28)
