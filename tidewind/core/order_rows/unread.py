"""Columns that no field takes: which of them somebody must have seen before orders are made of a file.

A column may say that an order is only a quote, is fetched in the shop or goes to another street, in words that no list
has.  So what is not understood is asked, once for each heading, unless its heading is of a kind that never changes
what is sent, to whom and when.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from tidewind.core.order_rows.columns import is_billing, plain_header
from tidewind.core.order_rows.wide import item_columns

MOST_EXAMPLES = 3

_NUMBER = r"(?:id|ids|number|no|nr|nummer|num|número|numéro|numero)"
# Kinds of headings that say nothing of what goes where.  “VAT id” is none of them: customs ask for it.
_PRICE = re.compile(r"price|preis|prix|prezzo|precio|preço|prijs|total|betrag|montant|importe|bedrag|summe")
_NO_MATTER = re.compile(
    r"\b(?:sub\s?totals?|totals?|summe|gesamt\w*|totaal|totale|commission|fees?)\b"
    rf"|\b(?:tax|taxes|vat|iva|mwst|ust|tva|btw|moms|igic)\b(?!.*\b{_NUMBER}\b)"
    rf"|^(?:payment|card|transaction|gateway)\s?(?:method|gateway|reference|type|{_NUMBER})?$"
    r"|^(?:zahlungsart|zahlart|zahlungsmethode|moyen de paiement|mode de paiement|método de pago|metodo di pagamento)$"
    r"|^(?:betaalwijze|método de pagamento|forma de pago)$"
    r"|\b(?:newsletter|marketing|utm|referrer|referring|device|browser|user agent|landing)\b|^ip(?: address)?$|^source$"
    r"|^(?:(?:product|item|lineitem|line item|artikel)\s)?(?:variants?|colou?rs?|farbe|couleur|brands?|vendor|barcode"
    r"|ean|gtin|isbn|categor(?:y|ies)|images?|taxable|compare at price)$|^(?:product|item|lineitem) (?:type|url)$"
    rf"|^(?:customer|buyer|user|account|client|seller|shop|store|product|item|lineitem)\s{_NUMBER}$"
    rf"|^(?:invoice|receipt|rechnung|factura|facture|fattura|factuur)\s?(?:date|datum|{_NUMBER})?$"
    r"|^(?:title|salutation|anrede|civilité|tratamiento|aanhef)$"
    r"|^(?:created by|updated at|updated on|modified|last update|last modified|currency rate|exchange rate)$"
)


@dataclass(frozen=True, slots=True)
class UnreadColumn:
    """A column that no field takes: how many cells say something, the commonest of them, and whether it is asked."""

    heading: str
    filled: int
    examples: tuple[str, ...]
    asked: bool


def unread_columns(
    headers: Sequence[str],
    columns: Mapping[str, int],
    rows: Sequence[tuple[int, Sequence[str]]],
    left_out: Collection[str] = (),
) -> list[UnreadColumn]:
    """Return the columns that no field takes and that say anything: those asked first, then the fullest.

    ``left_out`` are plain headings that somebody said do not matter (shop policy: asked once, remembered).
    """
    taken = set(columns.values())
    for item in item_columns([plain_header(head) for head in headers]):
        taken |= set(item.values())
    width = max((len(cells) for _, cells in rows), default=0)
    found = []
    priced = "unit_price" in columns or "line_total" in columns
    for at in sorted(set(range(width)) - taken):
        heading = headers[at].strip() if at < len(headers) else ""
        said = Counter(cell for _, cells in rows if at < len(cells) and (cell := cells[at].strip()))
        said.pop(heading, None)  # the headings once more, where files were pasted together
        if not said:
            continue
        heading = heading or f"column {at + 1}"
        examples = tuple(text[:60] for text, _ in said.most_common(MOST_EXAMPLES))
        found.append(UnreadColumn(heading, said.total(), examples, _is_asked(heading, left_out, priced)))
    return sorted(found, key=lambda one: (not one.asked, -one.filled, one.heading))


def _is_asked(heading: str, left_out: Collection[str], priced: bool) -> bool:
    plain = plain_header(heading)
    if plain in left_out or is_billing(heading):
        return False
    return not _NO_MATTER.search(plain) or (not priced and bool(_PRICE.search(plain)))
