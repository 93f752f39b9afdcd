"""Labels for the way back: made at once, put in the box or mailed, charged when the carrier first scans them."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.check import tidy
from tidewind.core.ledger import later_kind
from tidewind.core.scanned import forms_of
from tidewind.core.states.labels import LabelState
from tidewind.core.states.returns import RETURN_MOVES, ReturnMove, ReturnState
from tidewind.core.tracking.states import TrackingState
from tidewind.db.tables import CarrierRow, Message, Return, Shipment
from tidewind.outside.carrier import CarrierEvent, SoldReturn
from tidewind.outside.errors import NotBelieved, RefusedOutside
from tidewind.services.base import (
    Conflict,
    Invalid,
    NotFound,
    Outside,
    defer,
    move_row,
    side_by_side,
    write_history,
)
from tidewind.services.books import lock_available, post
from tidewind.services.follow.announcing import Occasion, announce
from tidewind.services.follow.telling import tell_of_refund
from tidewind.services.follow.texts import language_of, money_in, said_in
from tidewind.services.follow.wording import words_by_channel
from tidewind.services.planning import carriers_in_force, shop_day, shop_settings

SETTLES = timedelta(days=45)
"""So long a carrier may take to say that it carried what is here already (shop policy)."""
RETURN_OUTCOMES = ("refunded", "exchanged", "repaired", "sent on again", "nothing to do")


@dataclass(frozen=True, slots=True)
class ReturnRequest:
    """A label for the way back: in the box with the goods or mailed to the buyer, and why."""

    shipment_id: int
    in_box: bool
    reason: str = ""


def ask_return(session: Session, wish: ReturnRequest, who: str, now: datetime) -> Return:
    """Write the wish and queue it.

    Raises Conflict where the shipment is not bought, its service has no way back, one exists already, or there is
    nobody to mail it to.
    """
    shipment = session.scalar(select(Shipment).where(Shipment.id == wish.shipment_id).with_for_update(of=Shipment))
    if shipment is None:
        raise NotFound("unknown_shipment", "This label does not exist.")
    if shipment.state not in LabelState.TRAVELS:
        raise Conflict(
            "not_bought", f"The label for order {shipment.order.number} is not bought; nothing can come back."
        )
    if not takes_returns(session, shipment, now):
        raise Conflict("no_returns", f"{shipment.service_name} has no labels for the way back.")
    if not wish.in_box and not shipment.address.email:
        raise Conflict("no_mail", "The buyer has no mail address. Print the label and put it in the box.")
    made = Return(
        shipment_id=shipment.id,
        shipment=shipment,
        idempotency_key=secrets.token_hex(16),
        in_box=wish.in_box,
        reason=tidy(wish.reason)[:200],
        price_minor=shipment.price_minor,
        asked_by=who,
        asked_at=now,
    )
    session.add(made)
    try:
        session.flush()
    except IntegrityError as error:
        words = "There is a label for the way back already; one that was not made is asked for again under Returns."
        raise Conflict("has_return", words) from error
    write_history(session, shipment.order, who, "asked for a label for the way back", now)
    defer(session, "make_returns")
    return made


def ask_again(session: Session, return_id: int, who: str, now: datetime) -> Return:
    """Ask once more for a label that its carrier would not make.  Raises NotFound, Conflict for any other."""
    row = _locked(session, return_id)
    if row.state != ReturnState.FAILED:
        raise Conflict("not_failed", f"This return is {row.state.replace('_', ' ')}.")
    move_row(row, RETURN_MOVES, ReturnState, ReturnMove.AGAIN)
    # The carrier has answered the old key with a refusal and would repeat it.
    row.idempotency_key, row.failure = secrets.token_hex(16), ""
    write_history(session, row.shipment.order, who, "asked again for a label for the way back", now)
    defer(session, "make_returns")
    return row


def takes_returns(session: Session, shipment: Shipment, now: datetime) -> bool:
    """Tell whether a shipment's service has labels for the way back, by its carrier's card."""
    today = shop_day(session, now)
    for carrier in carriers_in_force(session, today):
        if carrier.code == shipment.carrier:
            return any(s.code == shipment.service and s.returns for s in carrier.own.card.services)
    return False


def cancel_returns_of(session: Session, shipment_id: int) -> None:
    """Cancel a label for the way back that was never used, since its way out is voided."""
    session.execute(
        update(Return)
        .where(Return.shipment_id == shipment_id, Return.state.in_(ReturnState.UNUSED))
        .values(state=ReturnState.CANCELLED.value, outcome="the label for the way out was voided")
    )


def make_due_returns(
    sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]
) -> dict[int, str]:
    """Ask the carriers for the labels that are wished; return what became of each. Safe to repeat."""
    with sessions() as session:
        query = select(Return.id, Shipment.carrier).join(Shipment, Shipment.id == Return.shipment_id)
        due = {row.id: row.carrier for row in session.execute(query.where(Return.state == "making").limit(500))}
    # Who does not answer is asked again next time: the carrier honours the key.
    due = dict(sorted(due.items()))
    return side_by_side("make returns", due, lambda one: _make(sessions, outside, one, clock), left="making")


def _make(sessions: sessionmaker[Session], outside: Outside, return_id: int, clock: Callable[[], datetime]) -> str:
    with sessions() as session:
        wished = session.get_one(Return, return_id)
        shipment = wished.shipment
        carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == shipment.carrier)).one()
        keys = (shipment.idempotency_key, wished.idempotency_key, shipment.service)
    answer: SoldReturn | str
    try:
        answer = outside.carrier(carrier).make_return(*keys)
    except RefusedOutside as refusal:
        answer = f"{carrier.name}: {refusal}"
    except NotBelieved as error:
        answer = f"{carrier.name} gave an answer that cannot be true: {error}. Ask for another label"
    with sessions.begin() as session:
        row = _locked(session, return_id)
        if row.state != "making":
            return row.state
        if isinstance(answer, str):
            move_row(row, RETURN_MOVES, ReturnState, ReturnMove.FAIL)
            row.failure = answer[:300]
            said = f"no label for the way back: {answer}"[:300]
            write_history(session, row.shipment.order, row.shipment.carrier, said, clock())
        else:
            move_row(row, RETURN_MOVES, ReturnState, ReturnMove.MADE)
            row.price_minor = answer.price_minor
            row.tracking_number, row.routing = answer.parcel.tracking_number[:40], answer.parcel.routing[:40]
            if not row.in_box:
                _mail(session, row, clock())
        return row.state


def _locked(session: Session, return_id: int) -> Return:
    row = session.scalar(
        select(Return)
        .where(Return.id == return_id)
        .with_for_update(of=Return)
        .execution_options(populate_existing=True)
    )
    if row is None:
        raise NotFound("unknown_return", "This return does not exist.")
    return row


def _mail(session: Session, row: Return, now: datetime) -> None:
    shipment = row.shipment
    brand = shipment.order.channel.brand or shop_settings(session).brand
    language = words_by_channel(session)[shipment.order.channel_id].language or language_of(shipment.address.country)
    costs = money_in(row.price_minor, shop_settings(session).currency, language)
    paid = said_in("back_pays", language, price=costs) if row.buyer_pays else said_in("back_free", language)
    session.add(
        Message(
            shipment_id=shipment.id,
            kind=f"return:{row.id}",
            recipient=shipment.address.email,
            attach="return_label",
            subject=said_in("back_mail", language, order=shipment.order.number)[:200],
            body=f"{said_in('back_stick', language)}\n{paid}\n\n{brand}\n",
            language=language,
            reason="a label for the way back was asked for",
            next_at=now,
        )
    )
    defer(session, "send_followups", lock="send_followups")


def follow_returns(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Ask the carriers about the labels that are out; return how many were first used.

    What was taken in before its carrier had scanned it is asked about for some weeks more: its price is still to come.
    """
    unsettled = Return.state.in_(("back", "closed")) & Return.used_at.is_(None) & (Return.back_at > clock() - SETTLES)
    with sessions() as session:
        rows = session.scalars(
            select(Return).where(Return.state.in_(ReturnState.FOLLOWED) | unsettled).order_by(Return.id).limit(500)
        ).all()
        accounts = {a.code: a for a in session.scalars(select(CarrierRow))}
        asked = {row.id: (accounts[row.shipment.carrier], row.tracking_number or "") for row in rows}

    def follow(return_id: int) -> bool:
        carrier, number = asked[return_id]
        try:
            events = outside.carrier(carrier).events(number)
        except RefusedOutside:
            return False  # looked at again next time
        with sessions.begin() as session:
            return _write_events(session, return_id, events, clock())

    due = {return_id: carrier.code for return_id, (carrier, _) in asked.items()}
    return sum(side_by_side("follow returns", due, follow).values())


def _write_events(session: Session, return_id: int, events: Sequence[CarrierEvent], now: datetime) -> bool:
    row = _locked(session, return_id)
    scanned = [e for e in events if e.state not in {None, TrackingState.ANNOUNCED}]
    first_use = bool(scanned) and row.used_at is None
    if first_use:
        if row.state == ReturnState.READY:
            move_row(row, RETURN_MOVES, ReturnState, ReturnMove.SCANNED)
        row.used_at = scanned[0].at
        shipment = row.shipment
        payer = "balance" if shipment.payer == "elsewhere" else shipment.payer
        kind = later_kind("return_used", payer, row.price_minor, lock_available(session))  # type: ignore[arg-type]
        post(
            session,
            kind,
            row.price_minor,
            key=f"return:{row.idempotency_key}",
            at=now,
            shipment_id=shipment.id,
            reason=f"Way back of order {shipment.order.number}, first scanned {scanned[0].at:%d %B}",
        )
    if row.state == "on_its_way" and any(e.state is TrackingState.DELIVERED for e in events):
        move_row(row, RETURN_MOVES, ReturnState, ReturnMove.ARRIVE)
        row.back_at = now
    return first_use


@dataclass(frozen=True, slots=True)
class ReturnDone:
    """What was done about a return, in which condition the goods came, and whether they go back on the shelf."""

    outcome: str
    condition: str = ""
    restock: bool = False

    def words(self) -> str:
        """Return it as it stands in the list."""
        shelf = "back on the shelf" if self.restock else "written off"
        return "; ".join([self.outcome, *([f"{self.condition}, {shelf}"] if self.condition else [])])


def receive_return(session: Session, number: str, who: str, now: datetime) -> Return:
    """Take in what came back, by the number on its label in any form of its code.

    Goods in hand are back, whether their carrier has scanned them or not; what it charges is settled when it says so.
    Raises NotFound for a number that is none of ours, Conflict where it is closed.
    """
    forms = forms_of(number)
    found = session.scalar(select(Return.id).where(Return.tracking_number.in_(forms)))
    if found is None:
        raise NotFound("unknown_return", f"{number.strip()[:40]} is no number of a label for the way back.")
    row = _locked(session, found)
    if row.state not in {ReturnState.READY, ReturnState.ON_ITS_WAY, ReturnState.BACK}:
        raise Conflict("not_open", f"This return is {row.state.replace('_', ' ')}.")
    if row.state != ReturnState.BACK:
        unscanned = row.state == ReturnState.READY
        move_row(row, RETURN_MOVES, ReturnState, ReturnMove.ARRIVE)
        row.back_at = now
        words = "took in what came back" + (", before its carrier has scanned it" if unscanned else "")
        write_history(session, row.shipment.order, who, words, now)
    return row


def photo_of_return(session: Session, return_id: int) -> bytes:
    """Return the picture that a buyer sent with a return.  Raises NotFound."""
    found = session.scalar(select(Return.photo).where(Return.id == return_id))
    if found is None:
        raise NotFound("no_photo", "There is no picture of this return.")
    return bytes(found)


def has_photo(session: Session, return_id: int) -> bool:
    """Tell whether a buyer sent a picture with a return."""
    return bool(session.scalar(select(Return.photo.is_not(None)).where(Return.id == return_id)))


def close_return(session: Session, return_id: int, done: ReturnDone, who: str, base_url: str, now: datetime) -> Return:
    """Close a return with what was done about it, also one that never came or was never made.  A refund is told.

    Raises Invalid for an unknown outcome, Conflict where it is closed already.
    """
    if done.outcome not in RETURN_OUTCOMES:
        raise Invalid("outcome", f"Say one of: {', '.join(RETURN_OUTCOMES)}.")
    row = _locked(session, return_id)
    if row.state not in {"ready", "on_its_way", "back", "failed"}:
        raise Conflict("not_open", f"This return is {row.state.replace('_', ' ')}.")
    never_used = row.state in {ReturnState.READY, ReturnState.FAILED}
    move_row(row, RETURN_MOVES, ReturnState, ReturnMove.CANCEL if never_used else ReturnMove.CLOSE)
    row.outcome, row.restocked = done.words(), done.restock
    write_history(session, row.shipment.order, who, f"closed the return: {row.outcome}", now)
    if done.outcome == "refunded":
        announce(session, [Occasion(row.shipment, "refund", now)], base_url, now)
        tell_of_refund(session, row.shipment, now)
    return row


def all_returns(session: Session, limit: int = 300) -> Sequence[Return]:
    """Return the newest returns, the open ones first."""
    query = select(Return).order_by(Return.state.in_(ReturnState.OVER), Return.id.desc())
    return session.scalars(query.limit(limit)).all()
