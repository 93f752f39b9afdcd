"""Where a buyer stops messages: a page with one button, and what the mail program presses by itself (RFC 8058)."""

from __future__ import annotations

from html import escape

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from tidewind.services.base import NotFound
from tidewind.services.follow import said_in, stop_messages
from tidewind.web.access import Now, Tx
from tidewind.web.follow.routes.tracking import NOT_KEPT, buyers_language, frame

router = APIRouter(include_in_schema=False)


@router.get("/t/{tracking_key}/stop", response_class=HTMLResponse)
def asked(tracking_key: str, session: Tx) -> HTMLResponse:
    """Return the page; looking at it stops nothing, since programs look at every address in a mail."""
    try:
        language, brand = buyers_language(session, tracking_key)
    except NotFound:
        return _gone()
    words = escape(said_in("stop", language))
    body = f'<h1>{words}</h1><form method="post"><button type="submit">{words}</button></form>'
    return HTMLResponse(frame(language, brand, body, ""), headers=NOT_KEPT)


@router.post("/t/{tracking_key}/stop", response_class=HTMLResponse)
def stopped(tracking_key: str, session: Tx, now: Now) -> HTMLResponse:
    """Send nothing more to the addresses of this parcel's buyer."""
    try:
        stop_messages(session, tracking_key, now)
        language, brand = buyers_language(session, tracking_key)
    except NotFound:
        return _gone()
    body = f"<h1>{escape(said_in('stopped', language))}</h1>"
    return HTMLResponse(frame(language, brand, body, ""), headers=NOT_KEPT)


def _gone() -> HTMLResponse:
    return HTMLResponse(frame("en", "404", f"<h1>{escape(said_in('gone', 'en'))}</h1>", ""), 404, NOT_KEPT)
