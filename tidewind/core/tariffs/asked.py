"""A carrier that brings no rate card: its services by name alone, with a price asked for every shipment."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tidewind.core.tariffs.simple import Around
from tidewind.core.written import Written

USUAL_MAX_G, USUAL_DAYS = 30_000, (1, 5)


@dataclass(frozen=True, slots=True)
class AskedService:
    """A service as a carrier names it: its code, working days from and to, and the most that a parcel may weigh."""

    code: str
    name: str
    days: tuple[int, int] = USUAL_DAYS
    max_g: int = USUAL_MAX_G
    cutoff: str = "16:00"


def asked_card(services: Sequence[AskedService], around: Around) -> Written:
    """Return the card in its written form: one zone for everywhere, and whether it serves a place it says when asked.

    Tax is what the carrier's answer says, so the card adds none.
    """
    cutoff = min(service.cutoff for service in services)
    return {
        "carrier": around.carrier,
        "currency": around.currency,
        "country": around.country,
        "time_zone": around.time_zone,
        "valid_from": around.valid_from.isoformat(),
        "tax_bp": 0,
        "tax_name": "Tax",
        "networks": [{"id": "main", "name": around.name, "cutoff": cutoff}],
        "zones": [{"id": "all", "name": "Everywhere it serves", "where": [{"countries": ["*"]}]}],
        "services": [
            {
                "code": service.code,
                "name": service.name,
                "network": "main",
                "kind": "live",
                "transit": {"all": list(service.days)},
                "limits": {"gross_g": service.max_g},
            }
            for service in services
        ],
        "note": "Prices are asked from the carrier.",
    }
