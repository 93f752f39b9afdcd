"""What is changed at the bench: box and recipe, what is sent in part, what is held, what is undone."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import case, select
from sqlalchemy.orm import Session

from tidewind.core.bench.checking import Check
from tidewind.core.bench.codes import Code, CodeKind
from tidewind.core.states.labels import LabelState
from tidewind.core.states.packings import PACKING_MOVES, PackingMove, PackingState
from tidewind.db.bulk import Columns
from tidewind.db.tables import Bench, Order, PackagingRow, Packing, RecipeRow, SerialNumber, Shipment
from tidewind.services.base import Conflict, Invalid, move_row, write_history
from tidewind.services.bench.items import PackingFacts, check_of, fill, keep_steps
from tidewind.services.buying import ask_void
from tidewind.services.orders import edit_hand, send_apart, set_held
from tidewind.services.planning import shop_day


def _not_bought(packing: Packing, what: str) -> None:
    if packing.shipment_id is not None:
        raise Conflict("bought", f"Its label is bought already, so {what}. Void the label first.")


def change_packing(session: Session, packing: Packing, code: Code, who: str, now: datetime) -> str:
    """Pack an order into another box, or by a recipe; what was scanned stays.  Return it in words.

    Raises Conflict where its label is bought, Invalid for a box or a recipe that there is not.
    """
    _not_bought(packing, "its box and service stay")
    changes: Columns
    if code.kind is CodeKind.BOX:
        box = session.scalar(select(PackagingRow).where(PackagingRow.code == code.value, PackagingRow.active))
        if box is None:
            raise Invalid("unknown_box", f"There is no packaging {code.value[:40]}.")
        changes, name = {"packaging": box.code, "parcels": None}, box.name
    else:
        recipe = session.scalar(select(RecipeRow).where(RecipeRow.code == code.value))
        if recipe is None:
            raise Invalid("unknown_recipe", f"There is no recipe {code.value[:40]}.")
        wanted = {"packaging": recipe.packaging, "service": recipe.service, "extras": list(recipe.extras)}
        changes, name = {key: value for key, value in wanted.items() if value}, recipe.name
    order = edit_hand(session, [packing.order_id], changes, who, now)[0]
    packing.weights_g = []
    fill(session, packing, order, None)
    stops = [snag.words for snag in order.snags if snag.level == "stops"]
    if stops:
        raise Conflict("does_not_go", f"That does not go: {stops[0]}")
    return f"{name}, {order.plan.service_name}"


def send_what_is_here(session: Session, packing: Packing, reason: str, who: str, now: datetime) -> str:
    """Take what was not scanned out into a part of its own, so that the rest can go.  Return it in words.

    Raises Conflict where nothing was scanned, nothing is missing, or its label is bought.
    """
    _not_bought(packing, "it must be packed whole")
    check = check_of(packing)
    missing = _missing_lines(check)
    if not check.steps or not missing:
        raise Conflict("nothing_to_part", "Scan what is here first; something must be here, and something missing.")
    part = send_apart(session, packing.order_id, missing, who, now)
    order = session.get_one(Order, packing.order_id)
    write_history(session, order, who, f"sent without {part.number}: {reason}", now)
    session.flush()
    fill(session, packing, order, None)
    return f"the rest is {part.number} now: {reason}"


def _missing_lines(check: Check) -> dict[int, int]:
    """Return how many pieces of each order line are missing; of a set as many as its most wanted part."""
    missing: dict[int, int] = {}
    for item in check.items:
        line = int(item.key.partition("/")[0])
        alone = item.key.count("/") == 1
        left = check.left(item)
        missing[line] = missing.get(line, 0) + left if alone else max(missing.get(line, 0), min(left, 1))
    return {line: pieces for line, pieces in missing.items() if pieces}


def hold_packing(session: Session, bench: Bench, packing: Packing, reason: str, who: str, now: datetime) -> str:
    """Hold an order until what is missing is there; what was scanned is kept.  Raises Conflict once it is bought."""
    _not_bought(packing, "the order cannot be held")
    move_row(packing, PACKING_MOVES, PackingState, PackingMove.LEAVE)
    bench.packing_id, packing.words = None, reason
    bench.last = {"did": "held", "packing": packing.id}
    order = set_held(session, [packing.order_id], True, who, now, f"{reason}, at {bench.name}")[0]
    return f"{order.number} is held: {reason}. Put its goods back"


def undo_step(bench: Bench, packing: Packing) -> str:
    """Take the last scan of an open order back; where nothing was scanned, put the order back.  Return it in words."""
    check = check_of(packing)
    if not check.steps:
        move_row(packing, PACKING_MOVES, PackingState, PackingMove.UNDO)
        bench.packing_id = None
        return f"{PackingFacts.of(packing).number} was put back"
    last, after = check.steps[-1], check.undo()
    keep_steps(packing, after)
    packing.weights_g = packing.weights_g[: after.parcel - 1]
    name = next(item.name for item in check.items if item.key == last.key)
    return f"{name} was taken out again"


def last_packed(session: Session, bench: Bench, now: datetime) -> Packing | None:
    """Return the parcel that was packed last at a bench today, locked; None where none was.

    One that lay aside when its label came was finished before what was packed meanwhile.
    """
    query = select(Packing).where(Packing.bench_id == bench.id, Packing.state == PackingState.PACKED)
    mine = case((Packing.id == bench.last.get("packing", 0), 0), else_=1)
    packing = session.scalars(query.order_by(mine, Packing.packed_at.desc()).limit(1).with_for_update()).first()
    if packing is None or packing.packed_at is None or shop_day(session, packing.packed_at) != shop_day(session, now):
        return None
    return packing


def undo_packed(session: Session, bench: Bench, packing: Packing, who: str, now: datetime) -> str:
    """Take a packed parcel back; a label that was bought here is voided.  Raises Conflict where that is refused."""
    number, shipment = PackingFacts.of(packing).number, session.get(Shipment, packing.shipment_id or 0)
    move_row(packing, PACKING_MOVES, PackingState, PackingMove.UNDO)
    for kept in session.scalars(select(SerialNumber).where(SerialNumber.packing_id == packing.id)):
        session.delete(kept)
    words = "its label stays good"
    if packing.bought_here and shipment is not None and shipment.state == LabelState.BOUGHT:
        refused = ask_void(session, [shipment.id], who, True, now).refused
        if refused:
            raise Conflict("not_void", f"{number}: {refused[shipment.id]}. It stays packed.")
        words = "its label is voided: take it off the parcel"
    write_history(session, session.get_one(Order, packing.order_id), who, f"packing undone at {bench.name}", now)
    return f"{number} is not packed any more; {words}"
