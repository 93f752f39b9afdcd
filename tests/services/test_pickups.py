"""Vans: asked for once, paid once, cancelled once; lists that are closed; parcels that are counted, left or missed."""

from __future__ import annotations

import random
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime, time

import httpx
import pytest
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.run.length import seeds
from tests.services.steps import ask, books, buy, clear_orders, crash, ids_of, person
from tidewind.db.tables import Departure, Label, LedgerLine, Manifest, Order, OrderChange, Pickup, Shipment
from tidewind.services.base import Conflict, Invalid
from tidewind.services.buying import ToBuy, ask_to_buy, ask_void
from tidewind.services.handover import (
    DepartureKey,
    Lane,
    PickupWish,
    StandingWish,
    alert_counts,
    answer_missed,
    ask_for_pickups,
    ask_standing,
    cancel_pickup,
    close_manifest,
    count_out,
    hand_over,
    lanes_on,
    pass_departures,
    reopen_manifest,
    set_standing,
    settle_pickups,
    standing_pickups,
    tell_manifests,
)
from tidewind.services.orders import edit_hand, set_held
from tidewind.services.papers import mail_receipt
from tidewind.services.planning import replan_waiting
from tidewind.services.rates import ask_prices_of_order
from tidewind.standins import carriers
from tidewind.standins.world import World
from tidewind.web.access import Wiring

pytestmark = pytest.mark.impatient
TUESDAY = date(2026, 11, 24)


@pytest.fixture(autouse=True)
def _quick(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(carriers, "HANG_SECONDS", 2.5)


def at(hour: int, minute: int = 0, second: int = 0, day: date = TUESDAY) -> datetime:
    return datetime(day.year, day.month, day.day, hour, minute, second, tzinfo=UTC)  # Lisbon is on UTC in November


def bought(wiring: Wiring, carrier: str, network: str, count: int) -> list[int]:
    """Buy labels that leave on the day of the clock with a network; return the shipments."""
    with wiring.sessions.begin() as session:
        replan_waiting(session, "the clock of the test", wiring.clock())
    if carrier == "cobaltair":
        _by_air(wiring, count)
    with wiring.sessions() as session:
        orders = [o for o in clear_orders(session, carrier, 60) if o.network == network and o.ship_date == TUESDAY]
    assert len(orders) >= count
    ids = ids_of(wiring, ask(wiring, orders[:count], key=f"{carrier}-{network}").batch_id)
    assert {buy(wiring, one) for one in ids} == {"bought"}
    return ids


def _by_air(wiring: Wiring, count: int) -> None:
    """Let some orders go by the carrier that is asked for its prices."""
    with wiring.sessions() as session:
        ids = [order.id for order in clear_orders(session, "brightmile", count)]
    for one in ids:
        ask_prices_of_order(wiring.sessions, wiring.outside, one, None, wiring.clock())
    with wiring.sessions.begin() as session:
        edit_hand(session, ids, {"service": "ca-day"}, "Tomé", wiring.clock())


def lane(wiring: Wiring, network: str, day: date = TUESDAY) -> Lane:
    with wiring.sessions() as session:
        return next(one for one in lanes_on(session, day, wiring.clock()) if one.network == network)


def wish(wiring: Wiring, network: str, carrier: str = "brightmile", **more: object) -> PickupWish:
    fetching = lane(wiring, network).fetching
    shown = more.pop("shown_minor", fetching.fee_minor if fetching else 0)
    return PickupWish(DepartureKey(carrier, network, TUESDAY), shown_minor=shown or 0, **more)  # type: ignore[arg-type]


def asked(wiring: Wiring, *wishes: PickupWish) -> list[str]:
    """Ask for vans; return the reasons why some are not asked for."""
    with wiring.sessions.begin() as session:
        done = ask_for_pickups(session, wishes, "Tomé", wiring.clock())
        return list(done.dropped.values())


def settled(wiring: Wiring) -> list[str]:
    return list(settle_pickups(wiring.sessions, wiring.outside, wiring.clock).values())


def pickups(wiring: Wiring) -> list[Pickup]:
    with wiring.sessions() as session:
        return list(session.scalars(select(Pickup).order_by(Pickup.id)))


def vans(world: World, carrier: str = "brightmile") -> list[tuple[str, int]]:
    return [(row["state"], row["fee"]) for row in world.rows("select * from van where carrier = ?", carrier)]


def test_a_van_is_asked_for_once_changed_and_cancelled_with_its_fee(wiring: Wiring, clock: Clock, world: World) -> None:
    clock.at = at(12, 50)
    bought(wiring, "brightmile", "road", 3)
    before = books(wiring)
    suggested = lane(wiring, "road").fetching
    assert suggested is not None
    assert (suggested.suggested.start, suggested.suggested.until) == (time(16), time(18))
    assert asked(wiring, wish(wiring, "road", shown_minor=400)) == ["it costs 4.20 EUR now, not 4.00 EUR; look again"]
    assert asked(wiring, wish(wiring, "road")) == []
    assert asked(wiring, wish(wiring, "road")) == ["it is being asked for by Tomé just now"]
    assert books(wiring)["held"] == 420
    assert settled(wiring) == ["booked"]
    after = books(wiring)
    assert (after["available"], after["held"], after["pickups"]) == (before["available"] - 420, 0, 420)
    exact = wish(wiring, "road", start=time(16), until=time(16), shown_minor=1320)
    assert asked(wiring, exact) == []
    assert settled(wiring) == ["booked"]
    assert [one.state for one in pickups(wiring)] == ["cancelled", "booked"]
    assert books(wiring)["pickups"] == 1320
    assert vans(world) == [("cancelled", 420), ("booked", 1320)]
    with wiring.sessions.begin() as session:
        cancel_pickup(session, pickups(wiring)[1].id, "Inês", clock())
    assert settled(wiring) == ["cancelled"]
    assert books(wiring)["pickups"] == 0
    assert books(wiring)["available"] == before["available"]
    assert [state for state, _ in vans(world)] == ["cancelled", "cancelled"]


REFUSED = (
    ("to the second of the last moment", at(13, 0, 0), {}, ""),
    ("a second later", at(13, 0, 1), {}, "it is asked for until 13:00 the same day"),
    ("a window too narrow", at(12, 0), {"start": time(16), "until": time(17)}, "the window is at least 2 hours long"),
    ("a window backwards", at(12, 0), {"start": time(17), "until": time(15)}, "the window ends before it begins"),
    ("out of hours", at(12, 0), {"start": time(17), "until": time(19)}, "the van is out from 08:00 to 18:00"),
    ("a window that is over", at(12, 0), {"start": time(9), "until": time(12)}, "09:00 is over"),
)


@pytest.mark.parametrize(("when", "kept", "why"), [row[1:] for row in REFUSED], ids=[row[0] for row in REFUSED])
def test_what_cannot_be_asked_for_is_said(
    wiring: Wiring, clock: Clock, when: datetime, kept: dict[str, time], why: str
) -> None:
    clock.at = at(11, 30)
    bought(wiring, "brightmile", "road", 1)
    clock.at = when
    wanted = wish(wiring, "road", shown_minor=420, **kept)
    assert asked(wiring, wanted) == ([why] if why else [])


def test_what_is_bought_after_the_window_began_goes_a_day_later(wiring: Wiring, clock: Clock) -> None:
    clock.at = at(12, 0)
    bought(wiring, "brightmile", "road", 1)
    with wiring.sessions() as session:
        waiting = [o.id for o in clear_orders(session, "brightmile", 60) if o.network == "road"]
    assert asked(wiring, wish(wiring, "road", start=time(14), until=time(16))) == []
    assert settled(wiring) == ["booked"]
    for moment, day in ((at(14, 0, 0), TUESDAY), (at(14, 0, 1), date(2026, 11, 25))):
        clock.at = moment  # the card's own cut-off is 17:15
        with wiring.sessions.begin() as session:
            replan_waiting(session, "time went by", moment)
            dates = {
                o.ship_date
                for o in session.scalars(
                    select(Order).where(Order.id.in_(waiting), Order.state == "open", Order.network == "road")
                )
            }
        assert dates == {day}


FAULTS = ("timeout_after_work", "down", "error")


def test_answers_that_are_lost_and_processes_that_die_never_book_or_charge_twice(
    wiring: Wiring, clock: Clock, world: World
) -> None:
    """A carrier that answers late, not, or breaks; a process that kills itself before each of its commits in turn."""
    clock.at = at(9, 0)
    bought(wiring, "brightmile", "road", 1)
    for fault in FAULTS:
        world.set_fault("brightmile", fault, 1)
        assert asked(wiring, wish(wiring, "road")) == []
        settled(wiring)
        clock.move(seconds=30)
        settled(wiring)
        mine = [one for one in pickups(wiring) if one.state == "booked"]
        assert len(mine) == 1, fault
        with wiring.sessions.begin() as session:
            cancel_pickup(session, mine[0].id, "Inês", clock())
        world.set_fault("brightmile", fault, 1)
        settled(wiring)
        clock.move(seconds=30)
        settled(wiring)
        assert books(wiring)["pickups"] == 0
        assert books(wiring)["held"] == 0
        assert {state for state, _ in vans(world)} == {"cancelled"}
    for nth in (1, 2):
        assert asked(wiring, wish(wiring, "road")) == []
        died = _in_a_process_that_dies(wiring, nth, clock())
        assert died == -9
        clock.move(seconds=30)
        settled(wiring)
        assert [state for state, _ in vans(world)].count("booked") == 1
        assert books(wiring)["pickups"] == 420
        with wiring.sessions.begin() as session:
            cancel_pickup(session, pickups(wiring)[-1].id, "Inês", clock())
        settled(wiring)
        assert books(wiring)["pickups"] == 0


def _in_a_process_that_dies(wiring: Wiring, nth: int, moment: datetime, what: str = "pickups") -> int:
    return crash(wiring, f"{what}:{nth}", "", moment)


def test_a_carrier_that_is_silent_for_ten_minutes_is_given_up_once_it_took_the_key_back(
    wiring: Wiring, clock: Clock, world: World
) -> None:
    clock.at = at(9, 0)
    bought(wiring, "brightmile", "road", 1)
    assert asked(wiring, wish(wiring, "road")) == []
    world.set_fault("brightmile", "down", 2)
    assert settled(wiring) == []
    clock.move(minutes=11)
    assert settled(wiring) == ["refused"]  # the second "down" strikes, then the key is taken back
    assert pickups(wiring)[0].words == "Brightmile Parcel did not answer for ten minutes"
    assert books(wiring)["held"] == 0
    assert vans(world) == []


@pytest.mark.parametrize("seed", seeds(2))
def test_whatever_happens_books_and_carrier_agree_in_the_end(
    wiring: Wiring, clock: Clock, world: World, seed: int
) -> None:
    """Random asking, changing, cancelling and faults; afterwards every fee stands for one van and every van has one."""
    chance = random.Random(seed)
    clock.at = at(8, 0)
    bought(wiring, "brightmile", "road", 1)
    bought(wiring, "brightmile", "night", 1)
    for _ in range(14):
        network = chance.choice(("road", "night"))
        what = chance.choice(("ask", "ask", "cancel", "fault", "settle", "settle"))
        if what == "ask":
            start = chance.choice((14, 15, 16))
            asked(wiring, wish(wiring, network, start=time(start), until=time(start + 2)))
        elif what == "cancel":
            booked = [one for one in pickups(wiring) if one.state == "booked"]
            if booked:
                with wiring.sessions.begin() as session:
                    cancel_pickup(session, chance.choice(booked).id, "Inês", clock())
        elif what == "fault":
            world.set_fault("brightmile", chance.choice(FAULTS), 1)
        else:
            settled(wiring)
        clock.move(seconds=chance.randrange(40))
    for fault in FAULTS:
        world.set_fault("brightmile", fault, 0)
    for _ in range(4):
        clock.move(minutes=1)
        settled(wiring)
    mine = pickups(wiring)
    assert not [one.state for one in mine if one.state in ("asked", "cancelling")]
    booked = sorted(one.fee_minor for one in mine if one.state == "booked")
    assert sorted(fee for state, fee in vans(world) if state == "booked") == booked
    assert books(wiring)["pickups"] == sum(booked)
    assert books(wiring)["held"] == 0


def test_a_closed_manifest_fixes_what_goes_and_a_carrier_that_wants_it_has_it_first(
    wiring: Wiring, clock: Clock, world: World
) -> None:
    clock.at = at(9, 0)
    ids = bought(wiring, "cobaltair", "air", 2)
    key = DepartureKey("cobaltair", "air", TUESDAY)
    assert asked(wiring, wish(wiring, "air", "cobaltair")) == ["its manifest is to be closed first"]
    with wiring.sessions.begin() as session:
        ask_void(session, ids[1:], "Tomé", False, clock())
        manifest = close_manifest(session, key, "Tomé", clock())
        assert close_manifest(session, key, "Inês", clock()).number == manifest.number
        number = manifest.number
        assert len(manifest.lines) == sum(
            len(s.labels) for s in session.scalars(select(Shipment).where(Shipment.id == ids[0]))
        )
        late = session.scalars(select(Order.ship_date).where(Order.network == "air", Order.state == "open")).all()
        assert TUESDAY not in late  # what was planned for it goes with the next one
        refused = ask_void(session, ids[:1], "Tomé", False, clock()).refused
        assert refused == {ids[0]: f"it is on manifest {number}; reopen that first, in Departures"}
    assert list(tell_manifests(wiring.sessions, wiring.outside, clock).values()) == ["told"]
    assert asked(wiring, wish(wiring, "air", "cobaltair")) == []
    assert settled(wiring) == ["booked"]
    with wiring.sessions.begin() as session, pytest.raises(Conflict, match="Cancel the pickup first"):
        reopen_manifest(session, key, "Tomé", clock())
    with wiring.sessions.begin() as session:
        cancel_pickup(session, pickups(wiring)[-1].id, "Tomé", clock())
    assert settled(wiring) == ["cancelled"]
    with wiring.sessions.begin() as session:
        reopen_manifest(session, key, "Tomé", clock())
        assert ask_void(session, ids[:1], "Tomé", False, clock()).asked == ids[:1]
        with pytest.raises(Conflict, match="Nothing is bought"):
            close_manifest(session, key, "Tomé", clock())
    assert list(tell_manifests(wiring.sessions, wiring.outside, clock).values()) == ["unasked"]
    assert [row["reopened"] for row in world.rows("select * from closed_list")] == [1]


def test_a_closed_list_reaches_its_carrier_once_whatever_is_lost_and_whoever_dies(
    wiring: Wiring, clock: Clock, world: World
) -> None:
    """Answers that are late, missing or broken, and a process killed before each commit, of a list and of its way back."""
    clock.at = at(9, 0)
    bought(wiring, "cobaltair", "air", 1)
    key = DepartureKey("cobaltair", "air", TUESDAY)
    numbers = []
    for round_, trouble in enumerate((*FAULTS, "manifests:1", "manifests:2"), 1):
        for opens, stands in ((False, "told"), (True, "unasked")):
            with wiring.sessions.begin() as session:
                if opens:
                    reopen_manifest(session, key, "Tomé", clock())
                else:
                    numbers.append(close_manifest(session, key, "Tomé", clock()).number)
            if trouble in FAULTS:
                world.set_fault("cobaltair", trouble, 1)
                tell_manifests(wiring.sessions, wiring.outside, clock)
            else:
                what, _, nth = trouble.partition(":")
                assert _in_a_process_that_dies(wiring, int(nth), clock(), what) == -9
            if trouble in FAULTS:
                world.set_fault("cobaltair", trouble, 0)  # what comes back asks for no work that could be late
            clock.move(minutes=2)
            tell_manifests(wiring.sessions, wiring.outside, clock)
            with wiring.sessions() as session:
                newest = session.scalars(select(Manifest).order_by(Manifest.id.desc()).limit(1)).one()
                assert newest.told == stands, trouble
            rows = world.rows("select number, reopened from closed_list order by rowid")
            assert [row["number"] for row in rows] == numbers, trouble
            assert [row["reopened"] for row in rows] == [1] * (round_ - 1) + [int(opens)], trouble


def test_a_list_that_is_opened_while_its_carrier_says_yes_is_taken_back_there_too(
    wiring: Wiring, clock: Clock, world: World
) -> None:
    """The carrier's answer is written between the moment at which the list was read and the one at which it is opened."""
    clock.at = at(9, 0)
    bought(wiring, "cobaltair", "air", 1)
    key = DepartureKey("cobaltair", "air", TUESDAY)
    with wiring.sessions.begin() as session:
        made = close_manifest(session, key, "Tomé", clock()).id
    tell_manifests(wiring.sessions, wiring.outside, clock)
    with wiring.sessions.begin() as session:
        session.get_one(Manifest, made).told = "asked"  # as it was before its answer was written
    with ThreadPoolExecutor(1) as pool, wiring.sessions.begin() as answered:
        answered.get_one(Manifest, made, with_for_update={"of": Manifest}).told = "told"
        answered.flush()
        opening = pool.submit(_opened, wiring, key, clock())
        with wiring.sessions() as looking:  # nothing is left to do for it but to wait for the answer's end
            here = "select count(*) from pg_stat_activity where datname = current_database()"
            waits = text(f"{here} and wait_event_type = 'Lock'")
            while not looking.scalar(waits):
                looking.rollback()
        answered.commit()
        opening.result()
    clock.move(minutes=2)
    tell_manifests(wiring.sessions, wiring.outside, clock)
    with wiring.sessions() as session:
        assert session.get_one(Manifest, made).told == "unasked"
    assert [row["reopened"] for row in world.rows("select reopened from closed_list")] == [1]


def _opened(wiring: Wiring, key: DepartureKey, now: datetime) -> None:
    with wiring.sessions.begin() as session:
        reopen_manifest(session, key, "Tomé", now)


@pytest.mark.parametrize("seed", seeds(2))
def test_whoever_is_at_a_departure_at_once_it_goes_once_with_one_list(wiring: Wiring, clock: Clock, seed: int) -> None:
    """Six people close, open, count and hand over in any order: nothing breaks, and every parcel goes exactly once."""
    clock.at = at(9, 0)
    ids = bought(wiring, "brightmile", "road", 4)
    key = DepartureKey("brightmile", "road", TUESDAY)
    with wiring.sessions() as session:
        numbers = session.scalars(select(Label.tracking_number).where(Label.shipment_id.in_(ids))).all()

    def somebody(n: int) -> list[str]:
        chance, came = random.Random(seed * 10 + n), []
        for _ in range(6):
            what = chance.choice(("close", "open", "count", "count", "hand"))
            try:
                with wiring.sessions.begin() as session:
                    if what == "close":
                        close_manifest(session, key, f"P{n}", clock())
                    elif what == "open":
                        reopen_manifest(session, key, f"P{n}", clock())
                    elif what == "count":
                        came.append(count_out(session, key, chance.choice(numbers) or "", clock()).verdict)
                    elif n == 0:
                        hand_over(session, key, _counted(session, key), "Ana", "", f"P{n}", clock())
                        came.append("handed over")
            except (Conflict, Invalid) as refusal:
                came.append(refusal.code)
        return came

    with ThreadPoolExecutor(6) as people:
        came = [what for one in people.map(somebody, range(6)) for what in one]
    if "handed over" not in came:
        with wiring.sessions.begin() as session:
            number = _counted(session, key) or len(numbers)
            hand_over(session, key, number, "Ana", "", "Tomé", clock())
    with wiring.sessions() as session:
        departure = session.scalars(
            select(Departure).where(Departure.network == "road", Departure.day == TUESDAY)
        ).one()
        standing = session.scalars(select(Manifest).where(Manifest.reopened_at.is_(None))).all()
        labels = session.scalars(select(Label).where(Label.shipment_id.in_(ids))).all()
    assert departure.state == "handed_over"
    assert len(standing) <= 1, "two lists stand for one departure"  # none where nobody closed it: nobody has to
    gone = {label.tracking_number for label in labels if label.departure_id == departure.id}
    assert all((label.handed_over_at is not None) == (label.tracking_number in gone) for label in labels)
    assert gone
    assert all({line["tracking_number"] for line in one.lines} >= gone for one in standing)


def _counted(session: Session, key: DepartureKey) -> int | None:
    of = select(func.count(Label.counted_at)).join(Departure)
    mine = (Departure.carrier == key.carrier, Departure.network == key.network, Departure.day == key.day)
    return session.scalar(of.where(*mine, Label.handed_over_at.is_(None))) or None


def test_nothing_is_bought_into_a_departure_that_has_closed_a_moment_ago(wiring: Wiring, clock: Clock) -> None:
    clock.at = at(9, 0)
    bought(wiring, "brightmile", "road", 1)
    with wiring.sessions() as session:
        stale = next(
            o for o in clear_orders(session, "brightmile", 60) if o.network == "road" and o.ship_date == TUESDAY
        )
        seen = ToBuy(stale.id, stale.price_minor or 0)
    with wiring.sessions.begin() as session:
        close_manifest(session, DepartureKey("brightmile", "road", TUESDAY), "Tomé", clock())
    with wiring.sessions.begin() as session:
        done = ask_to_buy(session, [seen], "late-click", person(session, "tome"), clock())
        assert len(done.taken) + len(done.dropped) == 1
        days = session.scalars(select(Shipment.ship_date).where(Shipment.order_id == seen.order_id)).all()
        assert TUESDAY not in days


def test_the_drivers_count_says_at_once_what_is_wrong_and_what_is_left_goes_next_time(
    wiring: Wiring, clock: Clock
) -> None:
    clock.at = at(9, 0)
    road, night = bought(wiring, "brightmile", "road", 3), bought(wiring, "brightmile", "night", 1)
    key = DepartureKey("brightmile", "road", TUESDAY)
    with wiring.sessions.begin() as session:
        labels = {
            s.id: s.labels[0].tracking_number or ""
            for s in session.scalars(select(Shipment).where(Shipment.id.in_([*road, *night])))
        }
        before = session.get_one(Shipment, road[2]).arrives
        scans = (
            (f"]C100{labels[road[0]]}", "right"),
            (labels[road[0]], "twice"),
            (labels[road[1]], "right"),
            (labels[night[0]], "other_truck"),
            ("no such thing", "unknown"),
        )
        assert [count_out(session, key, code, clock()).verdict for code, _ in scans] == [word for _, word in scans]
        ask_void(session, night, "Tomé", False, clock())
        assert count_out(session, key, labels[night[0]], clock()).verdict == "not_to_go"
    clock.at = at(16, 10)
    with wiring.sessions.begin() as session:
        with pytest.raises(Conflict, match="2 of 3 parcels are counted"):
            hand_over(session, key, None, "Rui", "M1 1 L2 2", "Tomé", clock())
        with pytest.raises(Conflict, match="signs for 1, 2 are counted and 3 lie there"):
            hand_over(session, key, 1, "Rui", "M1 1 L2 2", "Tomé", clock())
        done = hand_over(session, key, 2, "Rui", "M1 1 L2 2", "Tomé", clock())
        assert done.parcels == 2
        assert len(done.left) == 1
        left = session.get_one(Shipment, road[2])
        departure = session.get_one(Departure, left.labels[0].departure_id)
        assert (departure.day, departure.state) == (date(2026, 11, 25), "open")
        assert left.arrives is not None
        assert before is not None
        assert left.arrives > before
        told = session.scalars(select(OrderChange.what).where(OrderChange.order_id == left.order_id)).all()
        assert any("left on the pile; goes on 25 November" in what for what in told)
        assert (
            count_out(session, DepartureKey("brightmile", "road", date(2026, 11, 25)), labels[road[0]], clock()).verdict
            == "gone"
        )
        assert ask_void(session, road[:1], "Tomé", True, clock()).refused == {
            road[0]: "it was handed over to the carrier"
        }
        with pytest.raises(Conflict, match="handed over already"):
            hand_over(session, key, 2, "", "", "Tomé", clock())


def test_who_took_what_can_be_had_by_mail(wiring: Wiring, clock: Clock, world: World) -> None:
    clock.at = at(9, 0)
    bought(wiring, "brightmile", "road", 1)
    key = DepartureKey("brightmile", "road", TUESDAY)
    with wiring.sessions.begin() as session, pytest.raises(Conflict, match="not handed over yet"):
        mail_receipt(session, wiring.outside, key, "books@larkspur.example")
    with wiring.sessions.begin() as session:
        labels = session.scalar(select(func.count(Label.id)))
        hand_over(session, key, labels, "Ana Prata", "", "Tomé", clock())
        mail_receipt(session, wiring.outside, key, "books@larkspur.example")
    mail = world.rows("select * from mail order by id desc limit 1")[0]
    assert mail["recipient"] == "books@larkspur.example"
    assert "by Tomé to Ana Prata" in mail["body"]
    with wiring.sessions.begin() as session, pytest.raises(Conflict, match="no mail address"):
        mail_receipt(session, wiring.outside, key, "nobody")


def test_a_number_stands_for_the_count_only_where_it_is_all_of_them(wiring: Wiring, clock: Clock) -> None:
    clock.at = at(9, 0)
    bought(wiring, "brightmile", "road", 2)
    key = DepartureKey("brightmile", "road", TUESDAY)
    for said in (None, 1, 3):
        with wiring.sessions.begin() as session, pytest.raises(Conflict, match="Scan them out"):
            hand_over(session, key, said, "", "", "Tomé", clock())
    with wiring.sessions.begin() as session:
        assert hand_over(session, key, 2, "", "", "Tomé", clock()).parcels == 2


def test_a_van_that_did_not_come_is_found_by_the_clock_and_followed_until_answered(
    wiring: Wiring, clock: Clock, world: World
) -> None:
    clock.at = at(12, 0)
    ids = bought(wiring, "brightmile", "road", 2)
    world.set_fault("brightmile", "van_missed", 1)
    assert asked(wiring, wish(wiring, "road")) == []
    assert settled(wiring) == ["booked"]
    clock.at = at(18, 0, 1)
    assert settled(wiring) == ["missed"]
    with wiring.sessions.begin() as session:
        mine = session.scalars(select(Shipment).where(Shipment.id.in_(ids))).all()
        days = {session.get_one(Departure, label.departure_id).day for s in mine for label in s.labels}
        assert days == {date(2026, 11, 25)}
        assert alert_counts(session, clock())["pickups_missed"] == 1
        assert (
            session.scalars(select(Departure.state).where(Departure.network == "road", Departure.day == TUESDAY)).one()
            == "missed"
        )
        number = mine[0].labels[0].tracking_number
    events = wiring.outside.carrier(_carrier(wiring)).events(number or "")
    assert [event.state for event in events] == ["announced"]  # it lies here still, and nobody says that it moves
    with wiring.sessions.begin() as session:
        answer_missed(session, pickups(wiring)[0].id, "comes tomorrow at nine", False, "Tomé", clock())
        assert alert_counts(session, clock())["pickups_missed"] == 0


def _carrier(wiring: Wiring) -> object:
    from tidewind.db.tables import CarrierRow

    with wiring.sessions() as session:
        return session.scalars(select(CarrierRow).where(CarrierRow.code == "brightmile")).one()


def test_a_van_that_came_hands_over_what_lay_there(wiring: Wiring, clock: Clock) -> None:
    clock.at = at(12, 0)
    ids = bought(wiring, "brightmile", "road", 2)
    assert asked(wiring, wish(wiring, "road")) == []
    settled(wiring)
    clock.at = at(18, 0, 1)
    assert settled(wiring) == ["done"]
    with wiring.sessions() as session:
        mine = session.scalars(select(Shipment).where(Shipment.id.in_(ids))).all()
        assert all(label.handed_over_at for s in mine for label in s.labels)


def test_what_nobody_fetched_falls_to_the_next_departure_and_what_was_scanned_has_gone(
    wiring: Wiring, clock: Clock
) -> None:
    clock.at = at(12, 0)
    left, gone = bought(wiring, "brightmile", "road", 1), bought(wiring, "brightmile", "night", 1)
    with wiring.sessions.begin() as session:
        session.get_one(Shipment, gone[0]).tracking_state = "moving"
    for moment, settled_now in (
        (at(23, 59), 0),
        (at(5, 59, 59, date(2026, 11, 25)), 0),
        (at(6, 0, 0, date(2026, 11, 25)), 2),
    ):
        clock.at = moment
        assert len(pass_departures(wiring.sessions, clock)) == settled_now
    with wiring.sessions() as session:
        found = {}
        for one in (*left, *gone):
            label = session.get_one(Shipment, one).labels[0]
            departure = session.get_one(Departure, label.departure_id)
            found[one] = (departure.day, departure.state)
        assert found == {left[0]: (date(2026, 11, 25), "open"), gone[0]: (TUESDAY, "handed_over")}
        before = session.scalars(select(Departure.state).where(Departure.network == "road", Departure.day == TUESDAY))
        assert before.one() == "missed"
    assert pass_departures(wiring.sessions, clock) == {}


def test_a_standing_pickup_is_asked_for_half_an_hour_before_it_is_too_late(wiring: Wiring, clock: Clock) -> None:
    clock.at = at(9, 0)
    bought(wiring, "brightmile", "road", 1)
    with wiring.sessions.begin() as session:
        set_standing(session, "brightmile", "road", StandingWish(frozenset({1})), "Inês", clock())
    for moment, many in ((at(12, 29, 59), 0), (at(12, 30), 1), (at(12, 45), 0)):
        clock.at = moment
        assert len(ask_standing(wiring.sessions, clock)) == many
    with wiring.sessions() as session:
        assert session.scalar(select(func.sum(LedgerLine.amount_minor)).where(LedgerLine.account == "held")) == 420


def test_a_standing_pickup_is_tried_again_until_something_lies_there_and_says_why_not(
    wiring: Wiring, clock: Clock
) -> None:
    clock.at = at(9, 0)
    with wiring.sessions.begin() as session:
        replan_waiting(session, "the clock of the test", clock())
        waiting = [
            o.id for o in clear_orders(session, "brightmile", 60) if o.network == "road" and o.ship_date == TUESDAY
        ]
        set_held(session, waiting, True, "Tomé", clock())
        set_standing(session, "brightmile", "road", StandingWish(frozenset({1})), "Inês", clock())
    clock.at = at(12, 35)
    assert ask_standing(wiring.sessions, clock) == []
    with wiring.sessions.begin() as session:
        (row,) = standing_pickups(session)
        assert (row.asked_for, row.refusal, row.refused_for) == (None, "nothing lies there yet", TUESDAY)
        set_held(session, waiting, False, "Tomé", clock())
    clock.move(minutes=5)
    assert len(ask_standing(wiring.sessions, clock)) == 1
    with wiring.sessions() as session:
        (row,) = standing_pickups(session)
        assert (row.asked_for, row.refusal, row.refused_for) == (TUESDAY, "", None)


def test_a_standing_pickup_that_needs_the_closed_list_is_asked_for_once_it_is_closed(
    wiring: Wiring, clock: Clock
) -> None:
    clock.at = at(9, 0)
    bought(wiring, "cobaltair", "air", 1)
    with wiring.sessions.begin() as session:
        set_standing(session, "cobaltair", "air", StandingWish(frozenset({1})), "Inês", clock())
    clock.at = at(14, 35)
    assert ask_standing(wiring.sessions, clock) == []
    with wiring.sessions.begin() as session:
        (row,) = standing_pickups(session)
        assert "manifest" in row.refusal
        assert (row.asked_for, row.refused_for) == (None, TUESDAY)
        close_manifest(session, DepartureKey("cobaltair", "air", TUESDAY), "Tomé", clock())
    clock.move(minutes=5)
    assert len(ask_standing(wiring.sessions, clock)) == 1
    clock.move(minutes=5)
    assert ask_standing(wiring.sessions, clock) == []
    with wiring.sessions() as session:
        (row,) = standing_pickups(session)
        assert (row.asked_for, row.refusal) == (TUESDAY, "")


def test_calendars_are_read_by_those_who_have_their_address(wiring: Wiring, clock: Clock, base_url: str) -> None:
    clock.at = at(12, 0)
    bought(wiring, "brightmile", "road", 1)
    assert asked(wiring, wish(wiring, "road")) == []
    address = f"{base_url}/api/pickups/{pickups(wiring)[0].calendar_key}.ics"
    assert "STATUS:TENTATIVE" in httpx.get(address).text
    settled(wiring)
    one = httpx.get(address)
    assert "DTSTART:20261124T160000Z" in one.text
    assert "STATUS:CONFIRMED" in one.text
    assert httpx.get(f"{base_url}/api/pickups/guess.ics").status_code == 404
    assert httpx.get(f"{base_url}/api/calendar/.ics").status_code == 404
