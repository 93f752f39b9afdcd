"""How often parcels came late, from the shop's own record, and what stands in where that is too thin."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

ENOUGH = 30
"""Parcels below which a service's own record says too little (shop policy)."""
_WHOLE = 10_000


@dataclass(frozen=True, slots=True)
class Record:
    """Parcels delivered by one service of a carrier, and how many of them after the promised latest day."""

    carrier: str
    parcels: int
    late: int


@dataclass(frozen=True, slots=True)
class Lateness:
    """The share of late parcels (basis points), how many it rests on, and whose: service, carrier, shop, nothing."""

    late_bp: int
    parcels: int
    of: str


def lateness(service: str, carrier: str, record: Mapping[str, Record]) -> Lateness:
    """Return the share of late parcels of a service, of its carrier where it had too few, else of the whole shop.

    Without any record nothing is held against a service.
    """
    mine = record.get(service)
    if mine and mine.parcels >= ENOUGH:
        return _share([mine], "service")
    of_carrier = [r for r in record.values() if r.carrier == carrier]
    if sum(r.parcels for r in of_carrier) >= ENOUGH:
        return _share(of_carrier, "carrier")
    if sum(r.parcels for r in record.values()) >= ENOUGH:
        return _share(list(record.values()), "shop")
    return Lateness(0, 0, "nothing")


def _share(records: list[Record], of: str) -> Lateness:
    parcels, late = sum(r.parcels for r in records), sum(r.late for r in records)
    return Lateness((late * _WHOLE + parcels // 2) // parcels, parcels, of)
