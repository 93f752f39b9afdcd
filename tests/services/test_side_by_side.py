"""Rounds over what several parties outside are asked: together, each by itself, and whoever is silent alone waits."""

from __future__ import annotations

import threading

import pytest

from tidewind.outside.errors import MaybeDone, NeverSent, RefusedOutside
from tidewind.services.base import by_itself, side_by_side


def test_all_parties_are_asked_at_a_time_and_the_rows_of_one_in_order() -> None:
    everybody = threading.Barrier(3)
    begun: dict[str, list[int]] = {"a": [], "b": [], "c": []}
    due = {n: "abc"[n % 3] for n in range(12)}

    def work(row: int) -> int:
        if not begun[due[row]]:
            everybody.wait(timeout=30)  # nobody goes on before each of the three was asked something
        begun[due[row]].append(row)
        return row * 2

    assert side_by_side("test", due, work) == {n: n * 2 for n in range(12)}
    assert begun == {"a": [0, 3, 6, 9], "b": [1, 4, 7, 10], "c": [2, 5, 8, 11]}


@pytest.mark.parametrize(("silence", "tried"), [(NeverSent, [10]), (MaybeDone, [10, 11, 12])])
def test_a_silent_party_is_left_alone_and_a_fault_is_one_rows_own(silence: type[Exception], tried: list[int]) -> None:
    due = {**dict.fromkeys(range(10, 20), "silent"), 3: "well", 4: "well", 5: "well"}
    asked = []

    def work(row: int) -> str:
        asked.append(row)
        if due[row] == "silent":
            raise silence("nobody there")
        if row == 3:
            raise RefusedOutside("no", "not this one")
        if row == 4:
            raise ZeroDivisionError
        return "done"

    assert side_by_side("test", due, work, left="waits") == {**dict.fromkeys(range(10, 20), "waits"), 5: "done"}
    assert sorted(asked) == [3, 4, 5, *tried]


def test_one_row_that_is_never_answered_starves_none_behind_it() -> None:
    def work(row: int) -> int:
        if row % 3 == 0:
            raise MaybeDone("this one never")
        return row

    assert list(side_by_side("test", dict.fromkeys(range(9), "x"), work)) == [1, 2, 4, 5, 7, 8]


def test_whoever_has_used_its_share_of_a_round_goes_on_in_the_next(monkeypatch: pytest.MonkeyPatch) -> None:
    hour = iter(range(0, 10_000, 25))
    monkeypatch.setattr(by_itself.time, "monotonic", lambda: next(hour))
    assert list(side_by_side("test", dict.fromkeys(range(9), "slow"), lambda row: row)) == [0, 1]
