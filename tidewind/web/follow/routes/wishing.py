"""Where a buyer wishes something of a delivery: sent from the parcel's own page, without script."""

from __future__ import annotations

from datetime import date, datetime
from html import escape
from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from tidewind.core.wishing import Wish, WishKind
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.follow import ask_wish, buyers_view, said_in
from tidewind.web.access import Now, Parts
from tidewind.web.follow.routes.tracking import NOT_KEPT, chosen_language, frame
from tidewind.web.follow.wish_form import wish_section

router = APIRouter(include_in_schema=False)


@router.post("/t/{tracking_key}/wish")
def wish(
    tracking_key: str,
    parts: Parts,
    now: Now,
    kind: Annotated[WishKind | None, Form()] = None,
    day: Annotated[str, Form(max_length=10)] = "",
    words: Annotated[str, Form(max_length=400)] = "",
    lang: Annotated[str, Form(max_length=5)] = "",
) -> Response:
    """Take the wish and show the page with it; what cannot be is said in the buyer's language, with the form again."""
    language = chosen_language(lang, "en")
    try:
        wished = Wish(kind, date.fromisoformat(day) if day else None, words) if kind else None
    except ValueError:
        wished = None
    try:
        with parts.sessions.begin() as session:
            ask_wish(session, tracking_key, wished, now)
    except NotFound:
        return HTMLResponse(frame("en", "404", f"<h1>{escape(said_in('gone', language))}</h1>", ""), 404, NOT_KEPT)
    except (Invalid, Conflict) as error:
        fault = "wish_late" if isinstance(error, Conflict) else "wish_fault"
        return _again(parts, tracking_key, language, fault, wished, now)
    return RedirectResponse(f"/t/{tracking_key}?lang={language}", 303, NOT_KEPT)


def _again(parts: Parts, tracking_key: str, language: str, fault: str, typed: Wish | None, now: datetime) -> Response:
    try:
        with parts.single_statements() as connection:
            view = buyers_view(connection, tracking_key)
    except NotFound:
        return HTMLResponse(frame(language, "404", f"<h1>{escape(said_in('gone', language))}</h1>", ""), 404, NOT_KEPT)
    said = wish_section(view.shipment, language, now.astimezone(view.zone).date(), fault, typed)
    said = f"<h1>{escape(said_in('wish_head', language))}</h1>{said}"
    back = f'<p><a href="/t/{escape(tracking_key)}?lang={language}">{escape(said_in("follow", language))}</a></p>'
    return HTMLResponse(frame(language, view.brand, said + back, tracking_key), 422, NOT_KEPT)
