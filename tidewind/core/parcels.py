"""Into which parcels an order goes: by hand, divided, in a wished box, or in what fits."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from tidewind.core import packing
from tidewind.core.frozen import frozen
from tidewind.core.layers import BATCH, BINDING, HAND, Wish, Wishes
from tidewind.core.order_facts import Hand, HandParcel, LineFacts, Shop
from tidewind.core.packing import Lot, Packaging, PackedParcel, Unit
from tidewind.core.quantities import Refused, weight_text
from tidewind.core.rules.rule import Split
from tidewind.core.snags import Snag


@frozen
class Packed:
    """The parcels of an order, the box that a layer chose for them, and whether they were divided on purpose."""

    parcels: tuple[PackedParcel, ...]
    box: Packaging | None = None
    divided: bool = False


def units_of(lines: Sequence[LineFacts]) -> Lot:
    """Return every piece still to be sent.  Raises ValueError where a weight is not known, or the size of an own box.

    A piece whose size nobody has said has ``packing.NO_SIZE``: its packaging is chosen by weight.
    """
    units = []
    for line in lines:
        if line.weight_g is None or (line.sides is None and line.own_box):
            raise ValueError(f"{line.sku} has no weight or size")
        unit = Unit(line.id, line.sides or packing.NO_SIZE, line.weight_g, line.upright, line.own_box)
        units += [unit] * line.quantity
    return Lot(units)


def parcels_text(parcels: Sequence[PackedParcel]) -> str:
    """Name the packaging of a shipment in a few words: one box by its name, several by their number."""
    names = [p.packaging.name if p.packaging else "Own carton" for p in parcels]
    return names[0] if len(names) == 1 else f"{len(names)} parcels"


def divide(units: Sequence[Unit], split: Split) -> Sequence[Sequence[Unit]]:
    """Return the pieces in lots of at most so many pieces, or so many grams; a heavier piece goes alone."""
    lots: list[list[Unit]] = []
    weights: list[int] = []
    for unit in units:
        cost = 1 if split.by == "quantity" else unit.weight_g
        at = next((n for n, used in enumerate(weights) if used + cost <= split.most), None)
        if at is None:
            lots.append([unit])
            weights.append(cost)
        else:
            lots[at].append(unit)
            weights[at] += cost
    return lots


def by_phrase(wish: Wish) -> str:
    """Say who set something, for the words of a snag."""
    if wish.layer == HAND:
        return "chosen by hand"
    if wish.layer == BATCH:
        return "chosen for the batch"
    return f"set by the {wish.layer} ({wish.why})"


def put_into_parcels(
    units: Sequence[Unit], wishes: Wishes, hand: Hand, shop: Shop, snags: list[Snag]
) -> Packed | Refused:
    """Return the parcels that the layers ask for, or why that cannot be.

    A box wished by a rule or by hand that is too small refuses; one wished by another layer gives way to what fits,
    with a warning among ``snags``.
    """
    own = shop.own_boxes
    if hand.parcels:
        return _by_hand(units, hand.parcels, shop, own)
    split = hand.split or wishes.split
    lots = divide(units, split) if split else [units]
    for wish in reversed(wishes.packaging):
        box = shop.boxes.get(wish.value)
        gone = Refused("wished_packaging", f"there is no packaging {wish.value}")
        packed = _in_box(lots, box, wish) if box else gone
        if not isinstance(packed, Refused):
            return Packed(packed, box, bool(split))
        words = f"{packed.detail}, {by_phrase(wish)}"
        if wish.layer in BINDING:
            return Refused("wished_packaging", words)
        snags.append(Snag("packaging_gave_way", "warns", f"{words[0].upper()}{words[1:]}", "packaging"))
    packed = _default(lots, own, shop)
    return packed if isinstance(packed, Refused) else Packed(packed, None, bool(split))


def default_parcels(units: Sequence[Unit], shop: Shop) -> Packed | Refused:
    """Return the parcels that pieces make where no layer says anything of them, or why that cannot be."""
    packed = _default([units], shop.own_boxes, shop)
    return packed if isinstance(packed, Refused) else Packed(packed)


def _in_box(lots: Sequence[Sequence[Unit]], box: Packaging, wish: Wish) -> tuple[PackedParcel, ...] | Refused:
    # Only a person may put goods that need their own box into another.
    free = [Lot(replace(u, own_box=False) for u in lot) for lot in lots] if wish.layer in {BATCH, HAND} else lots
    packed = _all(free, [box])
    return Refused("wished_packaging", _too_full(free, box)) if isinstance(packed, Refused) else packed


def _too_full(lots: Sequence[Sequence[Unit]], box: Packaging) -> str:
    measured = list(map(Lot, lots))
    return packing.too_full(next((lot for lot in measured if not lot.goes_into(box)), measured[0]), box)


def _all(lots: Sequence[Sequence[Unit]], boxes: Sequence[Packaging]) -> tuple[PackedParcel, ...] | Refused:
    parcels: list[PackedParcel] = []
    for lot in lots:
        packed = packing.pack(lot, boxes)
        if isinstance(packed, Refused):
            return packed
        parcels += packed
        if len(parcels) > packing.MOST_PARCELS:
            return Refused("too_many_parcels", f"more than {packing.MOST_PARCELS} parcels")
    return tuple(parcels)


def _default(
    pieces: Sequence[Sequence[Unit]], own: Sequence[Packaging], shop: Shop
) -> tuple[PackedParcel, ...] | Refused:
    lots = list(map(Lot, pieces))
    unmeasured = any(not lot.measured for lot in lots)
    if not shop.packaging_by_weight and not unmeasured:
        return _all(lots, own)
    if unmeasured:
        most = max((p.holds_g[1] for p in own if p.holds_g), default=0)
        lots = [Lot(some) for lot in lots for some in divide(lot, Split("weight", most))]
    parcels: list[PackedParcel] = []
    for lot in lots:
        box = next((p for p in own if p.holds_g and p.holds_g[0] <= lot.weight_g <= p.holds_g[1]), None)
        if box and not lot.own_boxes:
            parcels.append(packing.parcel_of(lot, box))
            continue
        if not lot.measured:
            words = f"no packaging is meant for {weight_text(lot.weight_g)} of goods that have no size"
            return Refused("no_size", words)
        packed = packing.pack(lot, own)
        if isinstance(packed, Refused):
            return packed
        parcels += packed
    return tuple(parcels)


def _by_hand(
    units: Sequence[Unit], wanted: Sequence[HandParcel], shop: Shop, own: Sequence[Packaging]
) -> Packed | Refused:
    boxes = shop.boxes
    waiting = {line: [replace(u, own_box=False) for u in units if u.line == line] for line in {u.line for u in units}}
    parcels: list[PackedParcel] = []
    for number, parcel in enumerate(wanted, 1):
        lot = list(_take(waiting, parcel))
        box = boxes.get(parcel.packaging or "")
        packed = packing.pack(lot, [box] if box else own)
        if not lot or isinstance(packed, Refused) or len(packed) != 1:
            into = f"into {box.name}" if box else "into any box"
            return Refused("hand_parcels", f"parcel {number}, put together by hand, does not fit {into}")
        parcels += packed
    if any(waiting.values()):
        return Refused("hand_parcels", "the parcels put together by hand leave items out")
    return Packed(tuple(parcels), None, divided=True)


def _take(waiting: dict[str, list[Unit]], parcel: HandParcel) -> Iterator[Unit]:
    for line, count in parcel.contents:
        for _ in range(min(count, len(waiting.get(line, [])))):
            yield waiting[line].pop()
