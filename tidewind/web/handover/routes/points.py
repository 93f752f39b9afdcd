"""Drop-off points of carriers, the ways in which departures can leave, and the list that is taken along."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from fastapi import APIRouter, Path, Response, UploadFile

from tidewind.services.handover import DepartureKey, ask_for_points, bring_in_points, points_seen, ways_of
from tidewind.services.papers import print_take_along
from tidewind.web.access import Anyone, Bench, Now, Parts, Shipper, Tx
from tidewind.web.files import PDF, answers_with, uploaded
from tidewind.web.handover.schemas.points import PointOut, PointsOut, WaysIn, WaysOut

router = APIRouter(prefix="/api", tags=["handing over"])
MOST_FILE_BYTES = 5_000_000
Code = Annotated[str, Path(max_length=30)]


@router.get("/drop-off-points")
def points(carrier: str, network: str, day: date, _who: Anyone, session: Tx, now: Now) -> list[PointOut]:
    """Return a carrier's drop-off points for a departure: those that take it first, the nearest at the top."""
    return [PointOut.model_validate(seen) for seen in points_seen(session, DepartureKey(carrier, network, day), now)]


@router.post("/carriers/{code}/points")
def bring_in(code: Code, file: UploadFile, _who: Shipper, session: Tx, now: Now) -> PointsOut:
    """Take a carrier's drop-off points out of a CSV, XLSX or GeoJSON file, instead of those it had."""
    many, wrong = bring_in_points(session, code, *uploaded(file, MOST_FILE_BYTES), now)
    return PointsOut(points=many, wrong=wrong)


@router.post("/carriers/{code}/points/ask")
def ask(code: Code, _who: Shipper, session: Tx, now: Now, parts: Parts) -> PointsOut:
    """Ask a carrier for its drop-off points, and keep them instead of those it had."""
    many, wrong = ask_for_points(session, parts.outside, code, now)
    return PointsOut(points=many, wrong=wrong)


@router.post("/departures/ways")
def ways(body: WaysIn, _who: Anyone, session: Tx, now: Now) -> list[WaysOut]:
    """Return how departures can leave: what a van costs and until when, and the nearest points with their hours."""
    return [WaysOut.model_validate(one) for one in ways_of(session, [d.key for d in body.departures], now)]


@router.get("/departures/take-along.pdf", **answers_with(PDF))
def take_along(day: date, _who: Bench, session: Tx, now: Now, paper: str = "a4") -> Response:
    """Return the list of what is brought away on a day, point by point, to be taken along."""
    headers = {"Content-Disposition": f'inline; filename="take-along-{day}.pdf"', "Cache-Control": "no-store"}
    return Response(print_take_along(session, day, now, paper), media_type="application/pdf", headers=headers)
