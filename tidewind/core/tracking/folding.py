"""A parcel's state is a fold over its events: in whichever order and however often they are heard, it is the same."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from tidewind.core.tracking.states import RANK, TrackingState, state_after


@dataclass(frozen=True, slots=True)
class Heard:
    """An event as a carrier told it; ``state`` None: a code that nobody has said the meaning of.

    ``takes_back`` names the event (by its ``id``) that this one, an amendment, takes back; it may be heard first.
    ``told_at`` is when it came to us: of two tellings of one event the newer counts.
    """

    at: datetime
    state: TrackingState | None
    id: str = ""
    takes_back: str = ""
    reason: str = ""
    words: str = ""
    spot: str = ""
    told_at: datetime | None = None

    @property
    def key(self) -> tuple[object, ...]:
        """What makes two tellings one event: the carrier's own id, else time, state, place and what it takes back."""
        return ("id", self.id) if self.id else (self.at, self.state, self.spot, self.takes_back)

    @property
    def rank(self) -> tuple[datetime, int, str]:
        """The order in which events count: time, then state, then id."""
        return self.at, RANK[self.state] if self.state else -1, self.id


@dataclass(frozen=True, slots=True)
class Standing:
    """Where a parcel stands: its state, since when and why, when it was last heard of, and what counts, oldest first.

    ``last`` is the last event that says where it is; None before the carrier has it.
    """

    state: TrackingState = TrackingState.ANNOUNCED
    since: datetime | None = None
    reason: str = ""
    last: Heard | None = None
    events: tuple[Heard, ...] = ()


def fold(heard: Iterable[Heard]) -> Standing:
    """Return where a parcel stands by everything that was heard of it."""
    events = in_order(heard)
    state, since, reason = TrackingState.ANNOUNCED, None, ""
    last: Heard | None = None
    for event in events:
        if event.state is None:
            continue
        after = state_after(state, event.state)
        if after is not state or since is None:
            since = event.at
        if after is not TrackingState.ANNOUNCED:
            last = event
        state, reason = after, event.reason if after is TrackingState.PROBLEM else ""
    return Standing(state, since, reason, last, tuple(events))


def in_order(heard: Iterable[Heard]) -> list[Heard]:
    """Return each event once, without those that were taken back, in the order in which they count.

    Told twice under one id, the later telling counts: a carrier that corrects the hour tells the same event again.
    """
    # Of two tellings without an id that differ in their words alone, the same one counts whichever came first.
    told = sorted(heard, key=lambda e: (_told(e), e.rank, e.takes_back, e.reason, e.words, e.spot))
    gone = {event.takes_back for event in told if event.takes_back}
    once = {event.key: event for event in told}
    left = (event for event in once.values() if not (event.id and event.id in gone))
    return sorted((event for event in left if not event.takes_back or event.state), key=lambda e: e.rank)


def _told(event: Heard) -> float:
    return event.told_at.timestamp() if event.told_at else 0.0


OVER = frozenset({TrackingState.DELIVERED, TrackingState.RETURNED})
LEAST_FAR = (
    TrackingState.LOST, TrackingState.PROBLEM, TrackingState.RETURNING, TrackingState.AWAITING_COLLECTION,
    TrackingState.ACCEPTED, TrackingState.MOVING, TrackingState.OUT_FOR_DELIVERY,
    TrackingState.RETURNED, TrackingState.DELIVERED,
)  # fmt: skip
"""Of several parcels that go together the first of these says how all stand: what needs somebody before the rest."""


def together(states: Collection[TrackingState]) -> TrackingState:
    """Return how parcels that go together stand: delivered only when all are, announced only while all are.

    A carrier that has scanned one of them has begun its work, whatever it does with the rest.
    """
    known = {state for state in states if state is not TrackingState.ANNOUNCED}
    if known and known <= OVER and len(known) < len(set(states)):
        return TrackingState.MOVING
    return next((state for state in LEAST_FAR if state in known), TrackingState.ANNOUNCED)


def how_far(states: Sequence[TrackingState]) -> str:
    """Return in words how many of several parcels have come, empty for a single one and before the first has."""
    done = sum(state is TrackingState.DELIVERED for state in states)
    return f"{done} of {len(states)} delivered" if len(states) > 1 and 0 < done < len(states) else ""
