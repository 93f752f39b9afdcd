"""A commercial invoice as data: OASIS Universal Business Language 2.1, document type Invoice."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date
from xml.etree import ElementTree as ET

from tidewind.core.addresses.check import Address

_NOT_XML = re.compile("[^\t\n\\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
_INVOICE = "urn:oasis:names:specification:ubl:schema:xsd:Invoice-2"
_CAC = "urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2"
_CBC = "urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2"
COMMERCIAL, PRO_FORMA = "380", "325"
"""Kinds of invoice (UN/CEFACT code list 1001)."""


@dataclass(frozen=True, slots=True)
class Party:
    """Who sells or gets: address, and the number that customs knows them by with its kind."""

    address: Address
    number: str = ""
    number_kind: str = ""


@dataclass(frozen=True, slots=True)
class XmlLine:
    """One line; amounts are decimals as they are written, of all pieces together but for ``each``.

    ``unit`` is what ``quantity`` counts, by its code in UN/ECE Recommendation 20.
    """

    id: str
    text: str
    quantity: int
    amount: str
    each: str
    hs_code: str
    origin: str
    net_kg: str
    unit: str = "H87"


@dataclass(frozen=True, slots=True)
class XmlInvoice:
    """What an invoice says, amounts as decimals with the currency's digits."""

    number: str
    dated: date
    kind: str
    currency: str
    order: str
    notes: tuple[str, ...]
    sender: Party
    recipient: Party
    incoterm: str
    lines: tuple[XmlLine, ...]
    goods: str
    shipping: str
    total: str


def ubl_invoice(told: XmlInvoice) -> bytes:
    """Return the invoice as UBL 2.1, its elements in the order of the schema's sequence."""
    for prefix, space in (("", _INVOICE), ("cac", _CAC), ("cbc", _CBC)):
        ET.register_namespace(prefix, space)
    root = ET.Element(f"{{{_INVOICE}}}Invoice")
    _text(root, "UBLVersionID", "2.1")
    _text(root, "ID", told.number)
    _text(root, "IssueDate", told.dated.isoformat())
    _text(root, "InvoiceTypeCode", told.kind)
    for note in told.notes:
        _text(root, "Note", note)
    _text(root, "DocumentCurrencyCode", told.currency)
    _text(_part(root, "OrderReference"), "ID", told.order)
    _party(root, "AccountingSupplierParty", told.sender)
    _party(root, "AccountingCustomerParty", told.recipient)
    delivery = _part(_part(root, "Delivery"), "DeliveryTerms")
    _text(delivery, "ID", told.incoterm)
    if told.shipping.strip("0."):
        charge = _part(root, "AllowanceCharge")
        _text(charge, "ChargeIndicator", "true")
        _text(charge, "AllowanceChargeReason", "Transport")
        _amount(charge, "Amount", told.shipping, told.currency)
    sums = _part(root, "LegalMonetaryTotal")
    _amount(sums, "LineExtensionAmount", told.goods, told.currency)
    _amount(sums, "TaxExclusiveAmount", told.total, told.currency)
    _amount(sums, "TaxInclusiveAmount", told.total, told.currency)
    _amount(sums, "ChargeTotalAmount", told.shipping, told.currency)
    _amount(sums, "PayableAmount", told.total, told.currency)
    for line in told.lines:
        _line(root, line, told.currency)
    ET.indent(root)
    return bytes(ET.tostring(root, encoding="utf-8", xml_declaration=True))


def _part(parent: ET.Element, name: str) -> ET.Element:
    return ET.SubElement(parent, f"{{{_CAC}}}{name}")


def _text(parent: ET.Element, name: str, text: str, **attributes: str) -> None:
    ET.SubElement(parent, f"{{{_CBC}}}{name}", attributes).text = _plain(text)


def _plain(text: str) -> str:
    """Return a text without the signs that XML 1.0 cannot hold."""
    return _NOT_XML.sub("", text)


def _amount(parent: ET.Element, name: str, amount: str, currency: str) -> None:
    _text(parent, name, amount, currencyID=currency)


def _party(root: ET.Element, name: str, told: Party) -> None:
    to = told.address
    party = _part(_part(root, name), "Party")
    if told.number:
        _text(_part(party, "PartyIdentification"), "ID", told.number, schemeID=told.number_kind)
    _text(_part(party, "PartyName"), "Name", to.company or to.name or "-")
    address = _part(party, "PostalAddress")
    for field, value in (
        ("StreetName", to.street),
        ("AdditionalStreetName", to.extra),
        ("CityName", to.city),
        ("PostalZone", to.postcode),
        ("CountrySubentity", to.region),
    ):
        if value:
            _text(address, field, value)
    _text(_part(address, "Country"), "IdentificationCode", to.country)
    if to.company and to.name:
        _text(_part(party, "Contact"), "Name", to.name)


def _line(root: ET.Element, line: XmlLine, currency: str) -> None:
    part = _part(root, "InvoiceLine")
    _text(part, "ID", line.id)
    _text(part, "InvoicedQuantity", str(line.quantity), unitCode=line.unit)
    _amount(part, "LineExtensionAmount", line.amount, currency)
    item = _part(part, "Item")
    _text(item, "Description", line.text)
    _text(item, "Name", line.text[:120])
    if line.origin:
        _text(_part(item, "OriginCountry"), "IdentificationCode", line.origin)
    if line.hs_code:
        _text(_part(item, "CommodityClassification"), "ItemClassificationCode", line.hs_code, listID="HS")
    weight = _part(item, "AdditionalItemProperty")
    _text(weight, "Name", "Net weight, kg")
    _text(weight, "Value", line.net_kg)
    _amount(_part(part, "Price"), "PriceAmount", line.each, currency)
