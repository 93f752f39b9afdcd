"""One scan at a bench: a slip opens an order, a product counts, a code of ours acts; everything else stops loudly."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.bench.checking import Check, Said, confirm, scan
from tidewind.core.bench.codes import ACTION_WORDS, REASONS, Action, Code, CodeKind, read_code
from tidewind.core.bench.weighing import Reading, reading_refusal, weigh
from tidewind.core.quantities import speak_in, weight_text
from tidewind.core.scanned import forms_of, slip_code
from tidewind.core.states.packings import PACKING_MOVES, PackingMove, PackingState
from tidewind.db.tables import Packing, Person
from tidewind.services.base import ServiceError, move_row
from tidewind.services.bench.changing import change_packing, hold_packing, send_what_is_here, undo
from tidewind.services.bench.finishing import go_on, look, parcel_to_weigh
from tidewind.services.bench.glancing import glance_at
from tidewind.services.bench.items import PackingFacts, check_of, keep_steps
from tidewind.services.bench.keeping import changed_in, keep_scan
from tidewind.services.bench.meaning import Meaning, meaning_of, orders_meant
from tidewind.services.bench.opening import open_order
from tidewind.services.bench.seen import BenchView, bench_view
from tidewind.services.bench.settings import bench_settings
from tidewind.services.bench.standing import AtBench, bench_named, count_today, locked_bench
from tidewind.services.people import Who, digest_of_badge

LONGEST_CODE, MOST_PIECES = 120, 500
WORDS = {
    "right": "Right",
    "parcel_full": "Right",
    "complete": "All in",
    "serial_wanted": "Serial number",
    "wrong": "Wrong",
    "surplus": "Too many",
    "serial_twice": "Twice",
    "no_serial": "No serial number",
}
"""The big word for what a scan meant."""


class _TakenBefore(Exception):
    """This scan was taken by its twin, which was quicker."""


class _Scan:
    """Everything about one scan; what was only glanced at is copies."""

    def __init__(self, session: Session, at: AtBench, who: Who, client_key: str, now: datetime) -> None:
        self.session, self.at, self.who, self.client_key, self.now = session, at, who, client_key, now
        self.bench, self.packing, self.packer = at.bench, at.packing, at.packer

    @property
    def open_packing(self) -> Packing:
        """The packing on the bench.  Raises RuntimeError where none is."""
        if self.packing is None:
            raise RuntimeError("no order is open at this bench")
        return self.packing

    def meaning_of(self, code: str) -> Meaning:
        """Return what the scanned code stands for."""
        return self.at.means or meaning_of(self.session, forms_of(code))

    def take_hold(self) -> None:
        """Go on with the session's own rows, and what was changed in the copies.

        Raises _TakenBefore where this scan turns out to have been taken.
        """
        if self.bench in self.session:
            return
        copies = (self.bench, self.packing)
        self.at = at = locked_bench(self.session, self.bench.name, self.who.id, self.now, self.client_key)
        if at.known:
            raise _TakenBefore
        self.bench, self.packing, self.packer = at.bench, at.packing, at.packer
        for copy, row in zip(copies, (self.bench, self.packing), strict=True):
            for name, value in (changed_in(copy) if copy is not None else {}).items():
                setattr(row, name, value)


def scan_at_bench(session: Session, name: str, code: str, who: Who, now: datetime, client_key: str = "") -> BenchView:
    """Take a scan, and return the bench with what it meant; what is wrong is said there, never raised.

    The scan and its verdict are kept in the same transaction, so that a bench that dies loses none.  Sent again with
    the same ``client_key``, since no answer came, it counts once.
    """
    plain = "".join(c for c in code if c.isprintable())[:LONGEST_CODE]
    return _at_bench(session, name, plain, who, now, lambda one: _understood(one, plain), client_key)


def weigh_at_bench(session: Session, name: str, reading: Reading | None, who: Who, now: datetime) -> BenchView:
    """Take what the scale shows for the parcel that is to be weighed."""
    return _at_bench(session, name, "", who, now, lambda one: _whole(one, lambda: _weighed(one, reading)))


def look_at_bench(session: Session, name: str, who: Who, now: datetime) -> BenchView:
    """Return a bench, with what has become of the label that is being bought for it."""
    at = locked_bench(session, name, who.id, now)
    if at.packing is not None and at.packing.state == PackingState.BUYING:
        look(session, at.bench, at.packing, now)
        count_today(session, at, now)
    return bench_view(at)


def see_bench(session: Session, name: str, who: Who, now: datetime) -> BenchView:
    """Return what a bench shows, and change nothing."""
    return bench_view(bench_named(session, name, who.id, now))


def _at_bench(
    session: Session,
    name: str,
    code: str,
    who: Who,
    now: datetime,
    work: Callable[[_Scan], dict[str, str]],
    client_key: str = "",
) -> BenchView:
    at = glance_at(session, name, who.id, now, client_key, code) or locked_bench(session, name, who.id, now, client_key)
    speak_in(at.shop.units)
    if at.known:
        return bench_view(at)
    one = _Scan(session, at, who, client_key, now)
    try:
        _take(one, code, work)
    except _TakenBefore:
        session.expire_all()  # what it would have changed
        one.at = locked_bench(session, name, who.id, now, client_key)
    return bench_view(one.at)


def _take(one: _Scan, code: str, work: Callable[[_Scan], dict[str, str]]) -> None:
    said, at = work(one), one.at
    if said["kind"] == "wrong" and one.packing is not None:
        one.packing.mistakes += 1
        at.mistakes_today += 1
    at.bench.said = said
    mine = one.packing.id if one.packing is not None else at.bench.packing_id
    kept = {"bench_id": at.bench.id, "packing_id": mine, "person_id": one.packer.id, "at": one.now, "code": code}
    kept |= {"client_key": one.client_key or None, "verdict": said["kind"]}
    if not keep_scan(one.session, kept, at.bench, one.packing):
        raise _TakenBefore


def _whole(one: _Scan, work: Callable[[], dict[str, str]]) -> dict[str, str]:
    """Do what writes more than the count of an item wholly or not at all; a refusal is said."""
    one.take_hold()
    try:
        with one.session.begin_nested():
            said = work()
    except ServiceError as refusal:
        one.session.refresh(one.bench)
        said = _said("wrong", "Stop", str(refusal))
        if one.packing is not None:
            one.session.refresh(one.packing)
    count_today(one.session, one.at, one.now)
    return said


def _said(kind: str, word: str, words: str, **more: str) -> dict[str, str]:
    return {"kind": kind, "word": word, "words": words, **more}


def _understood(one: _Scan, code: str) -> dict[str, str]:
    ours = read_code(code)
    if ours is not None and ours.kind is CodeKind.BADGE:
        return _badge(one, ours.value)
    if not forms_of(code):
        return _said("wrong", "Nothing", "the scanner read nothing; scan it again")
    packing = one.packing
    if packing is None:
        return _nothing_open(one, code, ours)
    if packing.state == PackingState.BUYING:
        return _said("wrong", "Wait", "the label of this one is being bought; scan the next one then")
    if ours is not None:
        return _plain_action(one, packing, ours) or _whole(one, lambda: _ours(one, one.open_packing, ours))
    return _counted(one, packing, code)


def _badge(one: _Scan, secret: str) -> dict[str, str]:
    person = one.session.scalar(select(Person).where(Person.badge_hash == digest_of_badge(secret), Person.active))
    if person is None:
        return _said("wrong", "Unknown badge", "nobody has this badge any more; the owner can print a new sheet")
    one.bench.packer_id, one.at.packer = person.id, person
    return _said("right", person.name.split()[0], f"{person.name} packs here now")


def _nothing_open(one: _Scan, code: str, ours: Code | None) -> dict[str, str]:
    if ours is not None and ours == Code(CodeKind.ACTION, Action.UNDO):
        return _whole(one, lambda: _undone(one, None))
    if ours is not None and ours.value == Action.HELP:
        return _said("note", "Help", "scan a packing slip, a label, or type an order's number", act="help")
    if ours is not None:
        return _said("wrong", "No order yet", "scan a packing slip, an order or a label first")
    meant = one.meaning_of(code)
    if meant.order_id is None:
        return _said("wrong", "Unknown", f"no order and no label has the number {code.strip()[:40]}")
    if meant.alike > 1:
        return _which(one, code)
    try:
        order, packing = open_order(one.session, one.bench, meant.order_id, one.packer.id, one.now)
    except ServiceError as refusal:
        return _said("wrong", "Stop", str(refusal), **_to_decide(refusal, meant.order_id))
    one.packing = one.at.packing = packing
    done = sum(step[1] for step in packing.steps)
    words = f"{order.number}, {done} scanned before" if done else order.number
    return _said("right", "Pack it", words)


def _which(one: _Scan, code: str) -> dict[str, str]:
    """Ask which of several channels' orders with one number is meant; each answer is the code of its own slip."""
    found = orders_meant(one.session, forms_of(code))
    asked = {f"choice_{n}": f"{slip_code(i)} {channel}, {to}" for n, (i, channel, to) in enumerate(found, 1)}
    return _said("wrong", "Which one?", f"{len(found)} orders have the number {code.strip()[:40]}", **asked)


def _to_decide(refusal: ServiceError, order_id: int) -> dict[str, str]:
    """Return which order somebody can decide about at once, where that is what an order waits for."""
    return {"order": str(order_id)} if refusal.code == "changed" else {}


def _counted(one: _Scan, packing: Packing, code: str) -> dict[str, str]:
    check, pieces = check_of(packing), one.bench.pieces
    after, said = scan(check, forms_of(code), pieces)
    if said.verdict == "wrong":
        return _strange(one, packing, code, said.words)
    return _took(one, packing, after, said)


def _strange(one: _Scan, packing: Packing, code: str, words: str) -> dict[str, str]:
    """Say what a code is that is none of the order's: a slip, a label, or goods to be carried back to their shelf."""
    meant = one.meaning_of(code)
    if not meant.name:
        return _said("wrong", "Wrong item", f"{code.strip()[:40]} is unknown and {words}")
    if meant.order_id is None:
        shelf = f" (shelf {meant.shelf})" if meant.shelf else ""
        return _said("wrong", "Wrong item", f"{meant.name}{shelf} {words}")
    if meant.order_id == packing.order_id:
        return _said("note", "This one", f"{meant.name} is open already")
    mine = PackingFacts.of(packing).number
    return _said("wrong", "Another order", f"{meant.name} is another order; finish {mine} or scan Skip")


def _took(one: _Scan, packing: Packing, after: Check, said: Said) -> dict[str, str]:
    if not said.counts:
        return _said("wrong", WORDS[said.verdict], said.words)
    keep_steps(packing, after)
    one.bench.pieces = 1
    if not after.complete:  # the item is counted, and more is to come
        return _said("right", WORDS[said.verdict], said.words)
    return _whole(one, lambda: _go_on(one, one.open_packing, WORDS[said.verdict], said.words))


def _go_on(one: _Scan, packing: Packing, word: str, words: str) -> dict[str, str]:
    """Take it further where everything is in; a label that cannot be bought stops, and what was scanned stays."""
    try:
        with one.session.begin_nested():
            more = go_on(one.session, one.bench, packing, one.packer.name, one.packer.id, one.now)
    except ServiceError as refusal:
        one.session.refresh(packing)
        packing.words = str(refusal)[:300]
        return _said("wrong", "No label", str(refusal), **_to_decide(refusal, packing.order_id))
    if more.dearer:
        return _said("wrong", "Dearer", more.words)
    telling = words if word in ("Partly", "Changed") else ""
    if more.words:  # only what has its label is done
        word = "All in" if packing.state == PackingState.BUYING else "Done"
    return _said("right", word, "; ".join(filter(None, (telling, more.words))) or words)


def _weighed(one: _Scan, reading: Reading | None) -> dict[str, str]:
    packing = one.packing
    if packing is None:
        return _said("wrong", "No order yet", "scan a packing slip, an order or a label first")
    check = check_of(packing)
    parcel = parcel_to_weigh(bench_settings(one.session), packing, check)
    if parcel is None:
        return _said("wrong", "Not yet", "everything must be in before it is weighed")
    if why := reading_refusal(reading):
        return _said("wrong", "Scale", why)
    grams = reading.grams if reading else 0
    expected = PackingFacts.of(packing).expected_g[parcel - 1]
    weighed = weigh(grams, expected, check.in_parcel(parcel), bench_settings(one.session).tolerance)
    if not weighed.fits:
        return _said("wrong", "Weight", weighed.words, grams=str(grams))
    packing.weights_g = [*packing.weights_g, grams]
    one.session.flush()
    return _go_on(one, packing, "Weighed", weight_text(grams))


def _ours(one: _Scan, packing: Packing, code: Code) -> dict[str, str]:
    match code.kind:
        case CodeKind.ACTION:
            return _act(one, packing, Action(code.value.upper()))
        case CodeKind.WHY:
            return _why(one, packing, code.value.upper())
        case CodeKind.RECIPE | CodeKind.BOX:
            words = change_packing(one.session, packing, code, one.packer.name, one.now)
            return _go_on(one, packing, "Changed", words)
        case _:
            return _said("wrong", "Not here", "this code does nothing here")


def _pieces(one: _Scan, value: str) -> dict[str, str]:
    if not (value.isascii() and value.isdigit() and 1 <= int(value) <= MOST_PIECES):
        return _said("wrong", "How many?", f"between 1 and {MOST_PIECES} pieces can be counted at once")
    one.bench.pieces = int(value)
    return _said("note", f"{value} ×", f"scan the item that there are {value} of")


def _plain_action(one: _Scan, packing: Packing, code: Code) -> dict[str, str] | None:
    """Do what changes no more than the bench and where its packing stands; return None where a code means more."""
    if code.kind is CodeKind.PIECES:
        return _pieces(one, code.value)
    if code.kind is not CodeKind.ACTION:
        return None
    value = code.value.upper()
    if value not in set(Action):
        return _said("wrong", "Unknown code", f"no code sheet of now has “{value[:40]}”")
    word = ACTION_WORDS[Action(value)][0]
    match value:
        case Action.SKIP:
            move_row(packing, PACKING_MOVES, PackingState, PackingMove.LEAVE)
            one.bench.packing_id = None
            return _said("note", "Skipped", f"{PackingFacts.of(packing).number} waits with what was scanned")
        case Action.HOLD | Action.SEND_PART:
            return _said("note", word, "why? Scan a reason", pending=value)
        case Action.WEIGH:
            return _said("note", word, "reading the scale", act="weigh")
        case Action.PHOTO:
            return _said("note", word, "the camera opens", act="photo")
        case Action.HELP:
            return _said("note", word, "what can be scanned now is shown below", act="help")
    return None


def _act(one: _Scan, packing: Packing, action: Action) -> dict[str, str]:
    if action is Action.CONFIRM:
        return _confirmed(one, packing)
    if action is Action.UNDO:
        return _undone(one, packing)
    return _buy(one, packing, prints=action is Action.BUY_AND_PRINT)


def _undone(one: _Scan, packing: Packing | None) -> dict[str, str]:
    return _said("note", "Undone", undo(one.session, one.bench, packing, one.packer.name, one.now))


def _confirmed(one: _Scan, packing: Packing) -> dict[str, str]:
    """Confirm an item without a barcode; on the scale, that the weight is right as it is."""
    check = check_of(packing)
    parcel = parcel_to_weigh(bench_settings(one.session), packing, check)
    grams = one.bench.said.get("grams", "")
    if parcel is not None and grams:
        packing.weights_g = [*packing.weights_g, int(grams)]
        one.session.flush()
        return _go_on(one, packing, "Weight taken", f"{weight_text(int(grams))}, as it is")
    after, said = confirm(check, one.bench.pieces)
    return _took(one, packing, after, said)


def _buy(one: _Scan, packing: Packing, *, prints: bool) -> dict[str, str]:
    check = check_of(packing)
    if not check.complete:
        missing = check.next
        words = f"{missing.name} is still missing" if missing else "a serial number is still missing"
        return _said("wrong", "Not yet", f"{words}; scan it, or scan Send what is here")
    if parcel_to_weigh(bench_settings(one.session), packing, check) is not None:
        return _said("wrong", "Not yet", "it must be weighed first")
    packing.prints = prints
    return _go_on(one, packing, "Bought", "")


def _why(one: _Scan, packing: Packing, value: str) -> dict[str, str]:
    reason, pending = REASONS.get(value), one.bench.said.get("pending")
    if reason is None or pending is None:
        return _said("wrong", "Not now", "a reason follows Hold or Send what is here")
    if pending == Action.HOLD:
        words = hold_packing(one.session, one.bench, packing, reason, one.packer.name, one.now)
        return _said("note", "Held", words)
    words = send_what_is_here(one.session, packing, reason, one.packer.name, one.now)
    return _go_on(one, packing, "Partly", words)
