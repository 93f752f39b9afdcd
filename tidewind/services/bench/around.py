"""What a bench has beside the order on it: parcels set aside, what its printer lacks, what a channel has changed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import BigInteger, bindparam, case, cast, exists, func, or_, select
from sqlalchemy.orm import Session

from tidewind.core.channel_changes import ChannelChange
from tidewind.core.states.prints import PrintState
from tidewind.db.engine import ByDriver, ask_together
from tidewind.db.tables import Bench, Order, Packing, PrintJob
from tidewind.services.planning import read_changes, waiting_changes

MOST_ASIDE = 12
AsideKind = Literal["waits", "come", "refused"]
_KINDS: dict[str, AsideKind] = {"buying": "waits", "packed": "come", "left": "refused"}


@dataclass(frozen=True, slots=True)
class Aside:
    """A packed parcel that was laid aside with its slip: its label is awaited, has come, or was refused (``words``).

    ``printed`` tells whether a label that has come is on paper.
    """

    packing_id: int
    order_id: int
    number: str
    kind: AsideKind
    words: str
    printed: bool


@dataclass(frozen=True, slots=True)
class Around:
    """Parcels set aside here, the oldest first; what the printer says of labels that wait; the open order's change."""

    asides: tuple[Aside, ...] = ()
    printer: str = ""
    change: ChannelChange | None = None

    def aside_of(self, order_id: int | None) -> Aside | None:
        """Return the parcel of an order that lies aside here."""
        return next((one for one in self.asides if one.order_id == order_id), None)


_HERE = Bench.name == bindparam("name")
# A print that a bench asked for has the packing's number in its key (``finishing``); people's keys may look alike.
_KEY = PrintJob.client_key
_NUMBER = case((_KEY.regexp_match("^pack-[0-9]{1,15}(-|$)"), func.split_part(_KEY, "-", 2)), else_="0")
_PRINT_OF = cast(_NUMBER, BigInteger)
# One by one: a list of any length is put together anew at each call.
_NOT_ON_PAPER = or_(*(PrintJob.state == s.value for s in (PrintState.WAITING, PrintState.TAKEN, PrintState.IN_DOUBT)))
_LIES = or_(*(Packing.state == state for state in _KINDS))
_waits = exists().where(Packing.id == _PRINT_OF, _NOT_ON_PAPER)
_ASIDES = ByDriver(
    select(Packing.id, Packing.order_id, Packing.facts["number"].astext, Packing.state, Packing.words, ~_waits)
    .join(Bench, Bench.id == Packing.bench_id)
    .where(_HERE, Packing.aside, _LIES, Packing.id.is_distinct_from(Bench.packing_id))
    .order_by(Packing.id)
    .limit(MOST_ASIDE)
)
_PRINTER = ByDriver(
    select(PrintJob.last_error, func.count())
    .join(Packing, Packing.id == _PRINT_OF)
    .join(Bench, Bench.id == Packing.bench_id)
    .where(_HERE, _NOT_ON_PAPER, PrintJob.last_error != "")
    .group_by(PrintJob.last_error)
    .order_by(func.max(PrintJob.id).desc())
    .limit(1)
)
_open = select(Packing.order_id).join(Bench, Bench.packing_id == Packing.id).where(_HERE).scalar_subquery()
_CHANGE = ByDriver(waiting_changes(or_(Order.id == _open, Order.joined_to == _open)))
AROUND = _ASIDES, _PRINTER, _CHANGE
"""What is asked of a bench by its ``name``, together."""


def around_of(rows: Sequence[list[tuple[Any, ...]]], order_id: int | None) -> Around:
    """Return what the rows of ``AROUND`` say; ``order_id`` is the order that is open."""
    asides, printer, changes = rows
    words = ""
    if printer:
        error, count = printer[0]
        wait = "1 label of this bench waits" if count == 1 else f"{count} labels of this bench wait"
        words = f"{error.rstrip('.')}. {wait}"
    return Around(
        tuple(Aside(i, of, number, _KINDS[state], said, on_paper) for i, of, number, state, said, on_paper in asides),
        words,
        read_changes(changes).get(order_id) if order_id is not None else None,
    )


def read_around(session: Session, name: str, order_id: int | None) -> Around:
    """Return what a bench has beside the order on it."""
    return around_of(ask_together(session.connection(), {"name": name}, *AROUND), order_id)
