"""What a buyer may send back, until when, and who pays."""

from __future__ import annotations

from datetime import date

import pytest

from tidewind.core.returning import ReturnRules, SentLine, buyer_pays, returnable

LINES = [SentLine(1, 2, ["tool"]), SentLine(2, 1, ["seed", "gift"])]
THERE = date(2026, 11, 1)


@pytest.mark.parametrize(
    ("rules", "there", "today", "lines", "why"),
    [
        (ReturnRules(), THERE, date(2026, 11, 1), (1, 2), ""),
        (ReturnRules(), THERE, date(2026, 12, 1), (1, 2), ""),  # the thirtieth day after
        (ReturnRules(), THERE, date(2026, 12, 2), (), "time for it is over"),
        (ReturnRules(days=14), THERE, date(2026, 11, 15), (1, 2), ""),
        (ReturnRules(days=14), THERE, date(2026, 11, 16), (), "time for it is over"),
        (ReturnRules(not_tags=frozenset({"seed"})), THERE, THERE, (1,), ""),
        (ReturnRules(not_tags=frozenset({"seed", "tool"})), THERE, THERE, (), "none of its products"),
        (ReturnRules(), None, THERE, (), "not delivered"),
        (ReturnRules(on=False), THERE, THERE, (), "asked for by mail"),
    ],
)
def test_what_may_come_back_and_until_when(
    rules: ReturnRules, there: date | None, today: date, lines: tuple[int, ...], why: str
) -> None:
    found = returnable(LINES, there, today, rules)
    assert found.lines == lines
    assert why in found.why_not
    assert bool(found.why_not) == (not lines)


@pytest.mark.parametrize(
    ("reason", "wanted", "pays"),
    [
        ("unwanted", True, True),
        ("other", True, True),
        ("damaged", True, False),
        ("wrong", True, False),
        ("unwanted", False, False),
    ],
)
def test_what_is_our_fault_costs_the_buyer_nothing(reason: str, wanted: bool, pays: bool) -> None:
    assert buyer_pays(reason, ReturnRules(buyer_pays=wanted)) is pays
