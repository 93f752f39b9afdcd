"""Rows move from state to state by the tables of ``core/states`` alone; nothing else assigns a state."""

from __future__ import annotations

from collections.abc import Collection
from enum import StrEnum
from typing import Any, Protocol, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.quantities import Refused
from tidewind.core.states.labels import LabelState
from tidewind.core.states.machine import Machine
from tidewind.core.states.orders import ORDER_MOVES, OrderMove, OrderStanding
from tidewind.db.tables import Order, Shipment
from tidewind.services.base.errors import Conflict

State = TypeVar("State", bound=StrEnum)
Move = TypeVar("Move", bound=StrEnum)


class _Stands(Protocol):
    state: Any


class Standing(Protocol):
    """An order, as far as its state goes."""

    @property
    def number(self) -> str:
        """What people call it by."""

    @property
    def state(self) -> str:
        """Its state."""

    @property
    def state_by(self) -> str:
        """Who or what holds it there."""


def standing_of(order: Standing) -> OrderStanding:
    """Return where an order stands."""
    return OrderStanding.of(order.state, order.state_by)


def standing_after(order: Standing, move: OrderMove, why: str = "") -> dict[str, str]:
    """Return the columns that say where an order stands after a move.  Raises Conflict where it cannot be made."""
    after = ORDER_MOVES.after(standing_of(order), move)
    if isinstance(after, Refused):
        raise Conflict("not_now", f"Order {order.number}: {after.detail}.")
    state, by = after.value
    return {"state": state.value, "state_by": by, "state_why": why[:200]}


def move_order(order: Order, move: OrderMove, why: str = "") -> None:
    """Let an order go where a move leads, with the reason in words.  Raises Conflict where it cannot."""
    for name, value in standing_after(order, move, why).items():
        setattr(order, name, value)


def orders_with_label(session: Session, order_ids: Collection[int]) -> set[int]:
    """Return the orders among these of which a label is bought, or is being bought just now."""
    query = select(Shipment.order_id).where(Shipment.order_id.in_(order_ids), Shipment.state.in_(LabelState.COUNTS))
    return set(session.scalars(query))


def has_label(session: Session, order_id: int) -> bool:
    """Tell whether a label of an order is bought, or is being bought just now."""
    return bool(orders_with_label(session, [order_id]))


def move_row(row: _Stands, moves: Machine[State, Move], states: type[State], move: Move) -> None:
    """Let a label, a return, an import or the like go where a move leads.  Raises Conflict where it cannot."""
    after = moves.after(states(row.state), move)
    if isinstance(after, Refused):
        raise Conflict("not_now", f"{after.detail[0].upper()}{after.detail[1:]}.")
    row.state = after.value
