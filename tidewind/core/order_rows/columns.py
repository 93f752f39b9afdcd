"""Which column of a spreadsheet is what, by its header."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from tidewind.core.order_rows.figures import CURRENCIES

FIELDS: Mapping[str, tuple[str, ...]] = {
    "order_number": (
        "order",
        "order number",
        "order no",
        "order id",
        "encomenda",
        "n encomenda",
        "pedido",
        "commande",
        "bestellung",
        "bestellnummer",
        "bestelling",
        "ordine",
        "ref",
        "reference",
        "number",
    ),
    "name": (
        "name",
        "recipient",
        "customer",
        "ship to",
        "full name",
        "nome",
        "recipient name",
        "shipping name",
        "customer name",
        "nombre",
        "nom",
        "empfänger",
        "destinatario",
        "destinatário",
        "ontvanger",
        "naam",
    ),
    "first_name": ("first name", "given name", "forename", "vorname", "prénom", "voornaam", "imię"),
    "last_name": ("last name", "surname", "family name", "nachname", "apellidos", "cognome", "apelido", "achternaam"),
    "company": ("company", "organisation", "organization", "empresa", "société", "firma", "azienda", "bedrijf"),
    "street": (
        "street",
        "address",
        "address 1",
        "address line 1",
        "street address",
        "shipping address 1",
        "morada",
        "dirección",
        "direccion",
        "adresse",
        "rue",
        "straße",
        "strasse",
        "indirizzo",
        "via",
        "straat",
        "adres",
    ),
    "house_number": (
        "house number",
        "house no",
        "street number",
        "hausnummer",
        "hausnr",
        "huisnummer",
        "número",
        "numero",
        "numéro",
        "numero civico",
    ),
    "house_addition": ("house number addition", "addition", "toevoeging", "suffix"),
    "extra": (
        "extra",
        "address 2",
        "address line 2",
        "shipping address 2",
        "flat",
        "unit",
        "floor",
        "andar",
        "complemento",
    ),
    "extra_2": ("address 3", "address line 3", "shipping address 3", "extra 2"),
    "address_block": ("full address", "shipping address", "delivery address", "address block", "ship to address"),
    "city": (
        "city",
        "town",
        "shipping city",
        "localidade",
        "cidade",
        "ciudad",
        "ville",
        "ort",
        "stadt",
        "città",
        "citta",
        "plaats",
        "stad",
    ),
    "region": ("region", "state", "county", "province", "distrito", "provincia"),
    "postcode": (
        "postcode",
        "postal code",
        "zip",
        "zip code",
        "shipping zip",
        "código postal",
        "codigo postal",
        "cp",
        "code postal",
        "plz",
        "postleitzahl",
        "cap",
    ),
    "country": (
        "country",
        "country code",
        "shipping country",
        "país",
        "pais",
        "pays",
        "land",
        "paese",
        "nation",
    ),
    "phone": ("phone", "telephone", "mobile", "telefone", "teléfono", "telefono", "téléphone", "telefon"),
    "email": ("email", "e mail", "mail", "correo"),
    "sku": ("sku", "item", "article", "product code", "item number", "artigo", "artículo", "artikel", "référence"),
    "item_name": ("item name", "description", "product", "title", "produto", "producto", "produit", "bezeichnung"),
    "quantity": (
        "quantity",
        "qty",
        "count",
        "pieces",
        "quantidade",
        "qtd",
        "cantidad",
        "quantité",
        "menge",
        "anzahl",
        "quantità",
        "aantal",
    ),
    "unit_price": ("price", "unit price", "item price", "preço", "preco", "precio", "prix", "preis", "prezzo", "prijs"),
    "line_total": ("line total", "line amount", "item total", "total price", "row total", "zeilensumme", "total linha"),
    "currency": ("currency", "currency code", "moeda", "moneda", "devise", "monnaie", "währung", "valuta"),
    "quantity_sent": (
        "quantity shipped",
        "qty shipped",
        "quantity fulfilled",
        "fulfilled quantity",
        "shipped quantity",
        "quantity sent",
        "already shipped",
    ),
    "cancelled_at": ("cancelled at", "canceled at", "cancelled on", "date cancelled", "cancellation date", "annulé le"),
    "weight_g": ("weight g", "weight", "weight grams", "peso g", "peso", "poids", "gewicht"),
    "weight_unit": ("weight unit", "unit of weight", "unidade de peso", "wt unit"),
    "paid_shipping": ("shipping paid", "shipping", "postage paid", "portes"),
    "promise": ("delivery", "delivery method", "shipping method", "promise", "entrega"),
    "standing": (
        "status",
        "order status",
        "payment status",
        "payment",
        "paid",
        "estado",
        "statut",
        "zustand",
        "stato",
        "order state",
        "state of order",
    ),
    "note": ("note", "notes", "comment", "remarks", "nota"),
    "recipient_number": (
        "recipient tax number",
        "recipient number",
        "customer tax number",
        "tax number",
        "tax id",
        "cpf",
        "cpf cnpj",
        "nif",
        "vat number",
        "steuernummer",
        "numéro de tva",
    ),
}
"""What a column can hold, and headers that say so; earlier spellings are better known."""
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
    if "weight_g" not in found:
        at = next((n for n, name in enumerate(names) if weight_unit_of(name) and n not in found.values()), None)
        found |= {} if at is None else {"weight_g": at}
    if "street" in found:  # whole addresses are asked for only where there is no column for their parts
        found.pop("address_block", None)
    return found


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
    """Return the currency that a heading names, ``Price (USD)``; empty for none."""
    last = header.replace("(", " ").replace(")", " ").replace("[", " ").replace("]", " ").split()[-1:]
    return last[0] if last and last[0].isupper() and last[0] in CURRENCIES else ""


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
