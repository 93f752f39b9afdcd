"""What a service takes, and the words with the figure where it does not."""

from __future__ import annotations

from collections.abc import Sequence

from tidewind.core.consignments import Consignment, Parcel
from tidewind.core.quantities import Refused, Size, length_text, money_text, weight_text
from tidewind.core.tariffs.card import Limits, Service


def narrowed(limits: Limits, more: Limits | None) -> Limits:
    """Return the limits that hold where both do: the narrower of each."""
    if more is None:
        return limits
    sides = [s for s in (limits.sides, more.sides) if s]
    return Limits(
        gross_g=_least(limits.gross_g, more.gross_g),
        sides=Size(min(s.longest for s in sides), min(s.middle for s in sides), min(s.shortest for s in sides))
        if sides
        else None,
        girth_mm=_least(limits.girth_mm, more.girth_mm),
        value=_least(limits.value, more.value),
        least_sides=more.least_sides or limits.least_sides,
        parcels=_least(limits.parcels, more.parcels),
        refused_contents=limits.refused_contents | more.refused_contents,
    )


def _least(a: int | None, b: int | None) -> int | None:
    return b if a is None else a if b is None else min(a, b)


def parcel_refusal(parcel: Parcel, limits: Limits) -> Refused | None:
    """Return why a parcel breaks a limit, with the figure it is over by, or None."""
    if limits.gross_g is not None and parcel.gross_g > limits.gross_g:
        over = parcel.gross_g - limits.gross_g
        return Refused("too_heavy", f"{weight_text(over)} over {weight_text(limits.gross_g)}")
    size, most, least = parcel.size, limits.sides, limits.least_sides
    if most is not None and not size.fits(most):
        return Refused("too_large", _first_over(size, most, ("long", "wide", "thick")))
    if limits.girth_mm is not None and parcel.girth_mm > limits.girth_mm:
        over = parcel.girth_mm - limits.girth_mm
        return Refused("too_large", f"length plus girth {length_text(over)} over {length_text(limits.girth_mm)}")
    if least is not None and not least.fits(size):
        return Refused("too_small", _first_over(least, size, ("short", "narrow", "thin")))
    return None


def _first_over(size: Size, most: Size, words: tuple[str, str, str]) -> str:
    """Say by how much the first side, longest first, is over the other's."""
    for side, bound, word in zip(_sides(size), _sides(most), words, strict=True):
        if side > bound:
            return f"{length_text(side - bound)} too {word}"
    raise ValueError("no side is over")


def _sides(size: Size) -> Sequence[int]:
    return size.longest, size.middle, size.shortest


def refusal(c: Consignment, service: Service, limits: Limits, extras: frozenset[str], currency: str) -> Refused | None:
    """Return why a service cannot take a consignment, or None; ``extras`` are those it knows."""
    if limits.value is not None and c.goods.value > limits.value:
        return Refused("too_valuable", f"goods worth more than {money_text(limits.value, currency)}")
    if c.goods.contents and not c.goods.contents.isdisjoint(limits.refused_contents):
        return Refused("contents", f"does not take {_listed(c.goods.contents & limits.refused_contents)}")
    if c.route.po_box and "po_box" in limits.refused_contents:
        return Refused("po_box", "does not deliver to a PO box")
    if service.to_point and not c.route.point:
        return Refused("no_point", "the recipient's locker or shop is not known")
    if c.extras and not c.extras <= extras:
        return Refused("extra", f"has no {_listed(c.extras - extras)}")
    if limits.parcels is not None and len(c.parcels) > limits.parcels:
        return Refused("too_many_parcels", f"takes {limits.parcels} a shipment, these are {len(c.parcels)}")
    for parcel in c.parcels:
        if parcel.packaging != service.packaging and (parcel.packaging or service.packaging):
            return Refused("packaging", "needs the carrier's own box" if service.packaging else "not in that box")
        refused = parcel_refusal(parcel, limits)
        if refused is not None:
            return refused
    return None


def _listed(codes: frozenset[str]) -> str:
    return ", ".join(sorted(code.replace("_", " ") for code in codes))
