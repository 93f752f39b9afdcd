"""Boxes, bags, envelopes and tubes, own and the carriers'."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from datetime import datetime
from importlib import resources

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.db.tables import PackagingRow
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.planning import replan_waiting, shop_settings


def all_packaging(session: Session) -> Sequence[PackagingRow]:
    """Return all packaging, own first, by code."""
    return session.scalars(select(PackagingRow).order_by(PackagingRow.carrier.nulls_first(), PackagingRow.code)).all()


def starters(units: str) -> list[dict[str, object]]:
    """Return common sizes of cartons and bags in a shop's units, to be taken and changed."""
    text = resources.files("tidewind.data").joinpath("packaging-starters.csv").read_text("utf-8")
    return [
        {name: int(value) if value.isdigit() else value for name, value in row.items() if name != "units"}
        for row in csv.DictReader(text.splitlines())
        if row["units"] == units
    ]


def take_starters(session: Session, now: datetime) -> int:
    """Add the common sizes in the shop's units, but for codes that are there; return how many were added."""
    there = set(session.scalars(select(PackagingRow.code)))
    added = [values for values in starters(shop_settings(session).units) if values["code"] not in there]
    for values in added:
        session.add(PackagingRow(**values))
    session.flush()
    if added:
        replan_waiting(session, "Common packaging was added", now)
    return len(added)


def save_packaging(
    session: Session, packaging_id: int | None, values: dict[str, object], now: datetime
) -> PackagingRow:
    """Add or change packaging and plan all waiting orders anew.

    Raises Invalid where the inside is larger than the outside, Conflict for a code that is taken.
    """
    row = session.get(PackagingRow, packaging_id) if packaging_id else PackagingRow()
    if row is None:
        raise NotFound("unknown_packaging", "This packaging does not exist.")
    taken = session.scalar(
        select(PackagingRow.id).where(PackagingRow.code == values["code"], PackagingRow.id != (packaging_id or 0))
    )
    if taken:
        raise Conflict("code_taken", f"There is already packaging with the code {values['code']}.")
    for name, value in values.items():
        setattr(row, name, value)
    core = row.to_core()
    if core.mm3 > core.outer.mm3:
        raise Invalid("inside_larger", "The inner size is larger than the outer size.")
    if (row.holds_from_g is None) != (row.holds_to_g is None) or (row.holds_from_g or 0) > (row.holds_to_g or 0):
        raise Invalid("bad_range", "The weight of goods it is meant for needs both ends, the smaller first.")
    if row.holds_to_g is not None and row.holds_to_g > row.max_load_g:
        raise Invalid("bad_range", "It cannot be meant for more than it carries.")
    session.add(row)
    session.flush()
    replan_waiting(session, f"Packaging {core.name} was changed", now)
    return row
