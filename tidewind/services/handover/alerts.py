"""What threatens the day beside the orders: money running low, refunds overdue, mails and prints that do not go."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from tidewind.core.states.pickups import PickupState
from tidewind.db.tables import (
    CarrierAccount,
    CarrierRow,
    Departure,
    Label,
    LabelRequest,
    Message,
    NumberRangeRow,
    PackagingRow,
    Pickup,
    PrintJob,
    Return,
    Shipment,
)
from tidewind.services.handover.stopped import LIES
from tidewind.services.planning import shop_day, shop_settings


def unsettled(session: Session) -> Sequence[Shipment]:
    """Return the labels with a disputed charge, until somebody settles each.

    They were sold after we had given up and are not taken back, or their void was refused.
    """
    return session.scalars(select(Shipment).where(Shipment.unsettled != "").order_by(Shipment.asked_at)).all()


def low_balance(session: Session, available_minor: int, to_buy: Mapping[str, int]) -> bool:
    """Tell whether the balance does not reach for the day's labels by carrier, or falls below what the owner set.

    Carriers that bill by account do not count; where all of them do, no balance is needed.
    """
    paid = select(CarrierRow.code).join(CarrierAccount).where(CarrierRow.active, CarrierAccount.active)
    from_balance = set(session.scalars(paid.where(CarrierAccount.payer == "balance")))
    needed = sum(amount for carrier, amount in to_buy.items() if carrier in from_balance)
    return bool(from_balance) and available_minor < max(needed, shop_settings(session).low_balance_minor)


def _few_numbers() -> Select[int]:
    """Return the carriers in use whose ranges have only so many numbers left as their last one warns at."""
    left = func.sum(NumberRangeRow.last + 1 - NumberRangeRow.next)
    mine = select(NumberRangeRow.carrier_id).join(CarrierRow, CarrierRow.id == NumberRangeRow.carrier_id)
    few = left <= func.max(NumberRangeRow.warn_at)
    return mine.where(CarrierRow.active).group_by(NumberRangeRow.carrier_id).having(few)


def _too_small(today: date) -> Select[int]:
    """Return the vans that are booked for fewer parcels than lie ready for them."""
    return (
        select(Pickup.id)
        .join(Departure, Departure.id == Pickup.departure_id)
        .join(Label, Label.departure_id == Departure.id)
        .join(Shipment, Shipment.id == Label.shipment_id)
        .where(Pickup.state == PickupState.BOOKED, Departure.day >= today, LIES)
        .group_by(Pickup.id)
        .having(func.count(Label.id) > Pickup.parcels)
    )


def alert_counts(session: Session, now: datetime) -> dict[str, int]:
    """Return how many of each thing wait for somebody: messages, refunds, returns, requests, prints."""
    today = shop_day(session, now)
    asked = {
        "undelivered_messages": select(func.count(Message.id)).where(
            Message.sent_at.is_(None), Message.attempts > 0, Message.not_sent == ""
        ),
        "messages_held": select(func.count(Message.id)).where(
            Message.sent_at.is_(None), Message.hold == "held", Message.not_sent == ""
        ),
        "refunds_overdue": select(func.count(Shipment.id)).where(
            Shipment.state == "void_asked", Shipment.void_due_on < today
        ),
        "returns_back": select(func.count(Return.id)).where(Return.state == "back"),
        "returns_not_made": select(func.count(Return.id)).where(Return.state == "failed"),
        "requests_waiting": select(func.count(LabelRequest.id)).where(LabelRequest.state == "asked"),
        "numbers_low": select(func.count(NumberRangeRow.carrier_id.distinct())).where(
            NumberRangeRow.carrier_id.in_(_few_numbers())
        ),
        "pickups_missed": select(func.count(Pickup.id)).where(Pickup.state == "missed", Pickup.settled_at.is_(None)),
        "vans_too_small": select(func.count()).select_from(_too_small(today).subquery()),
        "packaging_low": select(func.count(PackagingRow.id)).where(
            PackagingRow.active, PackagingRow.stock <= PackagingRow.low_at
        ),
        "prints_stuck": select(func.count(PrintJob.id)).where(PrintJob.state == "waiting", PrintJob.attempts > 0),
    }
    return {name: session.scalar(query) or 0 for name, query in asked.items()}
