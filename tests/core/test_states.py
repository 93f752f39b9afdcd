"""Each kind of thing has one owner of its states: named moves, refusals as values, and the database holds the same."""

from __future__ import annotations

import re
from enum import Enum

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.quantities import Refused
from tidewind.core.states.claims import CLAIM_MOVES, ClaimMove, ClaimState
from tidewind.core.states.departures import DEPARTURE_MOVES, DepartureMove, DepartureState
from tidewind.core.states.imports import IMPORT_MOVES, ImportMove, ImportState
from tidewind.core.states.labels import LABEL_MOVES, LabelMove, LabelState
from tidewind.core.states.machine import Machine, words_of
from tidewind.core.states.orders import ORDER_MOVES, OrderMove, OrderStanding, OrderState
from tidewind.core.states.packings import PACKING_MOVES, PackingMove, PackingState
from tidewind.core.states.pickups import PICKUP_MOVES, PickupMove, PickupState
from tidewind.core.states.prints import PRINT_MOVES, PrintMove, PrintState
from tidewind.core.states.reorders import REORDER_MOVES, ReorderMove, ReorderState
from tidewind.core.states.returns import RETURN_MOVES, ReturnMove, ReturnState
from tidewind.core.states.wishes import WISH_MOVES, WishMove, WishState

S, M, L, R = OrderStanding, OrderMove, LabelState, ReturnState
KINDS = {
    "order": (
        ORDER_MOVES,
        OrderStanding,
        OrderMove,
        {S.OPEN, S.HELD_BY_ITS_CHANNEL, S.LEFT_OUT_BY_ITS_CHANNEL, S.CANCELLED},
        set(),
    ),
    "label": (LABEL_MOVES, LabelState, LabelMove, {L.BUYING}, {L.FAILED, L.VOIDED, L.VOID_REFUSED}),
    "departure": (DEPARTURE_MOVES, DepartureState, DepartureMove, {DepartureState.OPEN}, set()),
    "return": (RETURN_MOVES, ReturnState, ReturnMove, {R.MAKING}, {R.CLOSED, R.CANCELLED}),
    "import": (IMPORT_MOVES, ImportState, ImportMove, {ImportState.MAPPING}, set()),
    "claim": (CLAIM_MOVES, ClaimState, ClaimMove, {ClaimState.OPEN}, {ClaimState.PAID, ClaimState.DROPPED}),
    "packing": (PACKING_MOVES, PackingState, PackingMove, {PackingState.OPEN}, {PackingState.UNDONE}),
    "pickup": (
        PICKUP_MOVES,
        PickupState,
        PickupMove,
        {PickupState.ASKED},
        {PickupState.REFUSED, PickupState.DONE, PickupState.CANCELLED},
    ),
    "print": (PRINT_MOVES, PrintState, PrintMove, {PrintState.WAITING}, {PrintState.PRINTED, PrintState.CANCELLED}),
    "reorder": (
        REORDER_MOVES,
        ReorderState,
        ReorderMove,
        {ReorderState.ASKED},
        {ReorderState.REFUSED, ReorderState.ARRIVED},
    ),
    "wish": (WISH_MOVES, WishState, WishMove, {WishState.ASKED}, {WishState.REFUSED, WishState.TAKEN}),
}


def walked(machine: Machine, moves: type[Enum], starts: set) -> set:
    found = set(starts)
    while True:
        more = {a for s in found for m in moves if isinstance(a := machine.after(s, m), Enum)} - found
        if not more:
            return found
        found |= more


@pytest.mark.parametrize("kind", KINDS)
def test_every_state_is_reached_from_where_things_begin_and_only_final_ones_stay(kind: str) -> None:
    machine, states, moves, begins, final = KINDS[kind]
    assert walked(machine, moves, begins) == set(states)
    assert {s for s in states if machine.final(s)} == final


@pytest.mark.parametrize("kind", KINDS)
def test_a_refused_move_reads_as_a_sentence(kind: str) -> None:
    machine, states, moves, _, _ = KINDS[kind]
    for state in states:
        words = words_of(state)
        assert re.match(r"(is|has|was|waits) ", words), words
        # “is buying” says of a label what its buyer does.
        assert not re.match(r"is (?!waiting|running)\w+ing$", words), words
        for move in moves:
            after = machine.after(state, move)
            assert not isinstance(after, Refused) or after.detail.startswith(f"{machine.thing} {words}; it cannot ")


@given(st.sampled_from(sorted(KINDS)), st.data())
def test_a_walk_of_any_moves_never_leaves_the_table_and_says_why_a_move_cannot_be(
    kind: str, data: st.DataObject
) -> None:
    machine, states, moves, begins, final = KINDS[kind]
    state = data.draw(st.sampled_from(sorted(begins, key=str)))
    for move in data.draw(st.lists(st.sampled_from(list(moves)), max_size=25)):
        after = machine.after(state, move)
        assert machine.may(state, move) is not isinstance(after, Refused)
        if isinstance(after, Refused):
            assert kind in after.detail
            assert "cannot" in after.detail
        else:
            assert machine.follows(state, after)
            assert state not in final
            state = after
        assert state in states


@pytest.mark.parametrize(
    ("before", "move", "after"),
    [
        (S.OPEN, M.HOLD, S.HELD_BY_A_PERSON),
        (S.HELD_BY_A_PERSON, M.RULE_LETS_GO, None),  # what a person holds no rule lets go
        (S.HELD_BY_A_PERSON, M.CHANNEL_LETS_GO, None),
        (S.HELD_BY_ITS_CHANNEL, M.CHANNEL_LETS_GO, S.OPEN),
        (S.CANCELLED, M.CHANNEL_LETS_GO, S.OPEN),  # a channel may take a cancellation back
        (S.CANCELLED, M.TAKE_BACK, None),
        (S.CANCELLED, M.SHIP, None),
        (S.JOINED_TO_ANOTHER, M.SHIP, None),  # it goes along, never by itself
        (S.JOINED_TO_ANOTHER, M.SHIP_ALONG, S.SHIPPED_ALONG),
        (S.SHIPPED_ALONG, M.COME_BACK_ALONG, S.JOINED_TO_ANOTHER),  # a void brings it back to where it was
        (S.SHIPPED, M.COME_BACK, S.OPEN),
        (S.SHIPPED, M.CHANNEL_CANCELS, None),
        (S.HELD_BY_A_RULE, M.SHIP, S.SHIPPED),  # a rule that speaks while the carrier is asked comes too late
    ],
)
def test_where_orders_go(before: OrderStanding, move: OrderMove, after: OrderStanding | None) -> None:
    found = ORDER_MOVES.after(before, move)
    assert found is after if after else isinstance(found, Refused)


def test_never_voided_without_the_carriers_answer_and_one_meaning_for_each_pair() -> None:
    assert not LABEL_MOVES.follows(L.BOUGHT, L.VOIDED)
    assert not LABEL_MOVES.follows(L.FAILED, L.BOUGHT)
    assert set(L.COUNTS) | set(L.TRAVELS) <= {s.value for s in L}
    assert len({s.value for s in S}) == len(S)
    assert {s.value for s in S} >= S.EDITABLE >= S.WAITS
    assert {state for state, _ in (s.value for s in S)} == set(OrderState) - {OrderState.PART_SHIPPED}
    assert re.fullmatch(
        r"the order is held by a rule; it cannot .*", ORDER_MOVES.after(S.HELD_BY_A_RULE, M.JOIN).detail
    )  # type: ignore[union-attr]
