"""Volumetric and billable weight of a parcel."""

from __future__ import annotations

from tidewind.core.consignments import Parcel
from tidewind.core.quantities import steps_begun
from tidewind.core.tariffs.card import Service


def volumetric_g(parcel: Parcel, service: Service) -> int:
    """Return the volumetric weight in grams, rounded up to the gram; 0 where it does not count."""
    rule = service.volumetric
    if rule is None:
        return 0
    mm3, step = parcel.mm3, rule.side_step_mm
    if step > 1:
        mm3 = step**3
        for side in (parcel.size.longest, parcel.size.middle, parcel.size.shortest):
            mm3 *= steps_begun(side, step)
    return 0 if mm3 <= rule.threshold_cm3 * 1000 else -(-mm3 // rule.divisor)


def billable_g(parcel: Parcel, service: Service) -> int:
    """Return what the carrier charges for: the heavier of gross and volumetric, at least the minimum, rounded up."""
    heavier, step = parcel.gross_g, service.round_up_g
    if service.volumetric is not None:
        heavier = max(heavier, volumetric_g(parcel, service))
    heavier = max(heavier, service.minimum_g)
    return heavier if step <= 1 else steps_begun(heavier, step) * step
