"""The ledger as a state machine, when a label may be voided, and what preflight finds."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import strategies as st
from hypothesis.stateful import Bundle, RuleBasedStateMachine, consumes, invariant, rule

from tidewind.core import ledger
from tidewind.core.ledger import Payer
from tidewind.core.preflight import Candidate, preflight
from tidewind.core.states.labels import LabelState
from tidewind.core.tracking.states import TrackingState
from tidewind.core.voiding import VoidRule, void_refusal

SUMS = st.integers(1, 50_000)


class Books(RuleBasedStateMachine):
    """Buy, void, refund, correct, send back and pay, in any order: the books balance and every label is explained."""

    asked, bought, pending = Bundle("asked"), Bundle("bought"), Bundle("pending")

    def __init__(self) -> None:
        super().__init__()
        self.balances = dict.fromkeys(ledger.ACCOUNTS, 0)
        self.worth = 0  # what is bought and not voided, corrections and returns in it
        self.owed = 0

    def move(self, kind: str, amount: int) -> None:
        self.balances = ledger.apply(self.balances, ledger.entry(kind, amount))

    @rule(amount=SUMS)
    def top_up(self, amount: int) -> None:
        self.move("top_up", amount)

    @rule(target=asked, price=SUMS, payer=st.sampled_from(("balance", "account", "elsewhere")))
    def ask(self, price: int, payer: Payer) -> tuple[int, Payer] | tuple[int, None]:
        if payer == "balance":
            if price > self.balances["available"]:
                return (0, None)  # refused, as the service refuses it
            self.move("hold", price)
        return (price, payer)

    @rule(target=bought, one=consumes(asked), sold=st.booleans())
    def answer(self, one: tuple[int, Payer | None], sold: bool) -> tuple[int, Payer | None]:
        price, payer = one
        if payer is None:
            return one
        if not sold:
            if payer == "balance":
                self.move("release", price)
            return (0, None)
        kind = ledger.charge_kind(payer)
        if kind:
            self.move(kind, price)
            self.worth += price
        return one

    @rule(target=pending, one=consumes(bought))
    def void(self, one: tuple[int, Payer | None]) -> tuple[int, Payer | None]:
        price, payer = one
        if payer in {"balance", "account"}:
            self.move("void_asked", price)
            self.worth -= price
        return one

    @rule(one=consumes(pending), granted=st.booleans())
    def settle(self, one: tuple[int, Payer | None], granted: bool) -> None:
        price, payer = one
        if payer is None or payer == "elsewhere":
            return
        self.move(ledger.refund_kind(payer) if granted else "refund_refused", price)
        self.worth += 0 if granted else price

    @rule(
        amount=SUMS, kind=st.sampled_from(("correction", "return_used")), payer=st.sampled_from(("balance", "account"))
    )
    def charge_later(self, amount: int, kind: str, payer: Payer) -> None:
        self.move(ledger.later_kind(kind, payer, amount, self.balances["available"]), amount)
        self.worth += amount

    @rule(share=st.integers(1, 4))
    def pay_bill(self, share: int) -> None:
        if self.balances["owed"] <= -share:
            self.move("bill_paid", -self.balances["owed"] // share)

    @invariant()
    def nothing_is_lost(self) -> None:
        assert sum(self.balances.values()) == 0
        assert min(self.balances[a] for a in ("available", "held", "expected")) >= 0
        assert self.balances["postage"] == self.worth


TestBooks = Books.TestCase

RULE = VoidRule(within_days=14, refund_days=7)
DAY = date(2026, 11, 23)


@pytest.mark.parametrize(
    ("state", "seen", "today", "refused"),
    [
        ("bought", ["announced"], DAY, ""),
        ("bought", ["announced", "announced"], date(2026, 12, 7), ""),  # the last of fourteen days
        ("bought", ["announced"], date(2026, 12, 8), "too_late"),
        ("bought", ["announced", "accepted"], DAY, "scanned"),
        ("bought", ["lost"], DAY, "scanned"),
        ("buying", ["announced"], DAY, "not_bought"),
        ("failed", ["announced"], DAY, "not_bought"),
        ("void_asked", ["announced"], DAY, "asked"),
        ("voided", ["announced"], DAY, "not_bought"),
        ("void_refused", ["announced"], DAY, "not_bought"),
    ],
)
def test_when_a_label_may_be_voided(state: str, seen: list[str], today: date, refused: str) -> None:
    found = void_refusal(LabelState(state), [TrackingState(s) for s in seen], DAY, today, RULE)
    assert (found.reason if found else "") == refused


def test_preflight_says_everything_in_one_list() -> None:
    orders = [
        Candidate(1, "A", price=610, shown=610, extras=(("Signature", 120),)),
        Candidate(2, "B", price=634, shown=610, late=True),
        Candidate(3, "C", price=None, stops=("“Pot” has no weight",)),
        Candidate(4, "D", price=9_000, approval="Needs approval: dearer than 80.00 EUR"),
        Candidate(5, "E", price=500, gone="is shipped"),
        Candidate(6, "F", price=700, held_by="Tomé", extras=(("Signature", 130),)),
        Candidate(7, "G", price=4_000, payer="account", labels=2),
        Candidate(8, "H"),
    ]
    found = preflight(orders, 1_500, "EUR")
    assert (found.order_ids, found.labels, found.total, found.from_balance) == ((1, 2, 6, 7), 5, 5_944, 1_944)
    assert [(c.kind, c.level, c.order_ids, c.sum) for c in found.checks] == [
        ("gone", "stops", (5,), 0),
        ("snag", "stops", (8,), 0),
        ("snag", "stops", (3,), 0),
        ("approval", "stops", (4,), 0),
        ("moved", "asks", (2,), 24),
        ("conflict", "asks", (6,), 0),
        ("balance", "stops", (6,), 444),
        ("extras", "tells", (1, 6), 250),
        ("late", "tells", (2,), 0),
    ]
    assert not found.ready
    assert found.prices == {1: 610, 2: 634, 6: 700, 7: 4_000}
    assert preflight(orders[:1], 610, "EUR").ready
    assert not preflight([], 100, "EUR").ready
    assert preflight([Candidate(1, "A", price=700), Candidate(2, "B", price=100)], 150, "EUR").checks[0].order_ids == (
        1,
    )
