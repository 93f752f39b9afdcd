"""Rows of an order that are not goods: what was paid for delivery, and what was taken off.

Packed, they would be a piece that nobody finds; dropped, somebody may miss a parcel's content.  So what looks like one
is asked by its word, once for each layout (shop policy).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

from tidewind.core.order_rows.columns import plain_header
from tidewind.core.order_rows.row import Row

NoGoods = Literal["delivery", "discount"]
"""What a line is instead of goods."""

_KINDS: dict[NoGoods, re.Pattern[str]] = {
    "delivery": re.compile(
        r"^(?:postage|p p|shipping|delivery|freight|carriage|handling|versand|versandkosten|porto|portes|envio|envío"
        r"|livraison|spedizione|verzending|verzendkosten|bezorgkosten|frakt|fracht|wysyłka|doprava|poštovné|szállítás"
        r"|frais d(?:e)? (?:port|envoi|livraison)|gastos de envío|spese di spedizione|koszt wysyłki)\b"
    ),
    "discount": re.compile(
        r"^(?:discount|voucher|coupon|promo|promotion|rebate|rabatt|gutschein|remise|réduction|bon d achat|desconto"
        r"|cupão|descuento|cupón|sconto|buono|korting|kortingscode|zniżka|sleva|kedvezmény)\b"
    ),
}


def line_word(row: Row) -> tuple[str, NoGoods] | None:
    """Return what a row calls its line, in small letters, where that is no goods, and what it is instead."""
    for text in (row.text("sku"), row.text("item_name")):
        plain = plain_header(text)
        for kind, words in _KINDS.items():
            if words.search(plain) and not row.text("weight_g"):
                return text.casefold(), kind
    return None


def goods_of(rows: Sequence[Row]) -> tuple[list[Row], int]:
    """Return the rows that are goods and what the others say was paid for delivery, in minor units.

    A row that looks like no goods and that nobody has answered for gets a fault.
    """
    goods, paid = [], 0
    for row in rows:
        found = line_word(row)
        means = row.units.states.get(found[0], "") if found else "open"
        if found and not means:
            row.fail("sku", f"“{found[0]:.40}” looks like {found[1]}, not like goods; say above which it is")
        if found is None or means != "not":
            goods.append(row)
        elif found[1] == "delivery":
            paid += row.money("unit_price" if row.text("unit_price") else "line_total")
    return goods, paid
