"""Parcels that we bring: points out of files and from carriers, one chosen, and what that does to ship dates."""

from __future__ import annotations

import json
from datetime import UTC, date, datetime, time

import pypdfium2
import pytest
from sqlalchemy import select

from tests.conftest import Clock
from tests.services.steps import ask, buy, clear_orders, ids_of
from tidewind.db.tables import Departure, Order
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.handover import (
    DepartureKey,
    PickupWish,
    ask_for_pickups,
    ask_for_points,
    bring,
    bring_in_points,
    points_seen,
    settle_pickups,
    ways_of,
)
from tidewind.services.papers import print_take_along
from tidewind.services.planning import replan_waiting
from tidewind.web.access import Wiring

TUESDAY, WEDNESDAY = date(2026, 11, 24), date(2026, 11, 25)
ROAD = DepartureKey("brightmile", "road", TUESDAY)
FILE = (
    "code,name,kind,city,postcode,latitude,longitude,hours,heaviest_kg\n"
    "NEAR,Kiosk,shop,Aveiro,3800-100,40.6390,-8.6513,Mo-Fr 09:00-15:30,20\n"
    "FAR,Hall,counter,Braga,4705-414,41.5155,-8.4443,24/7,\n"
    "SHUT,Stationer,shop,Aveiro,3800-014,40.6455,-8.6529,Tu off,\n"
    "ODD,Nowhere,shop,Aveiro,3800-014,,,whenever,\n"
)


def at(hour: int, minute: int = 0, second: int = 0) -> datetime:
    return datetime(2026, 11, 24, hour, minute, second, tzinfo=UTC)


def dates(wiring: Wiring, network: str) -> set[date | None]:
    with wiring.sessions.begin() as session:
        replan_waiting(session, "time went by", wiring.clock())
        mine = select(Order).where(Order.state == "open", Order.carrier == "brightmile", Order.network == network)
        return {order.ship_date for order in session.scalars(mine)}


def test_a_chosen_point_is_the_last_moment_of_what_goes_today(wiring: Wiring, clock: Clock) -> None:
    clock.at = at(10)
    with wiring.sessions.begin() as session:
        many, wrong = bring_in_points(session, "brightmile", "points.csv", FILE.encode(), clock())
        assert (many, wrong) == (3, ["Row 5 “whenever” are no opening hours; write Mo-Fr 09:00-19:00"])
        seen = points_seen(session, ROAD, clock())
    assert [(one.point.code, one.reached.refused) for one in seen] == [
        ("NEAR", ""),
        ("FAR", ""),
        ("SHUT", "it is closed for today"),
    ]
    assert seen[0].reached.distance_m == 44
    with wiring.sessions.begin() as session:
        bring(session, ROAD, True, "NEAR", clock())
        assert next(one for one in ways_of(session, [ROAD], clock())[0].points if one.chosen).point.code == "NEAR"
    for moment, day in ((at(15, 30, 0), TUESDAY), (at(15, 30, 1), WEDNESDAY)):  # the card's cut-off is 17:15
        clock.at = moment
        assert dates(wiring, "road") == {day}
    with wiring.sessions.begin() as session:
        bring(session, ROAD, True, "", clock())
    assert dates(wiring, "road") == {TUESDAY}  # taken anywhere, the cut-off holds again
    with wiring.sessions.begin() as session:
        bring(session, ROAD, True, "SHUT", clock())
    assert dates(wiring, "road") == {WEDNESDAY}
    with wiring.sessions.begin() as session, pytest.raises(NotFound, match="no drop-off point ELSE"):
        bring(session, ROAD, True, "ELSE", clock())


def test_a_van_that_is_asked_for_after_the_cut_off_takes_nothing_later_along(wiring: Wiring, clock: Clock) -> None:
    clock.at = at(10)
    with wiring.sessions() as session:
        order = next(o for o in clear_orders(session, "brightmile", 60) if o.network == "night")
    assert [buy(wiring, one) for one in ids_of(wiring, ask(wiring, [order]).batch_id)] == ["bought"]
    night = DepartureKey("brightmile", "night", TUESDAY)
    with wiring.sessions.begin() as session:
        lane = ways_of(session, [night], clock())[0].lane
        fee = lane.fetching.fee_minor if lane.fetching else 0
        late = PickupWish(night, shown_minor=fee or 0, start=time(16), until=time(18))
        assert not ask_for_pickups(session, [late], "Tomé", clock()).dropped
    assert list(settle_pickups(wiring.sessions, wiring.outside, clock).values()) == ["booked"]
    clock.at = at(15, 0, 1)  # a second after the cut-off of the night network, before the van's window
    assert TUESDAY not in dates(wiring, "night")


def test_a_carrier_tells_its_points_and_a_chosen_one_outlives_news_of_them(wiring: Wiring, clock: Clock) -> None:
    clock.at = at(10)
    points = DepartureKey("pontolo", "points", TUESDAY)
    with wiring.sessions.begin() as session:
        assert ask_for_points(session, wiring.outside, "pontolo", clock()) == (14, [])
        networks = {way.lane.network for way in ways_of(session, [points], clock())}
        seen = {one.point.code: one for one in points_seen(session, points, clock())}
        assert [code for code, one in seen.items() if one.reached.refused] == ["AV-033"]  # full
        with pytest.raises(Conflict, match="names no drop-off points"):
            ask_for_points(session, wiring.outside, "norvia", clock())
        bring(session, points, True, "AV-014", clock()) if networks else None
    assert networks == {"points"}
    with wiring.sessions.begin() as session:
        ask_for_points(session, wiring.outside, "pontolo", clock())
        assert [one.point.code for one in points_seen(session, points, clock()) if one.chosen] == ["AV-014"]
        feature = {
            "type": "Feature",
            "geometry": {"type": "Point", "coordinates": [-8.6513, 40.6386]},
            "properties": {"code": "GJ", "name": "Quay", "city": "Aveiro", "heaviest_kg": 5},
        }
        data = json.dumps({"type": "FeatureCollection", "features": [feature]}).encode()
        assert bring_in_points(session, "pontolo", "points.geojson", data, clock()) == (1, [])
        assert points_seen(session, points, clock())[0].reached.distance_m == 0
        assert session.scalars(select(Departure.point_id).where(Departure.carrier == "pontolo")).one() is None
        for bad, words in (
            (b"{}", "no GeoJSON"),
            (b"a,b\n1,2\n", "must name the columns"),
            (b"[" * 99_999, "must name the columns"),
        ):
            with pytest.raises(Invalid, match=words):
                bring_in_points(session, "pontolo", "points.csv", bad, clock())


def test_the_list_to_take_along_names_the_point_and_every_parcel(wiring: Wiring, clock: Clock) -> None:
    clock.at = at(10)
    with wiring.sessions() as session:
        order = next(o for o in clear_orders(session, "brightmile", 60) if o.network == "road")
    assert [buy(wiring, one) for one in ids_of(wiring, ask(wiring, [order]).batch_id)] == ["bought"]
    with wiring.sessions.begin() as session, pytest.raises(NotFound, match="Nothing is brought"):
        print_take_along(session, TUESDAY, clock())
    with wiring.sessions.begin() as session:
        bring_in_points(session, "brightmile", "points.csv", FILE.encode(), clock())
        bring(session, ROAD, True, "NEAR", clock())
        paper = pypdfium2.PdfDocument(print_take_along(session, TUESDAY, clock()))
    text = paper[0].get_textpage().get_text_bounded()
    assert all(words in text for words in ("Kiosk", "open until 15:30", order.number, "Taken in by"))
