"""The driver's count: parcels scanned out against what belongs to the departure, and the handing over itself."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from sqlalchemy import func, or_, select, update
from sqlalchemy.orm import Session

from tidewind.core.scanned import forms_of, order_of_slip
from tidewind.core.states.departures import DEPARTURE_MOVES, DepartureMove, DepartureState
from tidewind.core.states.labels import LabelState
from tidewind.core.tracking.states import TrackingState
from tidewind.db.tables import Departure, Label, Order, Shipment
from tidewind.services.base import Conflict, Invalid, move_row, write_history
from tidewind.services.handover.departures import DepartureKey, lock_departure
from tidewind.services.handover.leaving import Moved, goes, labels_in, stays_behind
from tidewind.services.handover.pickups import standing_manifest
from tidewind.services.handover.stopped import LIES, MAY_GO, Stopped, said_of, stopped_in
from tidewind.services.planning import changes_upstream

Verdict = Literal["right", "twice", "not_listed", "other_truck", "gone", "not_to_go", "unknown"]
LONGEST_SIGNATURE = 60_000


@dataclass(frozen=True, slots=True)
class Counted:
    """What a scan at the truck meant, in a word and in a sentence, and how far the count has come.

    ``decide_order_id`` is the order that somebody must decide about before its parcel goes.
    """

    verdict: Verdict
    words: str
    order_number: str
    counted: int
    of: int
    decide_order_id: int | None = None


def count_out(session: Session, key: DepartureKey, code: str, now: datetime) -> Counted:
    """Count a scanned parcel out for the driver; what is wrong with it is said at once and not counted."""
    departure = lock_departure(session, key, now)
    label, shipment = _scanned(session, code, departure.id)
    verdict, words = _verdict(session, departure, label, shipment, code, now)
    if verdict == "right" and label is not None:
        label.counted_at = now
        session.flush()
    counted, of = counted_so_far(session, departure.id)
    # A label that does not travel is nobody's to decide; one that does must not go for what its channel changed.
    asks = shipment is not None and verdict == "not_to_go" and not _void(shipment)
    number, order_id = (shipment.order.number, shipment.order_id) if shipment else ("", None)
    return Counted(verdict, words, number, counted, of, order_id if asks else None)


def counted_so_far(session: Session, departure_id: int) -> tuple[int, int]:
    """Return how many of the parcels that lie at a departure are counted out, and of how many."""
    query = (
        select(func.count(Label.counted_at), func.count(Label.id))
        .join(Shipment, Shipment.id == Label.shipment_id)
        .where(Label.departure_id == departure_id, LIES)
    )
    counted, of = session.execute(query).one()
    return counted, of


def _scanned(session: Session, code: str, departure_id: int) -> tuple[Label | None, Shipment | None]:
    """Return the label that a code means: by its own number, or by its order's."""
    forms = forms_of(code)
    label = session.scalar(select(Label).where(Label.tracking_number.in_(forms)).with_for_update())
    if label is None and forms:
        of_order = (
            select(Label)
            .join(Shipment, Shipment.id == Label.shipment_id)
            .join(Order, Order.id == Shipment.order_id)
            .where(or_(Order.number.in_(forms), Order.id == order_of_slip(forms)))
            .where(Shipment.state.in_(LabelState.TRAVELS))
            # Those of this truck that are not counted yet come first.
            .order_by(Label.departure_id != departure_id, Label.counted_at.is_not(None), Label.id)
            .with_for_update(of=Label)
        )
        label = session.scalars(of_order.limit(1)).first()
    return label, session.get(Shipment, label.shipment_id) if label else None


def _verdict(
    session: Session, departure: Departure, label: Label | None, shipment: Shipment | None, code: str, now: datetime
) -> tuple[Verdict, str]:
    if label is None or shipment is None:
        return "unknown", f"{code.strip()[:40]} is no label and no order of ours"
    if _several(session, code):
        return "unknown", f"orders of two channels have the number {code.strip()[:40]}: scan the label itself"
    if why := _void(shipment):
        return "not_to_go", why
    if label.handed_over_at is not None:
        return "gone", f"it was handed over on {label.handed_over_at:%-d %B}"
    if label.departure_id != departure.id:
        return _with_another(session, departure, label, shipment, now)
    manifest = standing_manifest(session, departure.id)
    if manifest is not None and label.id not in {line["label_id"] for line in manifest.lines}:
        return "not_listed", f"it is not on manifest {manifest.number}"
    change = changes_upstream(session, [shipment.order_id]).get(shipment.order_id)
    if change is not None and change.stops:
        return "not_to_go", f"{change.words}; somebody must decide first"
    if label.counted_at is not None:
        return "twice", "it was counted already"
    return "right", shipment.service_name


def _void(shipment: Shipment) -> str:
    """Return why nothing goes with a label at all; nothing where it is good."""
    if shipment.state not in LabelState.TRAVELS:
        return f"this label is {shipment.state.replace('_', ' ')}: the parcel must not go"
    if shipment.overtaken:
        return "its order was changed after this label was bought; the parcel must not go with it"
    return ""


def _with_another(
    session: Session, departure: Departure, label: Label, shipment: Shipment, now: datetime
) -> tuple[Verdict, str]:
    other = session.get_one(Departure, label.departure_id)
    if (other.carrier, other.network) != (departure.carrier, departure.network):
        return "other_truck", f"it goes with {shipment.service_name}, another truck"
    if departure.recount and other.state == DepartureState.OPEN and other.day > departure.day:
        # Written down as left behind, and gone all the same: that is what its count was opened again for.
        label.departure_id = departure.id
        write_history(session, shipment.order, "Departures", f"went on {departure.day:%-d %B} after all", now)
        return "right", f"it went with this one after all, not on {other.day:%-d %B}"
    return "not_listed", f"it goes on {other.day:%-d %B}, not with this truck"


def _several(session: Session, code: str) -> bool:
    """Tell whether a code is the number of several orders whose labels could go: then it says nothing of a parcel."""
    goes = (MAY_GO, Label.handed_over_at.is_(None))
    query = select(func.count(Order.id.distinct())).join(Shipment, Shipment.order_id == Order.id).join(Label)
    return (session.scalar(query.where(Order.number.in_(forms_of(code)), *goes)) or 0) > 1


def take_count_back(session: Session, key: DepartureKey, code: str, now: datetime) -> Counted:
    """Take a parcel out of the driver's count again: the one that is scanned, or without a code the one counted last.

    Raises Conflict where it has gone, or nothing is counted.
    """
    departure = lock_departure(session, key, now)
    if departure.state == DepartureState.HANDED_OVER:
        raise Conflict("handed_over", "It has been handed over. The owner can open its count again.")
    if code.strip():
        label, _ = _scanned(session, code, departure.id)
    else:
        counted_here = Label.departure_id == departure.id, Label.counted_at.is_not(None), LIES
        last = select(Label).join(Shipment).where(*counted_here).order_by(Label.counted_at.desc(), Label.id.desc())
        label = session.scalars(last.limit(1).with_for_update(of=Label)).first()
    if label is None or label.departure_id != departure.id or label.counted_at is None or label.handed_over_at:
        raise Conflict("not_counted", "That parcel is not counted out here.")
    label.counted_at = None
    session.flush()
    counted, of = counted_so_far(session, departure.id)
    shipment = session.get_one(Shipment, label.shipment_id)
    return Counted("right", "it is not counted any more", shipment.order.number, counted, of)


def open_count_again(session: Session, key: DepartureKey, why: str, who: str, now: datetime) -> Departure:
    """Open the count of a departure that was handed over, because what the driver took was not what was written.

    Its list stays as it is, and so does the refusal of voids: whether a parcel went is what is looked into.  Its labels
    lie there again, all counted out, until it is handed over once more.  Raises Conflict where it was not handed over,
    Invalid without a reason.
    """
    departure = lock_departure(session, key, now)
    if departure.state != DepartureState.HANDED_OVER:
        raise Conflict("not_handed_over", "It has not been handed over, so its count is open.")
    if not why.strip():
        raise Invalid("no_reason", "Say why the count is opened again; it stands with the departure.")
    move_row(departure, DEPARTURE_MOVES, DepartureState, DepartureMove.RECOUNT)
    departure.recount = f"{who}: {why.strip()}"[:300]
    session.execute(
        update(Label)
        .where(Label.departure_id == departure.id, Label.tracking_state == TrackingState.ANNOUNCED)
        .values(counted_at=func.coalesce(Label.counted_at, Label.handed_over_at), handed_over_at=None)
        .execution_options(synchronize_session="fetch")
    )
    return departure


@dataclass(frozen=True, slots=True)
class HandedOver:
    """How a handing over went: how many parcels went, and what became of those that stay for the next departure."""

    departure: Departure
    parcels: int
    left: list[Moved]


def hand_over(
    session: Session, key: DepartureKey, number: int | None, driver: str, signature: str, who: str, now: datetime
) -> HandedOver:
    """Hand a departure over: what the driver took goes, what stayed falls to the next one, and its record says so.

    ``number`` is how many the driver signs for.  It must be what was counted out or all that lies there: both counts
    stand.  Without a number everything must be counted.  Raises Conflict where it went already, nothing lies there, or
    the counts do not say how many went; Invalid for a signature that is none.
    """
    departure = lock_departure(session, key, now)
    if departure.state == DepartureState.HANDED_OVER:
        raise Conflict("handed_over", "It has been handed over already.")
    if len(signature) > LONGEST_SIGNATURE or (signature and not set(signature) <= set("ML0123456789. ")):
        raise Invalid("signature", "The signature is no drawing. Draw it again, or leave it out.")
    labels = labels_in(session, departure.id)
    if not labels:
        raise Conflict("nothing_there", "Nothing lies there to be handed over.")
    counted = sum(label.counted_at is not None for label in labels)
    _agreed(counted, len(labels), number)
    all_go = number == len(labels)
    _none_stopped(stopped_in(session, labels), all_go=all_go)
    left = [] if all_go else [label.id for label in labels if label.counted_at is None]
    departure.signature = signature
    moved = stays_behind(session, departure, left, "left on the pile", now) if left else []
    session.flush()  # what stays is out of it before the rest goes
    goes(session, departure, driver, who, now)
    return HandedOver(departure, len(labels) - len(left), moved)


def _agreed(counted: int, lying: int, number: int | None) -> None:
    """Raise Conflict where the parcels counted out and the driver's number leave open how many went."""
    if (number is None and counted == lying) or (number in {counted, lying} and number):
        return
    if number is None and counted:
        raise Conflict("which", f"{counted} of {lying} parcels are counted. Did the driver take {lying} or {counted}?")
    if counted:
        words = f"The driver signs for {number}, {counted} are counted and {lying} lie there"
        raise Conflict("count", f"{words}. Scan the others out, or write what went.")
    said = "nothing" if number is None else str(number)
    words = f"{lying} parcels are to go and {said} was counted. Scan them out, so that we know which are not."
    raise Conflict("count", words)


def _none_stopped(stopped: Sequence[Stopped], *, all_go: bool) -> None:
    on_board = [one for one in stopped if all_go or any(label.counted_at for label in one.labels)]
    if not on_board:
        return
    scanned = any(label.counted_at for one in on_board for label in one.labels)
    what = "Take it off the truck, or decide that it goes." if scanned else "Scan the others out, or decide about it."
    raise Conflict("changed", f"{said_of(on_board)} {what}")
