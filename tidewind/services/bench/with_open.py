"""A scan while an order is open: an item counts, a code of ours acts, whatever else it is stops loudly."""

from __future__ import annotations

from tidewind.core.bench.checking import Check, Said, confirm, scan
from tidewind.core.bench.codes import ACTION_WORDS, REASONS, Action, Code, CodeKind
from tidewind.core.bench.weighing import Reading, reading_refusal, weigh
from tidewind.core.quantities import weight_text
from tidewind.core.scanned import forms_of
from tidewind.core.states.packings import PACKING_MOVES, PackingMove, PackingState
from tidewind.db.tables import Packing
from tidewind.services.base import ServiceError, move_row
from tidewind.services.bench.changing import change_packing, hold_packing, send_what_is_here, undo_step
from tidewind.services.bench.finishing import go_on, parcel_to_weigh, print_again
from tidewind.services.bench.items import PackingFacts, check_of, keep_steps
from tidewind.services.bench.one_scan import Scan, said, to_decide, whole
from tidewind.services.bench.serials import serial_refusal
from tidewind.services.bench.settings import bench_settings
from tidewind.services.bench.with_none import photo_of, taken_in_hand

MOST_PIECES = 500
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


def with_one_open(one: Scan, packing: Packing, code: str, ours: Code | None) -> dict[str, str]:
    """Take a scan while an order is open: a code of ours acts, all else counts or is said to be wrong."""
    if ours is not None:
        return _plain_action(one, packing, ours) or whole(one, lambda: _ours(one, one.open_packing, ours))
    change = one.at.around.change
    if change is not None and change.stops:  # said at once, and not with the last item
        words = f"{PackingFacts.of(packing).number}: {change.words}. Scan Skip, or have somebody decide"
        return said("wrong", "Changed", words, order=str(packing.order_id))
    return _counted(one, packing, code)


def _counted(one: Scan, packing: Packing, code: str) -> dict[str, str]:
    check, pieces = check_of(packing), one.bench.pieces
    if check.wants_serial is not None and (why := serial_refusal(one, check.wants_serial, code)):
        return said("wrong", WORDS["no_serial"], why)
    after, told = scan(check, forms_of(code), pieces)
    if told.verdict == "wrong":
        return _strange(one, packing, code, told.words)
    return _took(one, packing, after, told)


def _strange(one: Scan, packing: Packing, code: str, words: str) -> dict[str, str]:
    """Say what a code is that is none of the order's: a slip, a label, or goods to be carried back to their shelf."""
    meant = one.meaning_of(code)
    if (aside := one.aside_of(meant)) is not None and aside.kind == "come":
        return whole(one, lambda: taken_in_hand(one, aside))
    if not meant.name:
        return said("wrong", "Wrong item", f"{code.strip()[:40]} is unknown and {words}")
    if meant.order_id is None:
        shelf = f" (shelf {meant.shelf})" if meant.shelf else ""
        return said("wrong", "Wrong item", f"{meant.name}{shelf} {words}")
    if meant.order_id == packing.order_id:
        return said("note", "This one", f"{meant.name} is open already")
    mine = PackingFacts.of(packing).number
    return said("wrong", "Another order", f"{meant.name} is another order; finish {mine} or scan Skip")


def _took(one: Scan, packing: Packing, after: Check, told: Said) -> dict[str, str]:
    if not told.counts:
        return said("wrong", WORDS[told.verdict], told.words)
    keep_steps(packing, after)
    one.bench.pieces = 1
    if not after.complete:  # the item is counted, and more is to come
        return said("right", WORDS[told.verdict], told.words)
    return whole(one, lambda: _go_on(one, one.open_packing, WORDS[told.verdict], told.words))


def _go_on(one: Scan, packing: Packing, word: str, words: str) -> dict[str, str]:
    """Take it further where everything is in; a label that cannot be bought stops, and what was scanned stays."""
    try:
        with one.session.begin_nested():
            more = go_on(one.session, one.bench, packing, one.packer.name, one.packer.id, one.now)
    except ServiceError as refusal:
        one.session.refresh(packing)
        packing.words = str(refusal)[:300]
        return said("wrong", "No label", str(refusal), **to_decide(refusal, packing.order_id))
    if more.dearer:
        return said("wrong", "Dearer", more.words)
    telling = words if word in ("Partly", "Changed") else ""
    if more.words:  # only what has its label is done
        word = "All in" if packing.state == PackingState.BUYING else "Done"
    return said("right", word, "; ".join(filter(None, (telling, more.words))) or words)


def weighed(one: Scan, reading: Reading | None) -> dict[str, str]:
    """Take what the scale shows for the parcel that is to be weighed."""
    packing = one.packing
    if packing is None:
        return said("wrong", "No order yet", "scan a packing slip, an order or a label first")
    check = check_of(packing)
    parcel = parcel_to_weigh(bench_settings(one.session), packing, check)
    if parcel is None:
        return said("wrong", "Not yet", "everything must be in before it is weighed")
    if why := reading_refusal(reading):
        return said("wrong", "Scale", why)
    grams = reading.grams if reading else 0
    expected = PackingFacts.of(packing).expected_g[parcel - 1]
    found = weigh(grams, expected, check.in_parcel(parcel), bench_settings(one.session).tolerance)
    if not found.fits:
        return said("wrong", "Weight", found.words, grams=str(grams))
    packing.weights_g = [*packing.weights_g, grams]
    one.session.flush()
    return _go_on(one, packing, "Weighed", weight_text(grams))


def _ours(one: Scan, packing: Packing, code: Code) -> dict[str, str]:
    match code.kind:
        case CodeKind.ACTION:
            return _act(one, packing, Action(code.value.upper()))
        case CodeKind.WHY:
            return _why(one, packing, code.value.upper())
        case CodeKind.RECIPE | CodeKind.BOX:
            words = change_packing(one.session, packing, code, one.packer.name, one.now)
            return _go_on(one, packing, "Changed", words)
        case _:
            return said("wrong", "Not here", "this code does nothing here")


def _pieces(one: Scan, value: str) -> dict[str, str]:
    if not (value.isascii() and value.isdigit() and 1 <= int(value) <= MOST_PIECES):
        return said("wrong", "How many?", f"between 1 and {MOST_PIECES} pieces can be counted at once")
    one.bench.pieces = int(value)
    return said("note", f"{value} ×", f"scan the item that there are {value} of")


def _plain_action(one: Scan, packing: Packing, code: Code) -> dict[str, str] | None:
    """Do what changes no more than the bench and where its packing stands; return None where a code means more."""
    if code.kind is CodeKind.PIECES:
        return _pieces(one, code.value)
    if code.kind is not CodeKind.ACTION:
        return None
    value = code.value.upper()
    if value not in set(Action):
        return said("wrong", "Unknown code", f"no code sheet of now has “{value[:40]}”")
    word = ACTION_WORDS[Action(value)][0]
    match value:
        case Action.SKIP:
            move_row(packing, PACKING_MOVES, PackingState, PackingMove.LEAVE)
            one.bench.packing_id, one.bench.last = None, {"did": "skipped", "packing": packing.id}
            return said("note", "Skipped", f"{PackingFacts.of(packing).number} waits with what was scanned")
        case Action.HOLD | Action.SEND_PART:
            return said("note", word, "why? Scan a reason", pending=value)
        case Action.WEIGH:
            return said("note", word, "reading the scale", act="weigh")
        case Action.PHOTO:
            return said("note", word, "the camera opens", **photo_of(packing))
        case Action.HELP:
            return said("note", word, "what can be scanned now is shown below", act="help")
    return None


def _act(one: Scan, packing: Packing, action: Action) -> dict[str, str]:
    if action is Action.CONFIRM:
        return _confirmed(one, packing)
    if action is Action.UNDO:
        return said("note", "Undone", undo_step(one.bench, packing))
    if action is Action.PRINT_AGAIN:
        return said("note", "Prints again", print_again(one.session, packing, one.client_key, one.now))
    if action is Action.RELEASE:
        return said("wrong", "Not now", "Release follows the slip of an order that is held")
    return _buy(one, packing, prints=action is Action.BUY_AND_PRINT)


def _confirmed(one: Scan, packing: Packing) -> dict[str, str]:
    """Confirm an item without a barcode; on the scale, that the weight is right as it is."""
    check = check_of(packing)
    parcel = parcel_to_weigh(bench_settings(one.session), packing, check)
    grams = one.bench.said.get("grams", "")
    if parcel is not None and grams:
        packing.weights_g = [*packing.weights_g, int(grams)]
        one.session.flush()
        return _go_on(one, packing, "Weight taken", f"{weight_text(int(grams))}, as it is")
    after, told = confirm(check, one.bench.pieces)
    return _took(one, packing, after, told)


def _buy(one: Scan, packing: Packing, *, prints: bool) -> dict[str, str]:
    check = check_of(packing)
    if not check.complete:
        missing = check.next
        words = f"{missing.name} is still missing" if missing else "a serial number is still missing"
        return said("wrong", "Not yet", f"{words}; scan it, or scan Send what is here")
    if parcel_to_weigh(bench_settings(one.session), packing, check) is not None:
        return said("wrong", "Not yet", "it must be weighed first")
    packing.prints = prints
    return _go_on(one, packing, "Bought", "")


def _why(one: Scan, packing: Packing, value: str) -> dict[str, str]:
    reason, pending = REASONS.get(value), one.bench.said.get("pending")
    if reason is None or pending is None:
        return said("wrong", "Not now", "a reason follows Hold or Send what is here")
    if pending == Action.HOLD:
        words = hold_packing(one.session, one.bench, packing, reason, one.packer.name, one.now)
        return said("note", "Held", words)
    words = send_what_is_here(one.session, packing, reason, one.packer.name, one.now)
    return _go_on(one, packing, "Partly", words)
