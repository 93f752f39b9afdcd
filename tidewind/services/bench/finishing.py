"""After the last item: the label is bought where there is none, printed, and the next order is awaited."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.bench.checking import Check
from tidewind.core.quantities import money_text, weight_text
from tidewind.core.states.labels import LabelState
from tidewind.core.states.packings import PACKING_MOVES, PackingMove, PackingState
from tidewind.db.tables import Bench, Order, Packing, SerialNumber, Shipment
from tidewind.services.base import Conflict, Invalid, defer, each_by_itself, move_row, write_history
from tidewind.services.bench.items import PackingFacts, check_of
from tidewind.services.bench.opening import may_be_packed
from tidewind.services.bench.settings import BenchSettings, bench_settings
from tidewind.services.bench.to_pack import read_to_pack
from tidewind.services.buying import ToBuy, ask_to_buy
from tidewind.services.orders import edit_hand
from tidewind.services.papers import PrintRequest, send_to_printer
from tidewind.services.planning import shop_settings

BOUGHT_WITHIN_S = 1


def parcel_to_weigh(settings: BenchSettings, packing: Packing, check: Check) -> int | None:
    """Return the parcel that must be weighed now: full, and not weighed; None where none is, or nobody weighs."""
    if not settings.weighs or check.wants_serial is not None:
        return None
    full = len(PackingFacts.of(packing).boxes) if check.complete else check.parcel - 1
    weighed = len(packing.weights_g)
    return weighed + 1 if weighed < full else None


@dataclass(frozen=True, slots=True)
class Gone:
    """How far a packing has gone by itself, in words; ``dearer`` asks the packer to agree first."""

    words: str = ""
    dearer: bool = False


def go_on(session: Session, bench: Bench, packing: Packing, who: str, person_id: int, now: datetime) -> Gone:
    """Take a packing as far as it goes by itself: buy what has no label, finish what has one.

    Raises Conflict where the label cannot be bought: it stays open, with everything that was scanned.
    """
    check = check_of(packing)
    if not check.complete or parcel_to_weigh(bench_settings(session), packing, check) is not None:
        return Gone()
    session.flush()  # what is read next is read beside the session
    found = read_to_pack(session, packing.order_id)
    # It may have been held, cancelled or changed by the shop since it was opened here.
    may_be_packed(found)
    if found.shipment is not None:
        packing.shipment_id = found.shipment.id
        return Gone(finish(session, bench, packing, found.shipment, who, now))
    if dearer := _as_weighed(session, packing, who, now):
        return Gone(dearer, dearer=True)
    return Gone(_buy(session, packing, person_id, now))


def _as_weighed(session: Session, packing: Packing, who: str, now: datetime) -> str:
    """Plan the order by what the scale said; return in words that it is dearer then, where nobody has agreed yet."""
    order = session.get_one(Order, packing.order_id)
    if not packing.weights_g or list(order.hand.weights_g) == packing.weights_g:
        return ""
    before = order.price_minor or 0
    order = edit_hand(session, [order.id], {"weights_g": list(packing.weights_g)}, who, now)[0]
    after = order.price_minor or 0
    if after <= before:
        return ""
    currency = shop_settings(session).currency
    return (
        f"as weighed it costs {money_text(after, currency)}, not {money_text(before, currency)}. Agree: Buy and print"
    )


def _buy(session: Session, packing: Packing, person_id: int, now: datetime) -> str:
    order = session.get_one(Order, packing.order_id)
    shown = order.price_minor or 0
    # Every attempt has a key of its own, and the same attempt the same one, however often its scan arrives.
    before = session.scalar(select(func.count(Shipment.id)).where(Shipment.order_id == order.id))
    asked = ask_to_buy(session, [ToBuy(order.id, shown)], f"pack-{packing.id}-{before}", person_id, now)
    if order.id not in asked.taken:
        raise Conflict("not_bought", f"No label: it {asked.dropped.get(order.id, 'cannot be bought')}")
    move_row(packing, PACKING_MOVES, PackingState, PackingMove.BUY)
    packing.bought_here = True
    newest = select(Shipment.id).where(Shipment.order_id == order.id).order_by(Shipment.id.desc()).limit(1)
    packing.shipment_id = session.scalar(newest)
    defer(session, "finish_packings", lock="finish_packings", in_seconds=BOUGHT_WITHIN_S)
    return f"the label is being bought for {money_text(shown, shop_settings(session).currency)}"


def finish(session: Session, bench: Bench, packing: Packing, shipment: Shipment, who: str, now: datetime) -> str:
    """Say that a packing is done: its label is printed, its serial numbers are kept, the next order is awaited."""
    move_row(packing, PACKING_MOVES, PackingState, PackingMove.FINISH)
    packing.packed_at = now
    check, facts = check_of(packing), PackingFacts.of(packing)
    for sku, numbers in check.serials.items():
        session.add_all([SerialNumber(packing_id=packing.id, sku=sku, number=number) for number in numbers])
    words = "packed"
    if packing.weights_g:
        words += f", {' and '.join(map(weight_text, packing.weights_g))}"
    if every := [number for some in check.serials.values() for number in some]:
        words += f", serial {', '.join(every)}"
    write_history(session, session.get_one(Order, packing.order_id), who, f"{words} at {bench.name}", now)
    if bench.packing_id == packing.id:
        bench.packing_id, bench.pieces, bench.last = None, 1, {"did": "packed", "packing": packing.id}
    return f"{facts.number} is packed. {_print(session, packing, shipment, now)}"


def _print(session: Session, packing: Packing, shipment: Shipment, now: datetime) -> str:
    """Print the label of this parcel; without a printer it is said, and the packing is done all the same.

    One that is on paper already, from the office, does not come a second time.
    """
    if not packing.prints:
        return "No label was printed, as you said"
    printed = [label.printed_at for label in shipment.labels]
    if not packing.bought_here and printed and all(printed):
        return "Its label was printed before: Print again makes another"
    try:
        wish = PrintRequest("label", [shipment.id], f"pack-{packing.id}")
        send_to_printer(session, wish, packing.person_id, now)
    except Invalid:
        return "Print its label: no printer is chosen for labels in Set-up, Printing"
    return "Its label prints"


def print_again(session: Session, packing: Packing, key: str, now: datetime) -> str:
    """Print the label of a packing once more.  Raises Conflict where it has none, Invalid without a printer."""
    if packing.shipment_id is None:
        raise Conflict("no_label", "It has no label yet that could print again.")
    wish = PrintRequest("label", [packing.shipment_id], f"pack-{packing.id}-{key or f'{now:%H%M%S%f}'}"[:80])
    send_to_printer(session, wish, packing.person_id, now)
    return f"the label of {PackingFacts.of(packing).number}"


def finish_packings(sessions: sessionmaker[Session], clock: Callable[[], datetime]) -> dict[int, str]:
    """Go on with the packings whose label is being bought; return the state of each afterwards."""
    with sessions() as session:
        due = session.scalars(select(Packing.id).where(Packing.state == PackingState.BUYING).order_by(Packing.id)).all()
    done = each_by_itself("finish packings", due, lambda one: _settle(sessions, one, clock))
    if PackingState.BUYING in done.values():
        with sessions.begin() as session:
            defer(session, "finish_packings", lock="finish_packings", in_seconds=BOUGHT_WITHIN_S, once=True)
    return done


def _settle(sessions: sessionmaker[Session], packing_id: int, clock: Callable[[], datetime]) -> str:
    with sessions.begin() as session:
        bench_id = session.get_one(Packing, packing_id).bench_id
        bench = session.get_one(Bench, bench_id, with_for_update=True)  # benches are locked before their packings
        packing = session.get_one(Packing, packing_id, with_for_update=True, populate_existing=True)
        return look(session, bench, packing, clock())


def look(session: Session, bench: Bench, packing: Packing, now: datetime) -> str:
    """Look what became of the label of a packing; both rows are locked.  Return the packing's state.

    Of a parcel that lies aside nothing is said over what the bench is doing: it is called among those set aside.
    """
    if packing.state != PackingState.BUYING or packing.shipment_id is None:
        return packing.state
    shipment = session.get_one(Shipment, packing.shipment_id, populate_existing=True)
    here = bench.packing_id == packing.id
    if shipment.state == LabelState.BOUGHT:
        words = finish(session, bench, packing, shipment, bench.name, now)
        if here:
            bench.said = {"kind": "right", "word": "Done", "words": words}
    elif shipment.state != LabelState.BUYING:
        move_row(packing, PACKING_MOVES, PackingState, PackingMove.FAIL if here else PackingMove.FAIL_ASIDE)
        packing.shipment_id, packing.bought_here = None, False
        packing.words = (shipment.failure or "the label was not bought")[:300]
        if here:
            bench.said = {"kind": "wrong", "word": "No label", "words": packing.words}
        else:
            packing.aside = True
    return packing.state
