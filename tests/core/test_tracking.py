"""Following: a state that is the same in whichever order events are heard, what is usual, and what needs somebody."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.calendar import is_working_day
from tidewind.core.tracking.folding import Heard, Standing, fold, how_far, in_order, together
from tidewind.core.tracking.states import FINAL, TrackingState, meaning_of
from tidewind.core.tracking.troubles import trouble_of
from tidewind.core.tracking.usual import ENOUGH, Usual, usual, working_days_since, working_tenths

S = TrackingState
LISBON, PT = ZoneInfo("Europe/Lisbon"), ("PT",)
START = datetime(2026, 11, 16, 9, tzinfo=UTC)  # a Monday

times = st.integers(0, 200).map(lambda h: START + timedelta(hours=h))
told = st.builds(
    Heard,
    at=times,
    state=st.one_of(st.none(), st.sampled_from(list(S))),
    id=st.sampled_from(["", "a", "b", "c", "d"]),
    takes_back=st.sampled_from(["", "", "", "a", "b"]),
    reason=st.sampled_from(["", "refused"]),
)


@given(st.lists(told, max_size=12), st.randoms())
def test_order_and_doubling_change_nothing(events: list[Heard], chance: object) -> None:
    once = fold(events)
    again = [*events, *events]
    chance.shuffle(again)  # type: ignore[attr-defined]
    assert fold(again) == once


@given(st.lists(told, max_size=12), told)
def test_nothing_leaves_a_final_state_but_by_an_amendment_and_time_never_runs_backwards(
    events: list[Heard], later: Heard
) -> None:
    before = fold(events)
    after = fold([*events, Heard(START + timedelta(days=30), later.state, "later")])
    if before.state in FINAL - {S.LOST}:
        assert after.state is before.state
    shown = [event.at for event in after.events]
    assert shown == sorted(shown)
    assert after.since is None or after.since in shown


@pytest.mark.parametrize(
    ("heard", "state", "shown"),
    [
        ([], S.ANNOUNCED, 0),
        # Worked example 24: delivered (14:02) is heard before out for delivery (09:10).
        ([(14, S.DELIVERED, "", ""), (9, S.OUT_FOR_DELIVERY, "", "")], S.DELIVERED, 2),
        ([(9, S.MOVING, "m", ""), (14, S.DELIVERED, "d", ""), (15, None, "x", "d")], S.MOVING, 1),  # taken back
        ([(15, None, "x", "d"), (14, S.DELIVERED, "d", "")], S.ANNOUNCED, 0),  # the amendment is heard first
        ([(9, S.LOST, "", ""), (30, S.MOVING, "", "")], S.MOVING, 2),  # found again
        ([(9, S.RETURNING, "", ""), (12, S.MOVING, "", ""), (15, S.DELIVERED, "", "")], S.RETURNED, 3),
        ([(9, S.PROBLEM, "", ""), (12, S.MOVING, "", "")], S.MOVING, 2),
        ([(9, None, "", ""), (10, S.ACCEPTED, "", "")], S.ACCEPTED, 2),  # an unknown code is kept, and says nothing
        ([(9, S.MOVING, "m", ""), (11, S.MOVING, "m", "")], S.MOVING, 1),  # told again with another hour
    ],
)
def test_named_ways(heard: list[tuple[int, S | None, str, str]], state: S, shown: int) -> None:
    made = fold(Heard(START + timedelta(hours=h), s, i, back) for h, s, i, back in heard)
    assert (made.state, len(made.events)) == (state, shown)


def test_an_event_is_shown_once_and_several_parcels_stand_by_what_needs_somebody() -> None:
    one = Heard(START, S.MOVING, "m")
    assert in_order([one, one]) == [one]
    assert together([S.DELIVERED, S.MOVING]) is S.MOVING
    assert together([S.MOVING, S.LOST]) is S.LOST
    assert together([S.DELIVERED, S.DELIVERED]) is S.DELIVERED
    assert together([S.ANNOUNCED, S.ACCEPTED]) is S.ACCEPTED  # one was scanned: it can be voided no more
    assert together([S.ANNOUNCED, S.DELIVERED]) is S.MOVING
    assert together([S.ANNOUNCED, S.LOST]) is S.LOST
    assert together([S.ANNOUNCED]) is together([]) is S.ANNOUNCED
    assert how_far([S.DELIVERED, S.MOVING]) == "1 of 2 delivered"  # worked example 25
    assert how_far([S.DELIVERED]) == how_far([S.MOVING, S.MOVING]) == ""


@pytest.mark.parametrize("written", ["moving", "problem:refused", "problem", "lost"])
def test_a_code_means_a_state_and_a_reason(written: str) -> None:
    state, reason = meaning_of(written)
    assert f"{state}:{reason}".rstrip(":") == written


@pytest.mark.parametrize("written", ["", "gone", "moving:refused", "problem:sad", "problem:refused:x"])
def test_what_is_no_meaning_is_refused(written: str) -> None:
    with pytest.raises(ValueError, match=r"state|is not a valid"):
        meaning_of(written)


@given(times, st.integers(0, 400))
def test_working_time_is_counted_as_a_slow_clock_would(start: datetime, hours: int) -> None:
    """An oracle that goes minute by minute through the days, a quarter of an hour at a time."""
    end = start + timedelta(hours=hours)
    quarters = sum(
        is_working_day((start + timedelta(minutes=15 * n)).astimezone(LISBON).date(), "PT") for n in range(hours * 4)
    )
    assert abs(working_tenths(start, end, LISBON, PT) - quarters * 10 / 96) <= 0.51
    days = {(start + timedelta(hours=h)).astimezone(LISBON).date() for h in range(hours + 1)}
    days -= {start.astimezone(LISBON).date()}
    assert working_days_since(start, end, LISBON, PT) == sum(is_working_day(d, "PT") for d in days)


def test_what_is_usual_is_said_of_enough_parcels_only() -> None:
    assert usual([20] * (ENOUGH - 1), []) is None
    made = usual([*range(10, 110)], [1] * 89 + [4] * 11)
    assert made == Usual(100, 59, 99, 4)


MONDAY = datetime(2026, 11, 23, 10, tzinfo=UTC)
TWO = Usual(100, 20, 30, 2)


def standing(state: S, days_ago: int, reason: str = "", words: str = "") -> Standing:
    at = MONDAY - timedelta(days=days_ago)
    return Standing(state, at, reason, Heard(at, state, reason=reason, words=words))


@pytest.mark.parametrize(
    ("stands", "arrives", "record", "kind"),
    [
        # Worked example 26: usually two working days; weekends do not count, three make it stuck.
        (standing(S.MOVING, 4), None, TWO, None),  # Thursday to Monday: two working days
        (standing(S.MOVING, 5), None, TWO, "stuck"),  # Wednesday: three
        (standing(S.MOVING, 5), None, None, None),  # too few parcels: the card's five days and one
        (standing(S.MOVING, 10), None, None, "stuck"),
        (standing(S.MOVING, 1), date(2026, 11, 23), TWO, None),  # promised for today
        (standing(S.MOVING, 1), date(2026, 11, 22), TWO, "late"),
        (standing(S.AWAITING_COLLECTION, 4), None, TWO, None),
        (standing(S.AWAITING_COLLECTION, 5), None, TWO, "waiting"),
        (standing(S.PROBLEM, 0, "refused", "not ordered"), None, TWO, "refused"),
        (standing(S.PROBLEM, 0, "customs"), None, TWO, "customs"),
        (standing(S.PROBLEM, 0), None, TWO, "problem"),
        (standing(S.RETURNING, 0), None, TWO, "returning"),
        (standing(S.LOST, 0), None, TWO, "lost"),
        (standing(S.DELIVERED, 9), date(2026, 11, 1), TWO, None),
        (Standing(), date(2026, 11, 1), TWO, None),  # the carrier does not have it yet
    ],
)
def test_what_needs_somebody(stands: Standing, arrives: date | None, record: Usual | None, kind: str | None) -> None:
    found = trouble_of(stands, arrives, record, 5, MONDAY, LISBON, PT)
    assert (found.kind if found else None) == kind


def test_the_day_of_waiting_is_counted_as_people_say_it() -> None:
    said = {}
    for ago in range(5, 180):
        found = trouble_of(standing(S.AWAITING_COLLECTION, ago), None, TWO, 5, MONDAY, LISBON, PT)
        said[found.days] = found.words.split(" the ")[1]  # type: ignore[union-attr]
    wanted = {3: "3rd", 4: "4th", 10: "10th", 11: "11th", 12: "12th", 13: "13th", 20: "20th", 21: "21st", 22: "22nd"}
    wanted |= {23: "23rd", 30: "30th", 101: "101st", 111: "111th", 112: "112th", 120: "120th", 121: "121st"}
    assert {days: words.removesuffix(" day") for days, words in said.items() if days in wanted} == wanted


def test_a_holiday_at_either_end_does_not_count() -> None:
    moved = datetime(2026, 11, 27, 10, tzinfo=UTC)  # 1 December is a holiday in Portugal
    stands = Standing(S.MOVING, moved, "", Heard(moved, S.MOVING))
    wednesday = datetime(2026, 12, 2, 10, tzinfo=UTC)
    assert trouble_of(stands, None, TWO, 5, wednesday, LISBON, ("ES",))
    assert trouble_of(stands, None, TWO, 5, wednesday, LISBON, ("ES", "PT")) is None
