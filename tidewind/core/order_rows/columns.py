"""Which column of a spreadsheet is what, by its header."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from tidewind.core.order_rows.figures import CURRENCIES, SIGNS
from tidewind.core.order_rows.headings import FIELDS
from tidewind.core.order_rows.wide import ITEM_FIELDS, item_columns

NEEDED = ("order_number", "name", "street", "city", "country", "sku", "quantity")
_WHO_AND_WHERE = (
    "name",
    "first_name",
    "last_name",
    "company",
    "street",
    "house_number",
    "house_addition",
    "extra",
    "extra_2",
    "city",
    "region",
    "postcode",
    "country",
    "phone",
    "email",
)
_SHIPPING = (
    "shipping",
    "ship to",
    "ship",
    "delivery",
    "deliver to",
    "recipient",
    "receiver",
    "entrega",
    "envio",
    "envío",
    "livraison",
    "lieferung",
    "liefer",
    "lieferadresse",
    "versand",
    "spedizione",
    "consegna",
    "verzending",
    "aflevering",
    "destinataire",
)
_BILLING = (
    "billing",
    "bill to",
    "invoice",
    "faturação",
    "fatura",
    "facturación",
    "factura",
    "facturation",
    "facture",
    "rechnung",
    "rechnungsadresse",
    "fatturazione",
    "fattura",
    "factuur",
    "facturatie",
    "payer",
    "buyer",
)
_BY_BLOCK = frozenset({"name", "street", "city", "country"})
_UNITS = {
    "g": "g", "gr": "g", "grams": "g", "gramas": "g", "kg": "kg", "kgs": "kg", "kilos": "kg", "lb": "lb", "lbs": "lb",
    "pounds": "lb", "oz": "oz", "ounces": "oz",
}  # fmt: skip


# Headings in so many forms that no list has them all; taken where one column alone is like them.
_ALIKE = {
    "order_number": re.compile(
        r"^(?:(?:n|no|nr|num|number|numero|número|numéro|id)\s(?:d[eoi]\s|de la\s|d\s)?)?"
        r"(?:order|orders|ordine|pedido|encomenda|commande|bestelling|bestellung|auftrag|beställning|zamówienie)"
        r"(?:\s?(?:n|no|nr|num|number|nummer|numer|numero|número|numéro|id|ref|code))?$"
        r"|^(?:order|auftrags?|bestel|bestell|ordre)\s?(?:nummer|nr|number|id|code)$"
    ),
    "unit_price": re.compile(
        r"^(?!.*(?:total|gesamt|cents?|pence|\bct\b|ship|versand|porte|tax|steuer|iva|paid|discount|rabatt))"
        r".*(?:price|preis|prix|prezzo|precio|preço|prijs)(?:\s\w+)?$"
    ),
    "quantity": re.compile(r"^(?:quantity|qty)\s(?:purchased|ordered|sold|bought)$"),
}


def plain_header(text: str) -> str:
    """Return a header in small letters with single spaces and no punctuation."""
    return " ".join(re.sub(r"[^\w]+", " ", text.lower().replace("_", " ")).split())


def guess_columns(headers: Sequence[str]) -> dict[str, int]:
    """Return field → column index for every header that is known; each column and field at most once."""
    names = [_without_currency(plain_header(h)) for h in headers]
    found = _where_it_goes(names)
    doubtful = {spelling for spelling in names if names.count(spelling) > 1}
    for wanted, spellings in FIELDS.items():
        for spelling in spellings:
            # Of two columns of one name nobody knows which says where it goes: that is asked.
            if spelling in doubtful and wanted in _WHO_AND_WHERE:
                continue
            if wanted not in found and spelling in names and names.index(spelling) not in found.values():
                found[wanted] = names.index(spelling)
    for wanted, is_one in _ALIKE.items():
        like = [at for at, name in enumerate(names) if at not in found.values() and is_one.search(name)]
        if wanted not in found and len(like) == 1:
            found[wanted] = like[0]
    if items := item_columns(names):
        found = {name: at for name, at in found.items() if name not in ITEM_FIELDS} | items[0]
    if "weight_g" not in found:
        at = next((n for n, name in enumerate(names) if weight_unit_of(name) and n not in found.values()), None)
        found |= {} if at is None else {"weight_g": at}
    return _street_or_block(found)


def _street_or_block(found: dict[str, int]) -> dict[str, int]:
    """Return the columns where whole addresses are read only without their parts; beside a city one is a street."""
    block = found.pop("address_block", None)
    if block is None or "street" in found:
        return found
    return {**found, ("street" if "city" in found else "address_block"): block}


def _where_it_goes(names: Sequence[str]) -> dict[str, int]:
    """Return the columns whose heading says that they are of the delivery: “Delivery city”, “Ville livraison”."""
    found: dict[str, int] = {}
    for at, name in enumerate(names):
        rest = _without_role(name, _SHIPPING)
        wanted = next((f for f in _WHO_AND_WHERE if rest and rest in FIELDS[f]), None)
        if wanted:
            found.setdefault(wanted, at)
    return found


def _without_role(name: str, roles: Sequence[str]) -> str:
    """Return a heading without the word before or behind it that says whose it is; empty where there is none."""
    for role in roles:
        if name.startswith(f"{role} "):
            return name[len(role) + 1 :]
        if name.endswith(f" {role}"):
            return name[: -len(role) - 1]
    return ""


def is_billing(header: str) -> bool:
    """Tell whether a column is of who pays, which never says where a parcel goes."""
    return bool(_without_role(plain_header(header), _BILLING))


def currency_of(header: str) -> str:
    """Return the currency that a heading names, by code or sign, ``Price (USD)``, ``Price £``; empty for none."""
    last = header.replace("(", " ").replace(")", " ").replace("[", " ").replace("]", " ").split()[-1:]
    return last[0] if last and (last[0] in CURRENCIES or last[0].casefold() in SIGNS) else ""


def _without_currency(name: str) -> str:
    head, _, last = name.rpartition(" ")
    return head if head and last.upper() in CURRENCIES else name


def weight_unit_of(header: str) -> str:
    """Return the unit that a header of weights names, ``weight (kg)``; empty for none."""
    first, _, last = plain_header(header).rpartition(" ")
    return _UNITS.get(last, "") if any(first.startswith(w) for w in ("weight", "peso", "poids", "gewicht")) else ""


def unit_named(text: str) -> str:
    """Return the unit that a cell names; empty for one that is not known."""
    return _UNITS.get(plain_header(text), "")


def still_needed(columns: Mapping[str, int]) -> list[str]:
    """Return the needed fields that no column is mapped to; one column of whole addresses serves several."""
    given = (
        columns.keys()
        | ({"name"} if "last_name" in columns else set())
        | (_BY_BLOCK if "address_block" in columns else frozenset())
    )
    return [name for name in NEEDED if name not in given]


def header_row(rows: Sequence[Sequence[str]]) -> int:
    """Return the index of the row, among the first 15, that looks most like a header; 0 where none does."""
    scores = [len(guess_columns(row)) for row in rows[:15]]
    return scores.index(max(scores)) if scores and max(scores) >= 3 else 0
