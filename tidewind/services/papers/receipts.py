"""A receipt by mail of what was handed over: when, to whom, how many, and the list of it."""

from __future__ import annotations

from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.quantities import weight_in
from tidewind.core.states.departures import DepartureState
from tidewind.db.tables import CarrierRow, Departure, Manifest
from tidewind.documents.lists import Column, ListPaper, list_pdf
from tidewind.outside.errors import OutsideError
from tidewind.outside.mailer import Paper
from tidewind.services.base import Conflict, Outside
from tidewind.services.handover import DepartureKey, listed_on
from tidewind.services.papers.contents import day_text
from tidewind.services.papers.manifests import counted
from tidewind.services.planning import default_place, shop_settings


def mail_receipt(session: Session, outside: Outside, key: DepartureKey, mail_to: str) -> None:
    """Mail a receipt of a departure.  Raises Conflict where it was not handed over, or the mail does not go."""
    mine = (Departure.carrier == key.carrier, Departure.network == key.network, Departure.day == key.day)
    departure = session.scalar(select(Departure).where(*mine, Departure.place_id == default_place(session).id))
    if departure is None or departure.state != DepartureState.HANDED_OVER or departure.handed_over_at is None:
        raise Conflict("not_handed_over", "It was not handed over yet, so there is nothing to give a receipt of.")
    shop = shop_settings(session)
    carrier = session.scalars(select(CarrierRow.name).where(CarrierRow.code == key.carrier)).one()
    standing = select(Manifest.number).where(Manifest.departure_id == departure.id, Manifest.reopened_at.is_(None))
    listed, number = listed_on(session, key), session.scalar(standing)
    gross = weight_in(sum(one.gross_g for one in listed), shop.units)
    at = departure.handed_over_at.astimezone(ZoneInfo(shop.time_zone))
    facts = (
        f"{carrier}, {day_text(key.day)}",
        f"Handed over {day_text(at.date())} at {at:%H:%M} by {departure.handed_over_by}"
        + (f" to {departure.driver}" if departure.driver else ""),
        f"{counted(len(listed))}, {gross}" + (f", manifest {number}" if number else ""),
    )
    columns = (Column("Number", 6), Column("Order", 3), Column("To", 6), Column("Weight", 2, figures=True))
    rows = tuple((one.tracking_number, one.order_number, one.to, weight_in(one.gross_g, shop.units)) for one in listed)
    title = f"Receipt, {carrier} on {key.day:%-d %B}"
    paper = Paper(f"receipt-{key.day}.pdf", list_pdf([ListPaper(title, facts, columns, rows)], title))
    body = "\n".join((*facts, "", "The parcels are on the list that goes with this mail.", "", shop.name, ""))
    try:
        outside.mailer.send(shop.brand, shop.mail_from, mail_to, title, body, paper)
    except OutsideError as error:
        raise Conflict("mail_down", f"The mail could not be sent: {error}. Try again in a while.") from error
