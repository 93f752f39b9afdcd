"""The buyer's tracking page: plain HTML, without script, in their language, under an unguessable address."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from html import escape
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse
from sqlalchemy.orm import Session

from tidewind.core.tracking.folding import how_far
from tidewind.core.tracking.states import FINAL, TrackingState
from tidewind.db.tables import Shipment, TrackingEvent
from tidewind.services.base import NotFound
from tidewind.services.follow import buyers_return, day_in, language_of, languages, public_view, said_in, state_in
from tidewind.services.planning import shop_settings
from tidewind.services.shop import carrier_name
from tidewind.web.access import Now, Tx
from tidewind.web.follow.schemas import TrackingOut
from tidewind.web.orders.schemas.order import EventOut

router = APIRouter(tags=["public"])
_STYLE = """
body { font: 17px/1.5 system-ui, sans-serif; max-width: 30rem; margin: 0 auto; padding: 1.5rem 1rem; color: #23292e;
  background: #f7f5f2 }
h1 { font-size: 1.8rem; line-height: 1.2; margin: .3rem 0 }
fieldset { border: 1px solid #bdb7ad; border-radius: 4px; margin: 1rem 0; padding: .3rem 1rem 1rem }
form label { display: block; margin: .7rem 0 }
textarea, input[type=file] { display: block; width: 100%; box-sizing: border-box; font: inherit }
.pick input[type=number] { font: inherit; width: 4rem }
.pick input[type=radio] { width: 24px; height: 24px; vertical-align: middle }
ol { list-style: none; margin: 1.5rem 0; padding: 0; border-left: 3px solid #7a2e54 }
li { padding: .3rem 0 .8rem 1rem }
small, .mute { color: #5f6468 }
small { display: block }
button { font: inherit; padding: .6rem 1rem; border: 0; border-radius: 4px; background: #7a2e54;
  color: #fff }
nav a, a { color: #7a2e54; display: inline-block; min-width: 24px; padding: .3rem }
.bar { display: flex; gap: 4px; margin: 1rem 0 }
.bar i { flex: 1; height: 6px; border-radius: 3px; background: #ddd8d0 }
.bar i.done { background: #7a2e54 }
@media (prefers-color-scheme: dark) {
  body { background: #1c1f22; color: #ecebe8 } small, .mute { color: #a8adb1 } nav a, a { color: #e0a3c2 }
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
    shipment, events = public_view(session, tracking_key)
    return TrackingOut(
        shop=shop_settings(session).brand,
        order_number=shipment.order.number,
        carrier=carrier_name(session, shipment.carrier),
        service_name=shipment.service_name,
        state=shipment.tracking_state,
        arrives=shipment.arrives,
        tracking_numbers=[label.tracking_number or "" for label in shipment.labels],
        events=[EventOut.model_validate(e) for e in events],
    )


@router.get("/t/{tracking_key}", response_class=HTMLResponse, include_in_schema=False)
def page(tracking_key: str, request: Request, session: Tx, now: Now, lang: str = "") -> HTMLResponse:
    """Return the page itself; ``lang`` is the language the reader chose, else it goes by where the parcel goes."""
    try:
        shipment, events = public_view(session, tracking_key)
    except NotFound:
        language = chosen_language(lang, request.headers.get("Accept-Language", "")[:2].lower())
        body = f"<h1>{escape(said_in('gone', language))}</h1>"
        return HTMLResponse(frame(language, "404", body, ""), 404, NOT_KEPT)
    shop = shop_settings(session)
    language = chosen_language(lang, language_of(shipment.address.country))
    carrier = carrier_name(session, shipment.carrier)
    zone = ZoneInfo(shop.time_zone)
    body = _body(shipment, events, language, zone, carrier, now.astimezone(zone).date())
    if shipment.tracking_state == TrackingState.DELIVERED and buyers_return(session, tracking_key, now).lines:
        there = f"/t/{tracking_key}/return"
        body += f'<p><a class="go" href="{there}">{escape(said_in("back_start", language))}</a></p>'
    brand = shipment.order.channel.brand or shop.brand
    return HTMLResponse(frame(language, brand, body, tracking_key), headers=NOT_KEPT)


def chosen_language(asked: str, else_: str) -> str:
    """Return the language that a reader asked for, else another, else the usual one."""
    there = languages()
    return asked if asked in there else else_ if else_ in there else there[0]


def _body(
    shipment: Shipment, events: Sequence[TrackingEvent], language: str, zone: ZoneInfo, carrier: str, today: date
) -> str:
    """Return what is told: no data beyond first name and town, and no day that is over."""
    states = [TrackingState(label.tracking_state) for label in shipment.labels]
    state, to = TrackingState(shipment.tracking_state), shipment.address
    first = (to.name or to.company).split(" ")[0]
    lines = [f"<h1>{escape(state_in(state, language))}</h1>"]
    if state in _WAY[:-1] and shipment.arrives and shipment.arrives >= today:
        lines.append(f"<p><b>{escape(said_in('expected', language, day=day_in(shipment.arrives, language)))}</b></p>")
    if state in _WAY:
        at = _WAY.index(state)
        steps = "".join(f"<i{' class=done' if n <= at else ''}></i>" for n in range(len(_WAY)))
        lines.append(f'<div class="bar" aria-hidden="true">{steps}</div>')
    lines.append(f"<p>{escape(said_in('for', language, name=first, city=to.city))}</p>")
    order = said_in("order", language, order=shipment.order.number)
    lines.append(f'<p class="mute">{escape(order)} · {escape(carrier)}, {escape(shipment.service_name)}</p>')
    for n, label in enumerate(shipment.labels, 1):
        name = said_in("parcel", language, n=str(n), all=str(len(shipment.labels))) if len(shipment.labels) > 1 else ""
        done = f" · {escape(state_in(label.tracking_state, language))}" if how_far(states) else ""
        lines.append(f'<p class="mute">{escape(name)} {escape(label.tracking_number or "")}{done}</p>')
    if not events:
        lines.append(f"<p>{escape(said_in('silent', language))}</p>")
    told = "".join(_event(event, language, zone) for event in events)
    lines.append(f"<ol>{told}</ol>" if told else "")
    if state not in FINAL:
        lines.append(f'<p class="mute">{escape(said_in("absent", language))}</p>')
    return "".join(lines)


def _event(event: TrackingEvent, language: str, zone: ZoneInfo) -> str:
    at = event.at.astimezone(zone)
    where = f", {event.spot}" if event.spot else ""
    return (
        f"<li><b>{escape(state_in(event.state, language))}</b>"
        f"<small>{escape(f'{day_in(at.date(), language)}, {at:%H:%M}{where}')}</small></li>"
    )


def buyers_language(session: Session, tracking_key: str) -> tuple[str, str]:
    """Return the language that a parcel's buyer reads and the shop's brand.  Raises NotFound."""
    shipment, _ = public_view(session, tracking_key)
    brand = shipment.order.channel.brand or shop_settings(session).brand
    return chosen_language("", language_of(shipment.address.country)), brand


def frame(language: str, shop: str, body: str, key: str) -> str:
    """Return a whole page; with a ``key`` it can be had in the other languages."""
    others = "".join(f'<a href="?lang={one}" lang="{one}">{one.upper()}</a>' for one in languages() if one != language)
    return (
        f'<!doctype html><html lang="{language}"><meta charset="utf-8"><meta name="robots" content="noindex">'
        f'<meta name="viewport" content="width=device-width"><title>{escape(shop)}</title><style>{_STYLE}</style>'
        f'<main><p class="mute">{escape(shop)}</p>{body}</main>{f"<nav>{others}</nav>" if key else ""}</html>'
    )
