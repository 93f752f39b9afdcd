"""What a van takes along, what it leaves and why, and what its coming costs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from tidewind.core.calendar import SATURDAY
from tidewind.core.pickups.rules import PickupRules
from tidewind.core.quantities import Refused, Size, length_text, weight_text


@dataclass(frozen=True, slots=True)
class Waiting:
    """A parcel that waits for a van: its label, its service by code and name, gross weight in grams, outer sides."""

    label: str
    service: str
    service_name: str
    gross_g: int
    sides: Size | None = None


@dataclass(frozen=True, slots=True)
class Taken:
    """What goes along, what stays with the reason for each, and why the van would not come for it at all."""

    going: tuple[Waiting, ...]
    left: tuple[tuple[Waiting, str], ...] = ()
    refused: Refused | None = None


def taken_along(parcels: Sequence[Waiting], rules: PickupRules) -> Taken:
    """Part what waits into what a van takes and what it leaves; with nothing it comes for it does not come."""
    going: list[Waiting] = []
    left: list[tuple[Waiting, str]] = []
    gross = 0
    for parcel in parcels:
        why = _too_much(parcel, rules)
        if why is None and rules.most_parcels is not None and len(going) >= rules.most_parcels:
            why = f"{rules.most_parcels} parcels at most"
        if why is None and rules.most_gross_g is not None and gross + parcel.gross_g > rules.most_gross_g:
            why = f"{weight_text(rules.most_gross_g)} at most in all"
        if why is not None:
            left.append((parcel, why))
            continue
        going.append(parcel)
        gross += parcel.gross_g
    if going and all(parcel.service in rules.not_alone for parcel in going):
        names = _listed(sorted({parcel.service_name for parcel in going}))
        words = f"{names} alone are not fetched; take them to a counter, or send one of them tracked"
        return Taken((), (*left, *((parcel, "not fetched by itself") for parcel in going)), Refused("alone", words))
    return Taken(tuple(going), tuple(left))


def _too_much(parcel: Waiting, rules: PickupRules) -> str | None:
    if parcel.service in rules.not_fetched:
        return f"{parcel.service_name} is not fetched"
    if rules.parcel_gross_g is not None and parcel.gross_g > rules.parcel_gross_g:
        return f"{weight_text(parcel.gross_g - rules.parcel_gross_g)} over {weight_text(rules.parcel_gross_g)}"
    if rules.parcel_sides is not None and parcel.sides is not None:
        for side in ("longest", "middle", "shortest"):
            mine, most = getattr(parcel.sides, side), getattr(rules.parcel_sides, side)
            if mine > most:
                return f"{length_text(mine - most)} over {length_text(most)}"
    return None


def _listed(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def pickup_fee(parcels: int, day: date, *, exact_hour: bool, rules: PickupRules) -> int:
    """Return what a pickup costs, in minor units of the card's currency, without tax."""
    fee = rules.fee * (parcels if rules.fee_per == "parcel" else 1)
    if exact_hour:
        fee += rules.exact_hour_fee
    return fee + (rules.saturday_fee if day.weekday() == SATURDAY else 0)
