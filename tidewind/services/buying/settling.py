"""Settling purchases: the carrier is asked outside any transaction, its answer is written in one of its own.

The answer is written under the shipment's lock.  Whatever dies in between is settled by asking the carrier what became
of the key.  Nothing is bought twice, nothing is lost.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session, defer, joinedload, sessionmaker

from tidewind.core.addresses.latin import latin_address
from tidewind.core.consignments import Consignment, Goods, Parcel, route_between
from tidewind.core.insuring import INSURED
from tidewind.core.ledger import charge_kind
from tidewind.core.order_facts import OrderFacts
from tidewind.core.quantities import Size
from tidewind.core.states.labels import LABEL_MOVES, LabelMove, LabelState
from tidewind.core.states.orders import ORDER_MOVES, OrderMove
from tidewind.db.bulk import write_changed
from tidewind.db.tables import CarrierRow, Label, Order, Shipment
from tidewind.outside.carrier import Purchase, Sold
from tidewind.services.base import Outside, is_due, move_order, move_row, standing_of
from tidewind.services.books import Posting, post, post_all
from tidewind.services.buying.requesting import Answer, Asking, ask_all, took_back
from tidewind.services.buying.watching import never_will_be, watch
from tidewind.services.follow import mail_requested_labels, tell_of_purchase
from tidewind.services.planning import all_facts, plan_orders, remember_precedents, shop_settings
from tidewind.services.shop import boxes_of, take_packaging

SETTLE_AFTER = timedelta(seconds=20)
GIVE_UP_AFTER = timedelta(minutes=10)
NEVER_BEGUN_AFTER = timedelta(minutes=5)
LONGEST_PAUSE = timedelta(minutes=1)


def buy_shipments(
    sessions: sessionmaker[Session], outside: Outside, shipment_ids: Sequence[int], clock: Callable[[], datetime]
) -> dict[int, str]:
    """Ask a carrier for some shipments and write its answers; return the state of each afterwards.

    All are of one carrier.  Safe to repeat at any point: the carrier honours the keys, and only shipments still being
    bought are changed.  One that got no answer stays ``buying``, and the sweep settles it.
    """
    with sessions() as session:
        with session.begin():
            carrier, asking, others = _begin(session, shipment_ids, clock())
        if carrier is None:
            return others
        client = outside.carrier(carrier)
        answers, unanswered = ask_all(client, carrier, asking)
        with session.begin():
            seen = _numbers_seen(session, answers)
        for shipment in seen:
            words = took_back(client, carrier, shipment.idempotency_key, "its tracking number is another parcel's")
            if words:
                answers[shipment] = words
            else:
                del answers[shipment]
                unanswered.append(shipment.id)
        with session.begin():
            done = _write_answers(session, outside, answers, clock())
    return {**others, **dict.fromkeys(unanswered, "buying"), **done}


def buy_shipment(
    sessions: sessionmaker[Session], outside: Outside, shipment_id: int, clock: Callable[[], datetime]
) -> str:
    """Ask the carrier for one shipment and write its answer; return the state afterwards."""
    return buy_shipments(sessions, outside, [shipment_id], clock)[shipment_id]


def _begin(
    session: Session, shipment_ids: Sequence[int], now: datetime
) -> tuple[CarrierRow | None, list[Asking], dict[int, str]]:
    """Note that the carrier is being asked from now on, and return what it is asked for."""
    shipments = _locked(session, shipment_ids)
    mine = {s.id for s in shipments}
    others = _states(session, [i for i in shipment_ids if i not in mine])
    if not shipments:
        return None, [], others
    for shipment in shipments:
        shipment.begun_at = shipment.begun_at or now
        shipment.attempts += 1
        pause = SETTLE_AFTER if shipment.attempts == 1 else timedelta(seconds=5 * 2 ** min(shipment.attempts - 1, 4))
        shipment.next_try_at = now + min(pause, LONGEST_PAUSE)
    write_changed(session, shipments, ("begun_at", "attempts", "next_try_at"))
    carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == shipments[0].carrier)).one()
    shop = shop_settings(session)
    facts = all_facts(session, [s.order for s in shipments])
    asking = [
        Asking(
            s,
            s.idempotency_key,
            _purchase(s, fact, carrier.latin_only),
            s.price_minor + shop.price_tolerance_minor,
            shop.currency,
        )
        for s, fact in zip(shipments, facts, strict=True)
    ]
    return carrier, asking, others


def _numbers_seen(session: Session, answers: Mapping[Shipment, Answer]) -> list[Shipment]:
    """Return the shipments that were sold under a tracking number which another parcel has, from whatever carrier."""
    mine = {
        s: [p.tracking_number[:40] for p in a.parcels if p.tracking_number]
        for s, a in answers.items()
        if isinstance(a, Sold)
    }
    numbers = [number for many in mine.values() for number in many]
    query = select(Label.tracking_number).where(Label.tracking_number.in_(numbers))
    known = set(session.scalars(query.where(Label.shipment_id.not_in([s.id for s in mine])))) if numbers else set()
    twice = {number for number, times in Counter(numbers).items() if times > 1}
    return [shipment for shipment, many in mine.items() if not (known | twice).isdisjoint(many)]


def _purchase(shipment: Shipment, facts: OrderFacts, latin_only: bool) -> Purchase:
    order, to = shipment.order, shipment.address
    consignment = Consignment(
        route_between(shipment.sender, to, home=order.home, point=order.hand.point),
        Goods(order.plan.value_minor, facts.contents),
        tuple(map(_parcel, shipment.labels)),
        frozenset(shipment.extras) - {INSURED},
    )
    recipient = latin_address(to) if latin_only else to
    return Purchase(
        consignment,
        shipment.service,
        recipient,
        shipment.ship_date,
        order.number,
        shipment.bill_to.account,
        shipment.account,
        shipment.price_minor,
        shipment.customs.get("told"),
    )


def _parcel(label: Label) -> Parcel:
    packed = label.parcel
    return Parcel(label.gross_g, Size.of(*packed.sides_mm), packed.packaging if packed.carrier_box else None)


def _locked(session: Session, shipment_ids: Collection[int]) -> Sequence[Shipment]:
    """Return those of the shipments that are still being bought, their rows locked, in the order of their ids."""
    return session.scalars(
        select(Shipment)
        .where(Shipment.id.in_(shipment_ids), Shipment.state == "buying")
        .order_by(Shipment.id)
        .with_for_update(of=Shipment)
        .options(joinedload(Shipment.order).lazyload(Order.snags), defer(Shipment.quote))
        .execution_options(populate_existing=True)
    ).all()


def _states(session: Session, shipment_ids: Sequence[int]) -> dict[int, str]:
    if not shipment_ids:
        return {}
    rows = session.execute(select(Shipment.id, Shipment.state).where(Shipment.id.in_(shipment_ids)))
    return {**dict.fromkeys(shipment_ids, "gone"), **{i: state for i, state in rows}}  # noqa: C416 - rows


def _still_bought(session: Session, shipments: Iterable[Shipment]) -> list[Shipment]:
    """Lock those that are still being bought, in the order of their ids, without reading them again.

    While it is being bought, nothing of a shipment changes but its state and its turns.
    """
    known = {s.id: s for s in shipments}
    query = select(Shipment.id).where(Shipment.id.in_(known), Shipment.state == "buying")
    return [known[i] for i in session.scalars(query.order_by(Shipment.id).with_for_update())]


def _write_answers(
    session: Session, outside: Outside, answers: Mapping[Shipment, Answer], now: datetime
) -> dict[int, str]:
    """Write what was answered; shipments that somebody has settled meanwhile stay as they are."""
    if not answers:
        return {}
    shipments = _still_bought(session, answers)
    failed = [shipment for shipment in shipments if isinstance(answers[shipment], str)]
    for shipment in failed:
        _fail(session, shipment, str(answers[shipment]), now)
        if shipment.attempts > 1:
            watch(shipment, now)
    # Before anything is marked as bought: planning flushes, and what is bought is written with its true price at once.
    _plan_again(session, failed, now)
    bought = [(shipment, answer) for shipment in shipments if isinstance(answer := answers[shipment], Sold)]
    for shipment, sold in bought:
        for label, parcel in zip(shipment.labels, sold.parcels, strict=True):
            label.tracking_number, label.routing = parcel.tracking_number[:40] or None, parcel.routing[:40]
        move_row(shipment, LABEL_MOVES, LabelState, LabelMove.SELL)
        shipment.bought_at = shipment.next_look_at = now
    charges = [entry for shipment, sold in bought for entry in _charges(shipment, sold.price_minor, now)]
    mine = [shipment for shipment, _ in bought]
    take_packaging(session, boxes_of(mine))
    write_changed(session, [label for s in mine for label in s.labels], ("tracking_number", "routing"))
    write_changed(session, mine, ("state", "bought_at", "next_look_at", "price_minor"))
    _are_shipped(session, mine, outside.base_url, now)
    post_all(session, charges)  # last, since it holds the balances until the commit
    done = {s.id: s.state for s in shipments}
    return {**done, **_states(session, [s.id for s in answers if s.id not in done])}


def _plan_again(session: Session, shipments: Sequence[Shipment], now: datetime) -> None:
    """Plan the orders of what was not bought, as they are by now."""
    if shipments:
        query = select(Order).where(Order.id.in_([s.order_id for s in shipments])).order_by(Order.id)
        plan_orders(session, session.scalars(query.execution_options(populate_existing=True)).all(), now)


def _charges(shipment: Shipment, price: int, now: datetime) -> Iterator[Posting]:
    """Turn the hold into a charge of what the carrier asked; what is billed to us later goes on account, cover too."""
    key, held = shipment.idempotency_key, shipment.price_minor
    reason = f"Order {shipment.order.number}, {shipment.service_name}"
    shipment.price_minor = price
    moves = [(charge_kind(shipment.payer), price, f"charge:{key}")]  # type: ignore[arg-type]  # the table checks it
    if shipment.payer == "balance" and price != held:
        # Cheaper, or dearer within the tolerance: the hold is exchanged for one of the true sum.
        moves = [("release", held, f"release:{key}"), ("hold", price, f"rehold:{key}"), *moves]
    moves.append(("premium", shipment.premium_minor, f"premium:{key}"))
    for kind, amount, name in moves:
        if kind and amount:
            yield Posting(kind, amount, name, reason, now, shipment.id)


def _are_shipped(session: Session, shipments: Sequence[Shipment], base_url: str, now: datetime) -> None:
    """Mark orders, and those that went along, as shipped, and write whom to tell; hand choices become precedents."""
    if not shipments:
        return
    mine = {s.order_id: s.order for s in shipments}
    along: dict[int, list[Order]] = {}
    for other in session.scalars(select(Order).where(Order.joined_to.in_(mine)).order_by(Order.id)):
        host = mine[other.joined_to or 0]
        if ORDER_MOVES.may(standing_of(other), OrderMove.SHIP_ALONG):  # one that was cancelled meanwhile stays so
            move_order(other, OrderMove.SHIP_ALONG, f"went with order {host.number}")
        along.setdefault(host.id, []).append(other)
    for order in mine.values():
        move_order(order, OrderMove.SHIP)
    write_changed(session, list(mine.values()), ("state", "state_by", "state_why"))
    remember_precedents(session, mine.values(), now)
    asked_for = mail_requested_labels(session, shipments, base_url, now)
    others = [s for s in shipments if s.id not in asked_for]
    tell_of_purchase(session, others, along, base_url, now)


def _give_up(sessions: sessionmaker[Session], outside: Outside, shipment_id: int, words: str, now: datetime) -> str:
    with sessions.begin() as session:
        answers = dict.fromkeys(_locked(session, [shipment_id]), words)
        return {**_states(session, [shipment_id]), **_write_answers(session, outside, answers, now)}[shipment_id]


def _fail(session: Session, shipment: Shipment, words: str, now: datetime) -> None:
    if shipment.payer == "balance":
        post(
            session,
            "release",
            shipment.price_minor,
            key=f"release:{shipment.idempotency_key}",
            reason=f"Not bought: {words}",
            at=now,
            shipment_id=shipment.id,
        )
    move_row(shipment, LABEL_MOVES, LabelState, LabelMove.FAIL)
    shipment.failure = words[:500]


def cancel_waiting(session: Session, batch_id: int, who: str, now: datetime) -> int:
    """Cancel what of a batch no carrier has been asked for yet; return how many. Nothing of it was charged."""
    waiting = session.scalars(
        select(Shipment)
        .where(Shipment.batch_id == batch_id, Shipment.state == "buying", Shipment.begun_at.is_(None))
        .order_by(Shipment.id)
        .with_for_update(of=Shipment)
        .execution_options(populate_existing=True)
    ).all()
    still = [s for s in waiting if s.state == "buying" and s.begun_at is None]
    for shipment in still:
        _fail(session, shipment, f"cancelled by {who} before the carrier was asked", now)
    plan_orders(session, [s.order for s in still], now)
    return len(still)


def sweep(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> dict[int, str]:
    """Settle every purchase that has been under way for too long; return what became of each.

    Each carrier's are settled beside the others', so that one that hangs holds nobody up.  A carrier that cannot be
    reached leaves its shipments for the next sweep; after ten minutes without a sale it is given up, once the carrier
    has taken the key back, and looked after from then on (``watching``).
    """
    with sessions() as session:
        rows = session.execute(
            select(Shipment.id, Shipment.carrier, Shipment.asked_at)
            .where(Shipment.state == "buying")
            .where(
                is_due(Shipment.next_try_at, clock(), LONGEST_PAUSE)
                | (Shipment.next_try_at.is_(None) & (Shipment.asked_at < clock() - NEVER_BEGUN_AFTER))
            )
            .order_by(Shipment.id)
        ).all()
    stuck: dict[str, list[tuple[int, datetime]]] = {}
    for shipment_id, carrier, asked_at in rows:
        stuck.setdefault(carrier, []).append((shipment_id, asked_at))
    if not stuck:
        return {}
    with ThreadPoolExecutor(len(stuck)) as threads:
        parts = threads.map(lambda some: _sweep_carrier(sessions, outside, some, clock), stuck.values())
        return {shipment_id: state for part in parts for shipment_id, state in part.items()}


def _sweep_carrier(
    sessions: sessionmaker[Session],
    outside: Outside,
    stuck: Sequence[tuple[int, datetime]],
    clock: Callable[[], datetime],
) -> dict[int, str]:
    settled = {}
    for shipment_id, asked_at in stuck:
        settled[shipment_id] = buy_shipment(sessions, outside, shipment_id, clock)
        given_up = settled[shipment_id] == "buying" and clock() - asked_at > GIVE_UP_AFTER
        if given_up and _taken_back(sessions, outside, shipment_id):
            words = "the carrier did not answer for ten minutes"
            settled[shipment_id] = _give_up(sessions, outside, shipment_id, words, clock())
    return settled


def _taken_back(sessions: sessionmaker[Session], outside: Outside, shipment_id: int) -> bool:
    with sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
        carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == shipment.carrier)).one()
        key = shipment.idempotency_key
    return never_will_be(outside.carrier(carrier), key)
