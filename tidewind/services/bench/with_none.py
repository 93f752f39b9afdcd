"""A scan while nothing is open, or while the label of what lies there is awaited: neither keeps anybody waiting."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.bench.codes import Action, Code, CodeKind
from tidewind.core.scanned import forms_of, slip_code
from tidewind.core.states.labels import LabelState
from tidewind.core.states.packings import PackingState
from tidewind.db.tables import Packing, Shipment
from tidewind.services.base import Conflict, ServiceError
from tidewind.services.bench.around import Aside
from tidewind.services.bench.changing import last_packed, undo_packed
from tidewind.services.bench.finishing import print_again
from tidewind.services.bench.items import PackingFacts
from tidewind.services.bench.meaning import Meaning, orders_meant
from tidewind.services.bench.one_scan import Scan, said, to_decide, whole
from tidewind.services.bench.opening import open_order
from tidewind.services.orders import set_held


def with_none_open(one: Scan, code: str, ours: Code | None) -> dict[str, str]:
    """Take a scan while no order is open: it opens one, or does what needs none."""
    if ours is not None:
        return _ours(one, ours)
    meant = one.meaning_of(code)
    if meant.order_id is None:
        return said("wrong", "Unknown", f"no order and no label has the number {code.strip()[:40]}")
    if meant.alike > 1:
        return _which(one, code)
    aside = one.aside_of(meant)
    if aside is not None and aside.kind != "refused":
        return whole(one, lambda: taken_in_hand(one, aside))
    return _opened(one, meant.order_id)


def _opened(one: Scan, order_id: int) -> dict[str, str]:
    try:
        order, packing = open_order(one.session, one.bench, order_id, one.packer.id, one.now)
    except ServiceError as refusal:
        more = to_decide(refusal, order_id)
        if refusal.code == "held":  # Release lets it go, from here as from the office
            more = {"pending": Action.RELEASE.value, "held": str(order_id)}
        return said("wrong", "Stop", f"{refusal}{' Or scan Release.' if 'held' in more else ''}", **more)
    one.packing = one.at.packing = packing
    done = sum(step[1] for step in packing.steps)
    return said("right", "Pack it", f"{order.number}, {done} scanned before" if done else order.number)


def _ours(one: Scan, ours: Code) -> dict[str, str]:
    value = ours.value.upper() if ours.kind is CodeKind.ACTION else ""
    if value == Action.UNDO:
        return whole(one, lambda: _undone(one))
    if value == Action.HELP:
        return said("note", "Help", "scan a packing slip, a label, or type an order's number", act="help")
    if value == Action.PRINT_AGAIN:
        return whole(one, lambda: _printed_again(one))
    if value == Action.RELEASE and one.bench.said.get("pending") == Action.RELEASE:
        return whole(one, lambda: _released(one, int(one.bench.said["held"])))
    if value == Action.PHOTO and (last := last_packed(one.session, one.bench, one.now)) is not None:
        return said("note", "Photo", f"the camera opens for {PackingFacts.of(last).number}", **photo_of(last))
    return said("wrong", "No order yet", "scan a packing slip, an order or a label first")


def photo_of(packing: Packing) -> dict[str, str]:
    """Return what tells the page which parcel the picture is of, whatever is opened before it has come."""
    return {"act": "photo", "packing": str(packing.id)}


def _which(one: Scan, code: str) -> dict[str, str]:
    """Ask which of several channels' orders with one number is meant; each answer is the code of its own slip."""
    found = orders_meant(one.session, forms_of(code))
    asked = {f"choice_{n}": f"{slip_code(i)} {channel}, {to}" for n, (i, channel, to) in enumerate(found, 1)}
    return said("wrong", "Which one?", f"{len(found)} orders have the number {code.strip()[:40]}", **asked)


def taken_in_hand(one: Scan, aside: Aside) -> dict[str, str]:
    """Take up a parcel that lies aside: its label goes on it, or it is looked at again while that is awaited."""
    packing = _locked(one.session, aside.packing_id)
    if packing.state == PackingState.PACKED and not aside.printed:
        return said("note", "Not yet", f"the label of {aside.number} is not on paper yet; leave it aside")
    packing.aside = False
    if packing.state == PackingState.PACKED:
        return said("right", "Label on", f"{aside.number} has its label now; it is done")
    one.put_down()
    one.bench.packing_id = packing.id
    one.packing = one.at.packing = packing
    return said("note", "Its label comes", f"{aside.number} is on the bench again; scan the next slip to go on")


def while_awaited(one: Scan, packing: Packing, code: str, ours: Code | None) -> dict[str, str]:
    """Take a scan while a label is being bought: whatever comes next is begun, and this parcel is laid aside."""
    number = PackingFacts.of(packing).number
    value = ours.value.upper() if ours is not None and ours.kind is CodeKind.ACTION else ""
    if value == Action.PHOTO:
        return said("note", "Photo", "the camera opens", **photo_of(packing))
    if value == Action.HELP:
        return said("note", "Help", "scan the next slip; this parcel waits aside for its label", act="help")
    if value == Action.SKIP:
        return whole(one, lambda: _laid_aside(one, number))
    if value == Action.UNDO:
        words = f"the label of {number} is on its way and cannot be called back; once it is here, Undo voids it"
        return said("note", "Not now", words)
    if ours is not None:
        return said("wrong", "Not now", f"{number} is all in, its label comes; scan the next slip, or Skip")
    meant = one.meaning_of(code)
    if meant.order_id == packing.order_id:
        return said("note", "This one", f"{number} is all in; its label comes")
    if meant.order_id is None:
        what = meant.name or code.strip()[:40]
        return said("wrong", "Wrong item", f"{number} is all in: put {what} back, and scan the next slip")
    return whole(one, lambda: _next_one(one, number, code, meant))


def _next_one(one: Scan, number: str, code: str, meant: Meaning) -> dict[str, str]:
    """Lay the parcel aside and begin the next one; where that cannot be begun, nothing is laid aside."""
    before = one.packing
    _laid_aside(one, number)
    one.at.means = meant
    told = with_none_open(one, code, None)
    if told["kind"] == "wrong" and before is not None:
        one.bench.packing_id, before.aside = before.id, False
        one.packing = one.at.packing = before
        return told
    return {**told, "words": f"{told['words']}. {number} lies aside with its slip until its label comes"}


def _laid_aside(one: Scan, number: str) -> dict[str, str]:
    packing = one.open_packing
    packing.aside = True
    one.bench.last = {"did": "aside", "packing": packing.id}
    one.put_down()
    one.session.flush()
    return said("note", "Aside", f"{number} lies aside with its slip; its label prints here when it comes")


def _undone(one: Scan) -> dict[str, str]:
    """Take back what this bench did last; what would void a label is said first, and done at the second scan."""
    last, bench = one.bench.last, one.bench
    packing = one.session.get(Packing, last.get("packing", 0), with_for_update=True, populate_existing=True)
    bench.last = {}
    match last.get("did"):
        case "skipped" if packing is not None and packing.state == PackingState.LEFT:
            return _opened(one, packing.order_id)
        case "held" if packing is not None and packing.state == PackingState.LEFT:
            return _released(one, packing.order_id)
        case "aside" if packing is not None and packing.aside and packing.state == PackingState.BUYING:
            facts = PackingFacts.of(packing)
            return taken_in_hand(one, Aside(packing.id, packing.order_id, facts.number, "waits", "", False))
    bench.last = last
    return _unpacked(one)


def _unpacked(one: Scan) -> dict[str, str]:
    packing = last_packed(one.session, one.bench, one.now)
    if packing is None:
        raise Conflict("nothing", "Nothing was packed here today that could be undone.")
    shipment = one.session.get(Shipment, packing.shipment_id or 0)
    voids = packing.bought_here and shipment is not None and shipment.state == LabelState.BOUGHT
    asked = one.bench.said.get("pending") == Action.UNDO and one.bench.said.get("packing") == str(packing.id)
    if voids and not asked:
        number = PackingFacts.of(packing).number
        words = f"Undo would void the label of {number}, packed last here. Scan Undo again, or go on"
        return said("note", "Void it?", words, pending=Action.UNDO.value, packing=str(packing.id))
    words = undo_packed(one.session, one.bench, packing, one.packer.name, one.now)
    one.bench.last = {}
    return said("note", "Undone", words)


def _released(one: Scan, order_id: int) -> dict[str, str]:
    set_held(one.session, [order_id], False, one.packer.name, one.now)
    one.session.flush()
    return _opened(one, order_id)


def _printed_again(one: Scan) -> dict[str, str]:
    packing = last_packed(one.session, one.bench, one.now)
    if packing is None:
        raise Conflict("nothing", "Nothing was packed here today whose label could print again.")
    return said("note", "Prints again", print_again(one.session, packing, one.client_key, one.now))


def _locked(session: Session, packing_id: int) -> Packing:
    return session.scalars(
        select(Packing).where(Packing.id == packing_id).with_for_update().execution_options(populate_existing=True)
    ).one()
