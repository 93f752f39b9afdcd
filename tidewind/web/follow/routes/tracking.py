"""The buyer's tracking page: plain HTML, without script, in their language, under an unguessable address."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from html import escape
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session

from tidewind.core.earth import HEIGHT, WIDTH
from tidewind.core.tracking.states import FINAL, TrackingState
from tidewind.services.base import NotFound
from tidewind.services.follow import (
    BuyersView,
    SeenEvent,
    SeenShipment,
    buyers_return,
    buyers_view,
    day_in,
    hours_in,
    language_of,
    languages,
    said_in,
    state_in,
    way_of,
)
from tidewind.web.access import Now, Parts, Tx
from tidewind.web.follow.schemas import TrackingOut
from tidewind.web.follow.way_picture import way_picture
from tidewind.web.follow.wish_form import wish_section
from tidewind.web.orders.schemas.order import EventOut

router = APIRouter(tags=["public"])
_STYLE = """
body { font: 17px/1.5 system-ui, sans-serif; max-width: 30rem; margin: 0 auto; padding: 1.5rem 1rem; color: #23292e;
  background: #f7f5f2 }
h1 { font-size: 1.8rem; line-height: 1.2; margin: .3rem 0 }
fieldset { border: 1px solid #bdb7ad; border-radius: 4px; margin: 1rem 0; padding: .3rem 1rem 1rem }
form label { display: block; margin: .7rem 0 }
textarea, input[type=file] { display: block; width: 100%; box-sizing: border-box; font: inherit }
select, input[name=words] { font: inherit; padding: .4rem; box-sizing: border-box; max-width: 100% }
input[name=words] { display: block; width: 100% }
summary { padding: .5rem 0; color: #7a2e54 }
.pick input[type=number] { font: inherit; width: 4rem }
.pick input[type=radio] { width: 24px; height: 24px; vertical-align: middle }
ol { list-style: none; margin: 1.5rem 0; padding: 0; border-left: 3px solid #7a2e54 }
li { padding: .3rem 0 .8rem 1rem }
small, .mute { color: #5f6468 }
small { display: block }
button { font: inherit; padding: .6rem 1rem; border: 0; border-radius: 4px; background: #7a2e54;
  color: #fff }
nav a, a { color: #7a2e54; display: inline-block; min-width: 24px; padding: .3rem }
h2 { font-size: 1.1rem; margin: 0 }
img { max-width: 100%; height: auto; border-radius: 4px }
section { margin-top: 1.5rem; border-top: 1px solid #bdb7ad; padding-top: 1rem }
.bar { display: flex; gap: 4px; margin: 1rem 0 }
.bar i { flex: 1; height: 6px; border-radius: 3px; background: #ddd8d0 }
.bar i.done { background: #7a2e54 }
@media (prefers-color-scheme: dark) {
  body { background: #1c1f22; color: #ecebe8 } small, .mute { color: #a8adb1 } nav a, a, summary { color: #e0a3c2 }
  .bar i { background: #3b4045 } .bar i.done { background: #e0a3c2 } ol { border-color: #e0a3c2 }
}
"""
_WAY = (
    TrackingState.ANNOUNCED,
    TrackingState.ACCEPTED,
    TrackingState.MOVING,
    TrackingState.OUT_FOR_DELIVERY,
    TrackingState.DELIVERED,
)
NOT_KEPT = {"Cache-Control": "no-store", "X-Robots-Tag": "noindex", "Referrer-Policy": "no-referrer"}


@router.get("/api/tracking/{tracking_key}")
def tracking(tracking_key: str, session: Tx) -> TrackingOut:
    """Return what the buyer may see of a parcel."""
    view = buyers_view(session, tracking_key)
    seen = view.shipment
    return TrackingOut(
        shop=view.brand,
        order_number=view.order_number,
        carrier=seen.carrier,
        service_name=seen.service_name,
        state=seen.state,
        arrives=seen.arrives,
        tracking_numbers=[parcel.number for parcel in seen.parcels],
        events=[EventOut.model_validate(e) for e in seen.events],
    )


@router.get("/t/{tracking_key}", response_class=HTMLResponse, include_in_schema=False)
def page(tracking_key: str, request: Request, parts: Parts, now: Now, lang: str = "") -> HTMLResponse:
    """Return the page itself; ``lang`` is the language the reader chose, else it goes by where the parcel goes."""
    may_return = False
    try:
        with parts.single_statements() as connection:
            view = buyers_view(connection, tracking_key)
        if view.shipment.state == TrackingState.DELIVERED:
            with parts.sessions() as session:
                may_return = bool(buyers_return(session, tracking_key, now).lines)
    except NotFound:
        language = chosen_language(lang, request.headers.get("Accept-Language", "")[:2].lower())
        body = f"<h1>{escape(said_in('gone', language))}</h1>"
        return HTMLResponse(frame(language, "404", body, ""), 404, NOT_KEPT)
    language = chosen_language(lang, language_of(view.shipment.goes_to.country))
    body = _body(view, language, now.astimezone(view.zone).date())
    if may_return:
        there = f"/t/{tracking_key}/return"
        body += f'<p><a class="go" href="{there}">{escape(said_in("back_start", language))}</a></p>'
    return HTMLResponse(frame(language, view.brand, body, tracking_key), headers=NOT_KEPT)


@router.get("/t/{tracking_key}/way.svg", response_class=Response, include_in_schema=False)
def way(tracking_key: str, parts: Parts) -> Response:
    """Return the way of a parcel as a picture, which the page can do without; an empty one where nothing is known."""
    with parts.single_statements() as connection:
        made = way_of(buyers_view(connection, tracking_key).shipment)
    return Response(way_picture(made), media_type="image/svg+xml", headers=NOT_KEPT)


def chosen_language(asked: str, else_: str) -> str:
    """Return the language that a reader asked for, else another, else the usual one."""
    there = languages()
    return asked if asked in there else else_ if else_ in there else there[0]


def _body(view: BuyersView, language: str, today: date) -> str:
    """Return what is told: no data beyond first name and town, and no day that is over."""
    seen, to = view.shipment, view.shipment.goes_to
    lines = [f"<h1>{escape(state_in(seen.state, language))}</h1>", *_expected(seen, language, today)]
    first = (to.name or to.company).split(" ")[0]
    lines.append(f"<p>{escape(said_in('for', language, name=first, city=to.city))}</p>")
    order = said_in("order", language, order=view.order_number)
    lines.append(f'<p class="mute">{escape(order)} · {escape(seen.carrier)}, {escape(seen.service_name)}</p>')
    lines += [*_kept_at(seen, language), *_parcels(seen, language)]
    if seen.events:
        lines.append(f'<img src="/t/{seen.key}/way.svg" width="{WIDTH}" height="{HEIGHT}" alt="" loading="lazy">')
    else:
        lines.append(f"<p>{escape(said_in('silent', language))}</p>")
    lines.append(wish_section(seen, language, today))
    told = "".join(_event(event, language, view.zone) for event in seen.events)
    lines.append(f"<ol>{told}</ol>" if told else "")
    if seen.state not in FINAL:
        lines.append(f'<p class="mute">{escape(said_in("absent", language))}</p>')
    return "".join(lines) + "".join(_other(one, language, today) for one in view.shipments[1:])


def _expected(seen: SeenShipment, language: str, today: date) -> Iterator[str]:
    if seen.state in _WAY[:-1] and seen.arrives and seen.arrives >= today:
        yield f"<p><b>{escape(said_in('expected', language, day=day_in(seen.arrives, language)))}</b></p>"
    if seen.state in _WAY:
        at = _WAY.index(seen.state)
        steps = "".join(f"<i{' class=done' if n <= at else ''}></i>" for n in range(len(_WAY)))
        yield f'<div class="bar" aria-hidden="true">{steps}</div>'


def _kept_at(seen: SeenShipment, language: str) -> Iterator[str]:
    if seen.point and seen.state == TrackingState.AWAITING_COLLECTION:
        at = seen.point
        where = ", ".join(part for part in (at.street, f"{at.postcode} {at.city}".strip()) if part)
        yield f"<p>{escape(said_in('kept_at', language))} <b>{escape(at.name)}</b><br>{escape(where)}"
        lines = "<br>".join(escape(line) for line in hours_in(at.hours, language))
        yield f"<small>{lines}</small></p>" if lines else "</p>"


def _parcels(seen: SeenShipment, language: str) -> Iterator[str]:
    for n, parcel in enumerate(seen.parcels, 1):
        name = said_in("parcel", language, n=str(n), all=str(len(seen.parcels))) if len(seen.parcels) > 1 else ""
        done = f" · {escape(state_in(parcel.state, language))}" if seen.some_are_behind else ""
        yield f'<p class="mute">{escape(name)} {escape(parcel.number)}{done}</p>'


def _other(seen: SeenShipment, language: str, today: date) -> str:
    """Return what else of the order is on its way, in short, with the way to its own page."""
    asked = f"/t/{seen.key}?lang={language}"
    return (
        f'<section><h2><a href="{asked}">{escape(said_in("also", language))}</a></h2>'
        f"<p><b>{escape(state_in(seen.state, language))}</b></p>{''.join(_expected(seen, language, today))}"
        f'<p class="mute">{escape(seen.carrier)}, {escape(seen.service_name)}</p>'
        f"{''.join(_parcels(seen, language))}</section>"
    )


def _event(event: SeenEvent, language: str, zone: ZoneInfo) -> str:
    at = event.at.astimezone(zone)
    where = f", {event.spot}" if event.spot else ""
    return (
        f"<li><b>{escape(state_in(event.state, language))}</b>"
        f"<small>{escape(f'{day_in(at.date(), language)}, {at:%H:%M}{where}')}</small></li>"
    )


def buyers_language(session: Session, tracking_key: str) -> tuple[str, str]:
    """Return the language that a parcel's buyer reads and the shop's brand.  Raises NotFound."""
    view = buyers_view(session, tracking_key)
    return chosen_language("", language_of(view.shipment.goes_to.country)), view.brand


def frame(language: str, shop: str, body: str, key: str) -> str:
    """Return a whole page; with a ``key`` it can be had in the other languages."""
    others = "".join(f'<a href="?lang={one}" lang="{one}">{one.upper()}</a>' for one in languages() if one != language)
    return (
        f'<!doctype html><html lang="{language}"><meta charset="utf-8"><meta name="robots" content="noindex">'
        f'<meta name="viewport" content="width=device-width"><title>{escape(shop)}</title><style>{_STYLE}</style>'
        f'<main><p class="mute">{escape(shop)}</p>{body}</main>{f"<nav>{others}</nav>" if key else ""}</html>'
    )
