"""The list that is taken along when parcels are brought: one page for each point, with where it is and until when."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy.orm import Session

from tidewind.core.quantities import weight_in
from tidewind.documents.lists import Column, ListPaper, list_pdf
from tidewind.services.base import NotFound
from tidewind.services.handover import DepartureKey, Lane, Listed, PointSeen, lanes_on, listed_on, points_seen
from tidewind.services.papers.contents import day_text
from tidewind.services.papers.manifests import counted
from tidewind.services.planning import shop_settings


def print_take_along(session: Session, day: date, now: datetime, sheet: str = "a4") -> bytes:
    """Return what is brought away on a day as one PDF, a page for each departure.  Raises NotFound for nothing."""
    lanes = [lane for lane in lanes_on(session, day, now) if lane.piles and (lane.brought or lane.fetching is None)]
    if not lanes:
        raise NotFound("nothing_brought", "Nothing is brought anywhere on that day.")
    return list_pdf([_paper(session, lane, now) for lane in lanes], f"To take along, {day:%-d %B}", sheet)


def _paper(session: Session, lane: Lane, now: datetime) -> ListPaper:
    key, units = DepartureKey(lane.carrier, lane.network, lane.day), shop_settings(session).units
    seen = next((one for one in points_seen(session, key, now) if one.chosen), None)
    listed = listed_on(session, key)
    gross = sum(one.gross_g for one in listed)
    return ListPaper(
        title=f"To take along: {lane.name}",
        facts=(day_text(lane.day), f"{counted(len(listed))}, {weight_in(gross, units)}", *_where(seen)),
        columns=(Column("", 1), Column("Number", 6), Column("Order", 3), Column("To", 6), Column("Weight", 2, True)),
        rows=tuple(_row(one, units) for one in listed),
        closing=(("Together", weight_in(gross, units)),),
        signatures=("Taken there by, time", "Taken in by"),
    )


def _row(one: Listed, units: str) -> tuple[str, ...]:
    return "☐", one.tracking_number, one.order_number, one.to, weight_in(one.gross_g, units)


def _where(seen: PointSeen | None) -> tuple[str, ...]:
    """Return where it is brought to and until when, in the lines of a paper."""
    if seen is None:
        return ("No drop-off point is chosen",)
    point, reached = seen.point, seen.reached
    until = f", open until {reached.closes:%H:%M}" if reached.closes else ""
    far = f", {reached.distance_m / 1000:.1f} km away" if reached.distance_m is not None else ""
    why = f" · {reached.refused}" if reached.refused else ""
    return f"{point.name}, {point.street}, {point.postcode} {point.city}", f"{point.hours}{until}{far}{why}".lstrip(
        ", "
    )
