"""A mail to a buyer as HTML: its text as it was written, the shop's colour, what mail programs read of a parcel.

Every value is escaped; what a program reads is JSON for linked data by schema.org (ParcelDelivery), in a script element
that cannot be left early.
"""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from html import escape

from tidewind.db.tables import Shipment
from tidewind.services.follow.texts import said_in

LOGO_ID = "logo"
_LINK = re.compile(r"https?://[^\s<>\"]+")


@dataclass(frozen=True, slots=True)
class Look:
    """Brand, colour, language, the buyer's page, where messages are stopped, and whether there is a logo."""

    brand: str
    colour: str
    language: str
    link: str
    stop: str
    carrier: str
    has_logo: bool = False
    logo_at: str = f"cid:{LOGO_ID}"


def dressed(body: str, look: Look, shipment: Shipment) -> str:
    """Return a mail's text as HTML; the line with the address of the buyer's page becomes a button."""
    paragraphs = [part for part in body.strip().split("\n\n") if part.strip()]
    *told, signature = [f"<p>{_lines(part, look)}</p>" for part in paragraphs] or [""]
    logo = f'<img src="{look.logo_at}" alt="" height="40" style="height:40px">' if look.has_logo else ""
    button = (
        f'<p style="margin:28px 0"><a href="{escape(look.link)}" style="background:{look.colour};color:#ffffff;'
        f'padding:13px 22px;border-radius:4px;text-decoration:none;font-weight:600;display:inline-block">'
        f"{escape(said_in('follow', look.language))}</a></p>"
    )
    return (
        f'<!doctype html><html lang="{look.language}"><head><meta charset="utf-8">'
        '<meta name="viewport" content="width=device-width"><meta name="color-scheme" content="light dark">'
        f"<title>{escape(look.brand)}</title>{_style(look)}{_read_by_programs(look, shipment)}</head>"
        f'<body><div class="sheet"><p class="brand">{logo}<span>{escape(look.brand)}</span></p>'
        f"{''.join(told)}{button}{signature}"
        f'<p class="small"><a href="{escape(look.stop)}">{escape(said_in("stop", look.language))}</a></p></div></body>'
        "</html>"
    )


def _style(look: Look) -> str:
    return (
        "<style>body{margin:0;background:#f4f2ee;color:#23292e;font:16px/1.55 -apple-system,'Segoe UI',Roboto,"
        "Helvetica,Arial,sans-serif}.sheet{max-width:560px;margin:0 auto;padding:28px 24px;background:#ffffff}"
        f".brand{{border-bottom:3px solid {look.colour};padding-bottom:12px;font-size:19px;font-weight:700}}"
        ".brand img{vertical-align:middle;margin-right:12px}.small{font-size:13px;color:#5f6468}.small a{color:#5f6468}"
        "p{margin:0 0 16px;overflow-wrap:anywhere}"
        "@media (prefers-color-scheme:dark){body{background:#15181a;color:#ecebe8}.sheet{background:#1f2326}"
        ".small,.small a{color:#a8adb1}}</style>"
    )


def _lines(paragraph: str, look: Look) -> str:
    """Return a paragraph line by line; addresses can be pressed, but for the one that the button has."""
    kept = [line for line in paragraph.split("\n") if look.link not in line]
    return "<br>".join(_LINK.sub(lambda m: f'<a href="{m[0]}">{m[0]}</a>', escape(line)) for line in kept)


def _read_by_programs(look: Look, shipment: Shipment) -> str:
    to = shipment.address
    told = {
        "@context": "https://schema.org",
        "@type": "ParcelDelivery",
        "trackingUrl": look.link,
        "trackingNumber": ", ".join(label.tracking_number or "" for label in shipment.labels),
        "carrier": {"@type": "Organization", "name": look.carrier},
        "deliveryAddress": {"@type": "PostalAddress", "addressLocality": to.city, "addressCountry": to.country},
        "partOfOrder": {
            "@type": "Order",
            "orderNumber": shipment.order.number,
            "merchant": {"@type": "Organization", "name": look.brand},
        },
    }
    if shipment.arrives:
        told["expectedArrivalUntil"] = f"{shipment.arrives:%Y-%m-%d}"
    # An end of the element inside a value would end it early: "<" is written as JSON may write it, too.
    written = json.dumps(told).replace("<", "\\u003c")
    return f'<script type="application/ld+json">{written}</script>'
