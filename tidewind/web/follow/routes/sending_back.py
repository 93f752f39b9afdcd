"""Where a buyer starts a return: plain HTML on the parcel's own address, without script, in their language."""

from __future__ import annotations

import re
from datetime import datetime
from html import escape
from typing import Annotated

from fastapi import APIRouter, File, Form, Request, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import HTMLResponse
from sqlalchemy.orm import Session

from tidewind.core.returning import REASONS
from tidewind.services.base import Conflict, Invalid, NotFound, ServiceError
from tidewind.services.follow import (
    BuyersReturn,
    BuyersWish,
    ask_back,
    buyers_return,
    check_wish,
    day_in,
    money_in,
    read_photo,
    said_in,
)
from tidewind.services.planning import shop_settings
from tidewind.web.access import Now, Tx, wiring
from tidewind.web.follow.routes.tracking import NOT_KEPT, buyers_language, chosen_language, frame

router = APIRouter(include_in_schema=False)
MOST_PHOTO = 8_000_000
_LINE = re.compile(r"line-(\d{1,15})=(\d{1,5})", re.ASCII)
_FAULTS = {"nothing": "back_nothing", "no_reason": "back_reason", "no_picture": "back_picture", "busy": "back_busy"}


@router.get("/t/{tracking_key}/return", response_class=HTMLResponse)
def form(tracking_key: str, session: Tx, now: Now, lang: str = "") -> HTMLResponse:
    """Return the form; what may not come back is not on it."""
    try:
        return _page(session, tracking_key, lang, now)
    except NotFound:
        return HTMLResponse(frame("en", "404", f"<h1>{escape(said_in('gone', 'en'))}</h1>", ""), 404, NOT_KEPT)


@router.post("/t/{tracking_key}/return", response_class=HTMLResponse)
async def send(
    tracking_key: str,
    request: Request,
    reason: Annotated[str, Form(max_length=20)] = "",
    words: Annotated[str, Form(max_length=2_000)] = "",
    photo: Annotated[UploadFile | None, File()] = None,
) -> HTMLResponse:
    """Take the wish; what was chosen stays chosen where something is wrong with it."""
    parts, lang = wiring(request), request.query_params.get("lang", "")
    sent = await request.form()
    chosen = (_LINE.fullmatch(f"{name}={value}") for name, value in sent.items())
    pieces = {int(found[1]): int(found[2]) for found in chosen if found}
    picture = await photo.read(MOST_PHOTO + 1) if photo is not None and photo.size else b""
    wish = BuyersWish(pieces, reason, words, picture if len(picture) <= MOST_PHOTO else b"too large")

    def take() -> HTMLResponse:
        now = parts.clock()
        try:
            with parts.sessions() as session:
                check_wish(session, tracking_key, wish, now)
            read = read_photo(wish.photo) if wish.photo else None
            with parts.sessions.begin() as session:
                ask_back(session, tracking_key, wish, now, read)
            with parts.sessions() as session:
                return _page(session, tracking_key, lang, now, done=True)
        except NotFound:
            return HTMLResponse(frame("en", "404", f"<h1>{escape(said_in('gone', 'en'))}</h1>", ""), 404, NOT_KEPT)
        except (Invalid, Conflict) as error:
            with parts.sessions() as session:
                return _page(session, tracking_key, lang, now, wish=wish, fault=error)

    return await run_in_threadpool(take)


def _page(
    session: Session,
    tracking_key: str,
    lang: str,
    now: datetime,
    *,
    done: bool = False,
    wish: BuyersWish | None = None,
    fault: ServiceError | None = None,
) -> HTMLResponse:
    own, brand = buyers_language(session, tracking_key)
    language = chosen_language(lang, own)
    may = buyers_return(session, tracking_key, now)
    body = f"<h1>{escape(said_in('back_start', language))}</h1>"
    if done or may.asked:
        said = "back_not_made" if may.not_made else "back_done" if done else "back_asked"
        body += f"<p>{escape(said_in(said, language))}</p>"
    elif may.lines:
        known = _FAULTS.get(fault.code, "") if fault else ""
        body += f'<p role="alert"><b>{escape(said_in(known, language))}</b></p>' if known else ""
        body += _form(session, may, language, wish)
    else:
        body += f"<p>{escape(said_in('back_over', language))}</p>"
    back = f'<p><a href="/t/{escape(tracking_key)}">{escape(said_in("follow", language))}</a></p>'
    return HTMLResponse(frame(language, brand, body + back, tracking_key), 200 if not fault else 422, NOT_KEPT)


def _form(session: Session, may: BuyersReturn, language: str, wish: BuyersWish | None) -> str:
    def say(what: str, **values: str) -> str:
        return escape(said_in(what, language, **values))

    # Of one thing alone there is nothing to choose.
    alone = int(len(may.lines) == 1 and may.lines[0].quantity == 1)
    items = "".join(
        f'<label class="pick"><input type="number" inputmode="numeric" name="line-{line.id}" min="0" '
        f'max="{line.quantity}" value="{wish.pieces.get(line.id, 0) if wish else alone}"> / {line.quantity} '
        f"{escape(line.name)}</label>"
        for line in may.lines
    )
    reasons = "".join(
        f'<label class="pick"><input type="radio" name="reason" value="{one}" required'
        f"{' checked' if wish and wish.reason == one else ''}> {say(f'back_{one}')}</label>"
        for one in REASONS
    )
    costs = money_in(may.shipment.price_minor, shop_settings(session).currency, language)
    paid = say("back_pays", price=costs) if may.rules.buyer_pays else say("back_free")
    until = f"<p>{say('back_until', day=day_in(may.until, language))}</p>" if may.until else ""
    return (
        f'{until}<form method="post" enctype="multipart/form-data">'
        f"<fieldset><legend>{say('back_items')}</legend>{items}</fieldset><fieldset><legend>{say('back_reason')}</legend>{reasons}</fieldset>"
        f'<label>{say("back_words")}<textarea name="words" rows="3" maxlength="500">'
        f"{escape(wish.words) if wish else ''}</textarea></label>"
        f'<label>{say("back_photo")}<input type="file" name="photo" accept="image/*"></label>'
        f'<p class="mute">{paid}</p><button type="submit">{say("back_send")}</button></form>'
    )
