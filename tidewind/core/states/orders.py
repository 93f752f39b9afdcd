"""Where an order stands: its state, and who keeps it there; one standing has one meaning."""

from __future__ import annotations

from enum import Enum, StrEnum, nonmember

from tidewind.core.states.machine import Machine


class OrderState(StrEnum):
    """What people see of it."""

    OPEN = "open"
    HELD = "held"
    LEFT_OUT = "left_out"
    CANCELLED = "cancelled"
    PART_SHIPPED = "part_shipped"
    SHIPPED = "shipped"


class OrderStanding(Enum):
    """State and who keeps the order there: nobody, a person, a rule, its channel, or the order it goes along with.

    ``WAITS`` are planned anew with every change; ``EDITABLE`` can be changed by hand while no label counts.
    """

    OPEN = (OrderState.OPEN, "")
    HELD_BY_A_PERSON = (OrderState.HELD, "person")
    HELD_BY_A_RULE = (OrderState.HELD, "rule")
    HELD_BY_ITS_CHANNEL = (OrderState.HELD, "channel")
    LEFT_OUT_BY_A_RULE = (OrderState.LEFT_OUT, "rule")
    LEFT_OUT_BY_ITS_CHANNEL = (OrderState.LEFT_OUT, "channel")
    CANCELLED = (OrderState.CANCELLED, "channel")
    JOINED_TO_ANOTHER = (OrderState.HELD, "join")
    SHIPPED = (OrderState.SHIPPED, "")
    SHIPPED_ALONG = (OrderState.SHIPPED, "join")

    @classmethod
    def of(cls, state: str, by: str) -> OrderStanding:
        """Return the standing that a stored state and its keeper make.  Raises ValueError for one that is none."""
        return cls((OrderState(state), by))

    WAITS = nonmember(frozenset({(OrderState.OPEN, ""), (OrderState.HELD, "rule"), (OrderState.LEFT_OUT, "rule")}))
    EDITABLE = nonmember(
        frozenset(
            {
                (OrderState.OPEN, ""),
                (OrderState.HELD, "rule"),
                (OrderState.LEFT_OUT, "rule"),
                (OrderState.HELD, "person"),
                (OrderState.HELD, "channel"),
                (OrderState.HELD, "join"),
            }
        )
    )


class OrderMove(StrEnum):
    """What can happen to where an order stands; named for who does it."""

    HOLD = "hold"
    TAKE_BACK = "take_back"
    RULE_HOLDS = "be_held_by_a_rule"
    RULE_LEAVES_OUT = "be_left_out_by_a_rule"
    RULE_LETS_GO = "be_let_go_by_a_rule"
    CHANNEL_HOLDS = "be_held_by_its_channel"
    CHANNEL_LEAVES_OUT = "be_left_out_by_its_channel"
    CHANNEL_CANCELS = "be_cancelled"
    CHANNEL_LETS_GO = "be_let_go_by_its_channel"
    JOIN = "go_along_with_another"
    PART = "go_by_itself_again"
    SHIP = "be_shipped"
    SHIP_ALONG = "be_shipped_along"
    COME_BACK = "come_back_onto_the_list"
    COME_BACK_ALONG = "come_back_along"


_S, _M = OrderStanding, OrderMove
_BY_RULE = (_S.OPEN, _S.HELD_BY_A_RULE, _S.LEFT_OUT_BY_A_RULE)
_KEPT = (_S.HELD_BY_A_PERSON, _S.HELD_BY_A_RULE, _S.HELD_BY_ITS_CHANNEL, _S.LEFT_OUT_BY_A_RULE)
_BY_CHANNEL = (_S.HELD_BY_ITS_CHANNEL, _S.LEFT_OUT_BY_ITS_CHANNEL, _S.CANCELLED)

ORDER_MOVES: Machine[OrderStanding, OrderMove] = Machine(
    "the order",
    {
        _M.HOLD: ((_S.OPEN, *_KEPT), _S.HELD_BY_A_PERSON),
        _M.TAKE_BACK: ((_S.OPEN, *_KEPT), _S.OPEN),
        _M.RULE_HOLDS: (_BY_RULE, _S.HELD_BY_A_RULE),
        _M.RULE_LEAVES_OUT: (_BY_RULE, _S.LEFT_OUT_BY_A_RULE),
        _M.RULE_LETS_GO: (_BY_RULE, _S.OPEN),
        # An order that its channel kept back follows it; with any other a person takes what the channel says.
        _M.CHANNEL_HOLDS: ((_S.OPEN, *_KEPT, *_BY_CHANNEL), _S.HELD_BY_ITS_CHANNEL),
        _M.CHANNEL_LEAVES_OUT: ((_S.OPEN, *_KEPT, *_BY_CHANNEL), _S.LEFT_OUT_BY_ITS_CHANNEL),
        _M.CHANNEL_LETS_GO: (_BY_CHANNEL, _S.OPEN),
        _M.CHANNEL_CANCELS: ((_S.OPEN, *_KEPT, *_BY_CHANNEL, _S.JOINED_TO_ANOTHER), _S.CANCELLED),
        _M.JOIN: ((_S.OPEN,), _S.JOINED_TO_ANOTHER),
        _M.PART: ((_S.JOINED_TO_ANOTHER,), _S.OPEN),
        # A label that the carrier sold is sold, whatever a rule said of the order while it was being asked.
        _M.SHIP: ((_S.OPEN, *_KEPT), _S.SHIPPED),
        _M.SHIP_ALONG: ((_S.JOINED_TO_ANOTHER,), _S.SHIPPED_ALONG),
        _M.COME_BACK: ((_S.SHIPPED,), _S.OPEN),
        _M.COME_BACK_ALONG: ((_S.SHIPPED_ALONG,), _S.JOINED_TO_ANOTHER),
    },
)
