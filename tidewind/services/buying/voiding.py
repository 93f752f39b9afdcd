"""Voiding labels: asked for at once, settled days later when the carrier answers, chased when it does not."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.ledger import refund_kind
from tidewind.core.quantities import money_text
from tidewind.core.states.labels import LABEL_MOVES, LabelMove, LabelState
from tidewind.core.states.orders import ORDER_MOVES, OrderMove
from tidewind.core.tariffs.card import RateCard
from tidewind.core.tracking.states import TrackingState
from tidewind.core.voiding import VoidRule, refund_due, void_refusal
from tidewind.db.tables import CarrierRow, Order, Shipment
from tidewind.outside.carrier import VoidAnswer
from tidewind.outside.errors import MaybeDone, OutsideError, RefusedOutside
from tidewind.services.base import (
    Conflict,
    Invalid,
    NotFound,
    Outside,
    defer,
    has_label,
    is_due,
    move_order,
    move_row,
    side_by_side,
    standing_of,
    write_history,
)
from tidewind.services.books import post
from tidewind.services.follow import cancel_returns_of, tell_of_void
from tidewind.services.handover import why_not_void
from tidewind.services.planning import carriers_in_force, plan_orders, shop_day, shop_settings
from tidewind.services.shop import boxes_of, take_packaging

MOST = 500
VOID_LOOK_AGAIN = timedelta(hours=1)
UNANSWERED = "asked, and no answer came yet"


@dataclass(slots=True)
class Voided:
    """What came of asking: the shipments whose void is asked, and those that cannot be voided, with the reason."""

    asked: list[int] = field(default_factory=list)
    refused: dict[int, str] = field(default_factory=dict)


def ask_void(session: Session, shipment_ids: Sequence[int], who: str, printed_too: bool, now: datetime) -> Voided:
    """Ask the carriers to void labels; the orders come back onto the work list with the plan they had.

    Labels that were printed are voided only with ``printed_too``: somebody must have said that they are not on a
    parcel.  Raises Conflict otherwise, naming them; Invalid for no or too many, NotFound for one that does not exist.
    """
    if not 1 <= len(shipment_ids) <= MOST:
        raise Invalid("how_many", f"Between 1 and {MOST} labels are voided at once.")
    query = select(Shipment).where(Shipment.id.in_(shipment_ids)).order_by(Shipment.id).with_for_update(of=Shipment)
    found = session.scalars(query.execution_options(populate_existing=True)).all()
    if len(found) != len(set(shipment_ids)):
        raise NotFound("unknown_shipment", "One of these labels does not exist.")
    rules = _rules(session, now)
    today = shop_day(session, now)
    done = Voided()
    good = []
    listed = why_not_void(session, shipment_ids)
    for shipment in found:
        bought_on = shop_day(session, shipment.bought_at) if shipment.bought_at else today
        reason = _refusal(shipment, bought_on, rules[shipment.carrier], today) or listed.get(shipment.id, "")
        if reason:
            done.refused[shipment.id] = reason
        else:
            good.append(shipment)
    printed = [s.order.number for s in good if any(label.printed_at for label in s.labels)]
    if printed and not printed_too:
        words = f"{', '.join(printed[:5])}{' and others' if len(printed) > 5 else ''}: printed already."
        raise Conflict("printed", f"{words} Make sure that the label is on no parcel, then say so. Nothing was voided.")
    for shipment in good:
        _ask(session, shipment, who, refund_due(today, rules[shipment.carrier]), now)
        done.asked.append(shipment.id)
    plan_orders(session, [s.order for s in good], now)
    if good:
        defer(session, "send_voids")
    return done


def _refusal(shipment: Shipment, bought_on: date, rule: VoidRule, today: date) -> str:
    states = [TrackingState(shipment.tracking_state)]
    refused = void_refusal(LabelState(shipment.state), states, bought_on, today, rule)
    return refused.detail if refused else ""


def _ask(session: Session, shipment: Shipment, who: str, due_on: date, now: datetime) -> None:
    move_row(shipment, LABEL_MOVES, LabelState, LabelMove.ASK_VOID)
    shipment.void_asked_at, shipment.void_asked_by = now, who
    shipment.void_due_on, shipment.next_try_at, shipment.next_look_at = due_on, now, None
    if shipment.payer != "elsewhere":
        post(
            session,
            "void_asked",
            shipment.price_minor,
            key=f"void_asked:{shipment.idempotency_key}",
            reason=f"Void of order {shipment.order.number} asked by {who}",
            at=now,
            shipment_id=shipment.id,
        )
    take_packaging(session, {code: -count for code, count in boxes_of([shipment]).items()})
    cancel_returns_of(session, shipment.id)
    tell_of_void(session, shipment, now)
    order = shipment.order
    if order.state == "shipped":
        move_order(order, OrderMove.COME_BACK)
        for other in session.scalars(select(Order).where(Order.joined_to == order.id, Order.state == "shipped")):
            move_order(other, OrderMove.COME_BACK_ALONG, f"goes with order {order.number}")
    write_history(session, order, who, f"asked to void the label with {shipment.service_name}", now)


def _rules(session: Session, now: datetime) -> dict[str, VoidRule]:
    """Return each carrier's rule for voids, from its card in force."""
    cards: dict[str, RateCard] = {c.code: c.own.card for c in carriers_in_force(session, shop_day(session, now))}
    codes = session.scalars(select(CarrierRow.code))
    standard = VoidRule(28, 14)
    return {
        code: VoidRule(cards[code].void_within_days, cards[code].refund_within_days) if code in cards else standard
        for code in codes
    }


def settle_due_voids(
    sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]
) -> dict[int, str]:
    """Ask the carriers about the voids that are due to be asked about; return what became of each.

    A void that has not reached the carrier is sent again; one that is pending is looked at again after an hour.
    """
    with sessions() as session:
        rows = session.execute(
            select(Shipment.id, Shipment.carrier)
            .where(Shipment.state == "void_asked", is_due(Shipment.next_try_at, clock(), VOID_LOOK_AGAIN))
            # One that was never answered goes last: it must not keep those that nobody has asked for yet waiting.
            .order_by(Shipment.void_words == UNANSWERED, Shipment.next_try_at)
            .limit(500)
        ).all()
    due = {row.id: row.carrier for row in rows}
    done = side_by_side("settle voids", due, lambda one: _settle(sessions, outside, one, clock), unheard_at_most=1)
    return {i: became for i, became in done.items() if became}


def _settle(sessions: sessionmaker[Session], outside: Outside, shipment_id: int, clock: Callable[[], datetime]) -> str:
    with sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
        carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == shipment.carrier)).one()
        key, unanswered = shipment.idempotency_key, shipment.void_words == UNANSWERED
    client = outside.carrier(carrier)
    try:
        answer = client.void_state(key) or client.void(key)
    except RefusedOutside as refusal:
        # After a request whose answer was lost a refusal may be about its repeat: what became of the first one is what
        # the carrier's record of voids says, later if not now.
        answer = client.void_state(key) or VoidAnswer("pending") if unanswered else VoidAnswer("refused", str(refusal))
    except MaybeDone:
        with sessions.begin() as session:
            locked = session.get_one(Shipment, shipment_id, with_for_update={"of": Shipment})
            if locked.state == "void_asked":
                locked.void_words = UNANSWERED
        raise
    with sessions.begin() as session:
        return _write(session, shipment_id, answer, carrier.name, clock())


def _write(session: Session, shipment_id: int, answer: VoidAnswer, carrier: str, now: datetime) -> str:
    query = select(Shipment).where(Shipment.id == shipment_id).with_for_update(of=Shipment)
    shipment = session.scalar(query.execution_options(populate_existing=True))
    if shipment is None or shipment.state != "void_asked":
        return shipment.state if shipment else "gone"
    if answer.state == "pending":
        shipment.next_try_at = now + VOID_LOOK_AGAIN
        return "pending"
    key, order = shipment.idempotency_key, shipment.order
    refunded = answer.state == "refunded"
    move_row(shipment, LABEL_MOVES, LabelState, LabelMove.REFUND if refunded else LabelMove.REFUSE_VOID)
    shipment.void_settled_at, shipment.next_try_at, shipment.void_words = now, None, answer.words[:300]
    if shipment.payer != "elsewhere":
        kind = refund_kind(shipment.payer) if refunded else "refund_refused"  # type: ignore[arg-type]
        words = "Refund" if refunded else f"{carrier} refused the refund: {answer.words}"
        post(
            session,
            kind,
            shipment.price_minor,
            key=f"{kind}:{key}",
            at=now,
            shipment_id=shipment.id,
            reason=f"{words} of order {order.number}",
        )
    if refunded:
        post(
            session,
            "premium_back",
            shipment.premium_minor,
            key=f"premium_back:{key}",
            at=now,
            shipment_id=shipment.id,
            reason=f"Order {order.number} did not go: nothing to cover",
        )
    else:
        _take_back(session, shipment, carrier, now)
    return shipment.state


def _take_back(session: Session, shipment: Shipment, carrier: str, now: datetime) -> None:
    """A refused void means that the label counts: its order goes with it, unless another was bought since.

    Whoever asked for the void has gone on to other things by then, so it stays on Today until somebody settles it.
    A label that a change of its order has overtaken counts as money alone: nothing goes with it.
    """
    order = shipment.order
    shipment.next_look_at = now
    goes = not shipment.overtaken and not has_label(session, order.id)
    if goes and ORDER_MOVES.may(standing_of(order), OrderMove.SHIP):
        move_order(order, OrderMove.SHIP)
        order.batch_id = None
        for along in session.scalars(select(Order).where(Order.joined_to == order.id, Order.state_by == "join")):
            if ORDER_MOVES.may(standing_of(along), OrderMove.SHIP_ALONG):
                move_order(along, OrderMove.SHIP_ALONG, f"went with order {order.number}")
    what = f"{order.number} goes out with it" if goes else "nothing goes out with it"
    shipment.unsettled = f"{carrier} refused to void it: {shipment.void_words}. The label is charged; {what}."[:300]
    write_history(session, order, carrier, f"refused the void: {shipment.void_words}", now)


def waiting_refunds(session: Session, now: datetime) -> tuple[Sequence[Shipment], Sequence[Shipment]]:
    """Return the voids that wait for their refund, oldest first: those in time, and those overdue."""
    query = select(Shipment).where(Shipment.state == "void_asked").order_by(Shipment.void_due_on, Shipment.id)
    found = session.scalars(query).all()
    today = shop_day(session, now)
    late = [s for s in found if s.void_due_on and s.void_due_on < today]
    return [s for s in found if s not in late], late


def chase_refund(
    session: Session, outside: Outside, shipment_id: int, mail_to: str, who: str, now: datetime
) -> Shipment:
    """Press the carrier about an overdue refund, by mail with all facts filled in; it stands on the order's record.

    Raises Conflict where nothing is overdue, NotFound for an unknown label.
    """
    shipment = session.scalar(select(Shipment).where(Shipment.id == shipment_id).with_for_update(of=Shipment))
    if shipment is None:
        raise NotFound("unknown_shipment", "This label does not exist.")
    late = waiting_refunds(session, now)[1]
    if shipment not in late:
        raise Conflict("not_overdue", "This refund is not overdue, or it has come.")
    shop = shop_settings(session)
    carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == shipment.carrier)).one()
    numbers = ", ".join(label.tracking_number or "" for label in shipment.labels)
    body = (
        f"Account {shipment.account}\nLabel {numbers}, {shipment.service_name}\n"
        f"Bought {shipment.bought_at:%d %B %Y}, void asked {shipment.void_asked_at:%d %B %Y}\n"
        f"Refund due by {shipment.void_due_on:%d %B %Y}: {money_text(shipment.price_minor, shop.currency)}\n\n"
        f"Please tell us when it will come.\n\n{shop.name}\n"
    )
    try:
        outside.mailer.send(shop.brand, shop.mail_from, mail_to, f"Refund overdue for label {numbers}", body)
    except OutsideError as error:
        raise Conflict("mail_down", f"The mail could not be sent: {error}. Try again in a while.") from error
    shipment.chased_at, shipment.next_try_at = now, now
    write_history(session, shipment.order, who, f"chased {carrier.name} about the refund", now)
    return shipment
