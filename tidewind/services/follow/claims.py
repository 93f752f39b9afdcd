"""Claims for what was lost or damaged: papers gathered, sent by mail before the deadline, followed, money booked."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from functools import partial
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from tidewind.core.addresses.mail import is_mail_address
from tidewind.core.claiming import ClaimKind, claim_by, claimed, share_of_price
from tidewind.core.order_facts import at_same_rate
from tidewind.core.states.claims import CLAIM_MOVES, ClaimMove, ClaimState
from tidewind.core.states.labels import LabelState
from tidewind.core.tracking.states import TrackingState
from tidewind.db.tables import CarrierRow, Claim, Departure, Label, Order, OrderLine, Packing, Photo, Shipment
from tidewind.outside.errors import OutsideError
from tidewind.outside.mailer import Paper
from tidewind.services.base import Conflict, Invalid, NotFound, Outside, move_row, write_history
from tidewind.services.books import post
from tidewind.services.follow.letters import (
    carriers_language,
    in_both,
    line_in,
    where_to,
    written_day,
    written_instant,
)
from tidewind.services.follow.parcels import events_of
from tidewind.services.follow.texts import money_in
from tidewind.services.papers import print_labels
from tidewind.services.planning import shop_day, shop_settings

MOST_SHOWN = 300
MOST_SCANS = 12


def open_claim(session: Session, shipment_id: int, kind: ClaimKind, who: str, now: datetime) -> Claim:
    """Open a claim: what is asked for and until when.

    Raises NotFound, Conflict where nothing was sent, it was delivered and is said to be lost, or one is open already.
    """
    shipment = session.get(Shipment, shipment_id, with_for_update={"of": Shipment})
    if shipment is None:
        raise NotFound("unknown_shipment", "There is no such shipment.")
    if shipment.state not in LabelState.TRAVELS or shipment.tracking_state == TrackingState.ANNOUNCED:
        raise Conflict("not_sent", "Nothing can be claimed for a parcel that no carrier has taken over.")
    if kind == "lost" and shipment.tracking_state in {TrackingState.DELIVERED, TrackingState.RETURNED}:
        raise Conflict("not_lost", "It is not lost: its carrier says that it was delivered.")
    own = session.scalar(select(CarrierRow.claim_days).where(CarrierRow.code == shipment.carrier))
    concerned = _concerned(shipment, kind)
    goods = [(pieces, _worth(line, shipment.order)) for pieces, line in _held(session, concerned)]
    amount = claimed(goods, share_of_price(shipment.price_minor, len(concerned), len(shipment.labels)))
    row = Claim(
        shipment_id=shipment.id,
        kind=kind,
        amount_minor=max(amount, 1),
        label_ids=[label.id for label in concerned],
        opened_by=who,
        opened_at=now,
        claim_by=claim_by(kind, _counts_from(session, shipment, kind), own),
    )
    session.add(row)
    try:
        session.flush()
    except IntegrityError as error:
        raise Conflict("claimed", "There is a claim for this parcel already.") from error
    write_history(session, shipment.order, who, f"opened a claim: {kind}", now)
    return row


def _concerned(shipment: Shipment, kind: ClaimKind) -> list[Label]:
    """Return the parcels of a shipment that were lost or damaged: those of which the carrier says so, if any.

    Where it says nothing, what has come is not lost, and of what is damaged nobody but the buyer knows which it was.
    """
    if kind == "damaged":
        said = [label for label in shipment.labels if label.tracking_reason == "damaged"]
        return said or list(shipment.labels)
    said = [label for label in shipment.labels if label.tracking_state == TrackingState.LOST]
    there = {TrackingState.DELIVERED, TrackingState.RETURNED}
    return said or [label for label in shipment.labels if label.tracking_state not in there] or list(shipment.labels)


def _held(session: Session, labels: Sequence[Label]) -> list[tuple[int, OrderLine]]:
    """Return the goods that lay in parcels: how many pieces of which order line."""
    pieces: Counter[int] = Counter()
    for label in labels:
        for line_id, count in label.parcel.contents:
            pieces[line_id] += count
    lines = session.scalars(select(OrderLine).where(OrderLine.id.in_(pieces)).order_by(OrderLine.id))
    return [(pieces[line.id], line) for line in lines]


def _worth(line: OrderLine, order: Order) -> int:
    """Return what a piece is worth in the shop's currency: its price, or its share of what was said of all goods.

    Raises Conflict where nobody has said it: nothing is claimed for what is not known.
    """
    if not order.currency:
        return line.unit_price_minor
    share = order.hand.worth and at_same_rate(order.hand.worth, line.unit_price_minor)
    if share is None:
        raise Conflict("worth_not_known", f"Nobody has said what {line.name} of order {order.number} is worth.")
    return share.minor


def _labels_of(claim: Claim) -> list[Label]:
    return [one for one in claim.shipment.labels if not claim.label_ids or one.id in claim.label_ids]


def _counts_from(session: Session, shipment: Shipment, kind: ClaimKind) -> date:
    """Return the day that the deadline counts from: when it came, else when it should have come."""
    came = next((e.at for e in events_of(session, shipment) if e.state == TrackingState.DELIVERED), None)
    if kind == "damaged" and came is not None:
        return shop_day(session, came)
    return shipment.arrives or shipment.ship_date


@dataclass(frozen=True, slots=True)
class ClaimLetter:
    """A claim as it goes by mail: to whom the last one went, its subject and its text with every fact."""

    to: str
    subject: str
    body: str


def claim_letter(session: Session, claim_id: int) -> ClaimLetter:
    """Return a claim as it would go.  Raises NotFound."""
    claim = _claim(session, claim_id)
    shipment = claim.shipment
    last = (
        select(Claim.mail_to)
        .join(Shipment, Shipment.id == Claim.shipment_id)
        .where(Shipment.carrier == shipment.carrier, Claim.mail_to != "")
        .order_by(Claim.sent_at.desc())
        .limit(1)
    )
    numbers = ", ".join(label.tracking_number or "" for label in _labels_of(claim))
    language = carriers_language(session, shipment.carrier, shipment.ship_date)
    body = in_both(
        language, lambda tongue: [*_facts(session, claim, numbers, tongue), "", *_sums(session, claim, tongue)]
    )
    return ClaimLetter(session.scalar(last) or "", line_in(language, "claim_subject", numbers=numbers), body)


def _facts(session: Session, claim: Claim, numbers: str, language: str) -> list[str]:
    """Return what parcel it is, the proof that it was handed over, and when it was last heard of."""
    shipment, zone = claim.shipment, ZoneInfo(shop_settings(session).time_zone)
    say = partial(line_in, language)
    at, driver = session.execute(
        select(Departure.handed_over_at, Departure.driver)
        .join(Label, Label.departure_id == Departure.id)
        .where(Label.shipment_id == shipment.id, Departure.handed_over_at.is_not(None))
    ).first() or (None, "")
    when = written_instant(at, zone, language) if at else written_day(shipment.ship_date, language)
    mine = {label.id for label in _labels_of(claim)}
    weight = f"{sum(label.gross_g for label in shipment.labels if label.id in mine)} g"
    # The carrier's own scans, from its first on: what it says itself it cannot dispute.
    heard = [e for e in reversed(events_of(session, shipment)) if e.label_id in mine][-MOST_SCANS:]
    return [
        say(f"claim_{claim.kind}", numbers=numbers, service=shipment.service_name),
        say("handed_to" if driver else "handed", when=when, driver=driver, weight=weight),
        say("to", to=where_to(shipment)),
        *([say("due", day=written_day(shipment.arrives, language))] if shipment.arrives else []),
        *(say("heard", when=written_instant(e.at, zone, language), words=e.words) for e in heard),
        *([say("account", account=shipment.account)] if shipment.account else []),
    ]


def _sums(session: Session, claim: Claim, language: str) -> list[str]:
    """Return what was in it and what that was worth, and which papers there are."""
    shop, shipment = shop_settings(session), claim.shipment
    say, money = partial(line_in, language), partial(money_in, currency=shop.currency, language=language)
    held = _held(session, _labels_of(claim))
    cost = share_of_price(shipment.price_minor, len(_labels_of(claim)), len(shipment.labels))
    pictures = select(func.count(Photo.id)).join(Packing).where(Packing.order_id == shipment.order_id)
    photos = session.scalar(pictures)
    return [
        say("in_it"),
        *(
            say("each", pieces=pieces, name=line.name, price=money(_worth(line, shipment.order)))
            for pieces, line in held
        ),
        say("label_cost", price=money(cost)),
        "",
        say("we_claim", price=money(claim.amount_minor)),
        say("attached"),
        *([say("pictures", count=photos)] if photos else []),
        "",
        shop.name,
    ]


def send_claim(session: Session, outside: Outside, claim_id: int, mail_to: str, who: str, now: datetime) -> Claim:
    """Send a claim by mail with its label; a refused one can be sent again.

    Raises NotFound, Invalid for what is no address, Conflict where it is settled or the mail does not go.
    """
    claim = _claim(session, claim_id, lock=True)
    if not is_mail_address(mail_to):
        raise Invalid("no_mail_address", "Type the mail address of the carrier.")
    letter, shop = claim_letter(session, claim_id), shop_settings(session)
    move_row(claim, CLAIM_MOVES, ClaimState, ClaimMove.SEND)
    paper = Paper("label.pdf", print_labels(session, [claim.shipment_id]))
    try:
        outside.mailer.send(shop.brand, shop.mail_from, mail_to, letter.subject, letter.body, paper)
    except OutsideError as error:
        raise Conflict("mail_down", f"The mail could not be sent: {error}. The claim is kept; try again.") from error
    claim.mail_to, claim.sent_at = mail_to, now
    write_history(session, claim.shipment.order, who, f"claimed from the carrier: {claim.kind}", now)
    return claim


def settle_claim(
    session: Session, claim_id: int, move: ClaimMove, paid_minor: int, words: str, who: str, now: datetime
) -> Claim:
    """Write down what became of a claim; what was paid goes into the ledger.

    Raises NotFound, Invalid for a payment without an amount, Conflict where it cannot become that.
    """
    claim = _claim(session, claim_id, lock=True)
    if (move is ClaimMove.PAY) != (paid_minor > 0):
        raise Invalid("amount", "Say how much was paid; nothing is paid where it is refused or dropped.")
    move_row(claim, CLAIM_MOVES, ClaimState, move)
    claim.paid_minor, claim.words, claim.settled_at = paid_minor, words.strip()[:500], now
    order = claim.shipment.order
    reason = f"Claim of order {order.number}, {claim.kind}"
    post(
        session, "claim_paid", paid_minor, key=f"claim:{claim.id}", at=now, shipment_id=claim.shipment_id, reason=reason
    )
    write_history(
        session, order, who, f"the claim is {claim.state}{f': {claim.words}' if claim.words else ''}"[:300], now
    )
    return claim


def all_claims(session: Session) -> Sequence[Claim]:
    """Return the claims, those that wait first, by their deadline."""
    waits = Claim.state.in_(ClaimState.WAITS)
    return session.scalars(select(Claim).order_by(~waits, Claim.claim_by, Claim.id).limit(MOST_SHOWN)).all()


def _claim(session: Session, claim_id: int, *, lock: bool = False) -> Claim:
    row = session.get(Claim, claim_id, with_for_update={"of": Claim} if lock else None)
    if row is None:
        raise NotFound("unknown_claim", "There is no such claim.")
    return row
