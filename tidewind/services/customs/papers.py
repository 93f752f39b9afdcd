"""The papers of a border: postal forms, commercial invoice, packing list; as PDF in the needed copies, and as data.

Every sum on them is the declaration's, so that form, invoice and data say the same to the cent.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import date, datetime
from functools import lru_cache, partial
from importlib.resources import files

from reportlab.lib.units import mm
from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.countries import country_name
from tidewind.core.addresses.latin import latin_address
from tidewind.core.addresses.printed import address_lines
from tidewind.core.customs.codes import code_text
from tidewind.core.customs.declaration import Declaration, by_parcel
from tidewind.core.customs.planned import Border, way_back
from tidewind.core.customs.said import NOTHING_SAID, CustomsSaid
from tidewind.core.customs.units import CustomsUnit, pieces_text, unit_of
from tidewind.core.customs.written import read_border
from tidewind.core.quantities import amount_text, decimal_text, money_text
from tidewind.core.states.labels import LabelState
from tidewind.core.stored import first_known
from tidewind.db.tables import Order, Shipment
from tidewind.documents.blocks import wrap
from tidewind.documents.customs_forms import CustomsForm, FormRow, cn22_paper, cn23_paper
from tidewind.documents.fonts import can_draw
from tidewind.documents.invoice_xml import COMMERCIAL, PRO_FORMA, Party, XmlInvoice, XmlLine, ubl_invoice
from tidewind.documents.lists import Column, ListPaper, list_paper
from tidewind.documents.paper import Draw, pdf_of
from tidewind.services.base import Conflict, NotFound
from tidewind.services.customs.borders import OrderBorder, border_of_order, leaving_now
from tidewind.services.customs.own_papers import draw_page, own_pages
from tidewind.services.planning import customs_book, default_place, shop_day, shop_settings

PAPERS = ("cn22", "cn23", "invoice", "pro_forma", "packing_list")
"""The kinds of paper that we make; others come from carriers and authorities."""
_LANGUAGES = {"CH": "de", "AT": "de", "LI": "de", "BR": "pt", "NO": "nb", "JP": "ja", "MX": "es", "AR": "es"}
_CATEGORIES = {"sale": "sale", "gift": "gift", "sample": "sample", "return": "return", "documents": "documents"}


@lru_cache(maxsize=1)
def _words() -> Mapping[str, Mapping[str, str]]:
    text = (files("tidewind.data") / "customs" / "form-words.json").read_text(encoding="utf-8")
    return dict(json.loads(text))


class _Papers:
    """Makes the papers of one order at its border."""

    def __init__(self, session: Session, at: OrderBorder, border: Border, day: date) -> None:
        self.session, self.at, self.border, self.order = session, at, border, at.order
        self.shop = shop_settings(session)
        self.book = customs_book(session, self.shop)
        self.place = default_place(session)
        self.shipment = session.scalars(
            select(Shipment).where(Shipment.order_id == self.order.id, Shipment.state.in_(LabelState.COUNTS))
        ).first()
        self.sender = self.shipment.sender if self.shipment else first_known(self.order.sender, self.place.address)
        self.to = self.shipment.address if self.shipment else self.order.address
        self.day = self.shipment.ship_date if self.shipment else day
        self.packed = [
            (parcel.gross_g, {str(line): count for line, count in parcel.contents})
            for parcel in self.order.plan.parcels
        ]
        self.tracking = [label.tracking_number or "" for label in self.shipment.labels] if self.shipment else []
        self.words: Mapping[str, str] = {}
        self._speak()

    def turned(self, tracking_number: str, day: date) -> _Papers:
        """Return the papers of the way back: from whom it went to, in one parcel, with its own number."""
        self.sender, self.to, self.day = self.to, self.sender, day
        self.packed, self.tracking = [], [tracking_number]
        self._speak()
        return self

    def _speak(self) -> None:
        language = _LANGUAGES.get(self.to.country, self.to.country.lower())
        self.words = _words().get(language, {})

    def money(self, minor: int) -> str:
        return money_text(minor, self.border.declared.currency)

    def numbers(self) -> list[str]:
        """Return the sender's numbers that this border asks for, as they are printed."""
        wanted = [need.about for need in self.border.needs if need.kind == "sender_number"]
        kinds = dict.fromkeys(kind for names in wanted for kind in names.split(" or "))
        return [f"{kind} {self.book.numbers[kind]}" for kind in kinds if self.book.numbers.get(kind)]

    def parcels(self) -> list[Declaration]:
        """Return what is declared with each parcel."""
        contents, gross = [held for _, held in self.packed], [weight for weight, _ in self.packed]
        return by_parcel(self.border.declared, contents, gross)

    def made(self, kind: str) -> list[Draw]:
        """Return a kind of paper, one for each parcel where the post asks for one each."""
        match kind:
            case "cn22" | "cn23":
                one = cn22_paper if kind == "cn22" else cn23_paper
                return [one(self.form(part, n)) for n, part in enumerate(self.parcels()) if part.items]
            case "invoice" | "pro_forma" if own := own_pages(self.session, self.order.id):
                return [partial(draw_page, picture=page) for page in own]
            case "invoice" | "pro_forma":
                return [list_paper(self.invoice(pro_forma=kind == "pro_forma"))]
            case "packing_list":
                return [list_paper(self.packing_list())]
        return []

    def form(self, part: Declaration, parcel: int) -> CustomsForm:
        number = self.tracking[parcel] if parcel < len(self.tracking) else ""
        said = self.at.said
        category = _CATEGORIES.get(part.purpose, "other")
        return CustomsForm(
            number=number,
            sender=_both(self.sender),
            sender_reference=", ".join(self.numbers()),
            recipient=_both(self.to),
            importer_reference=", ".join(part for part in (said.recipient_number, self.to.phone) if part),
            category=category,
            explanation=part.purpose if category == "other" else "",
            rows=tuple(
                FormRow(
                    item.text,
                    str(item.quantity),
                    _kg(item.net_g),
                    self.money(item.value_minor),
                    code_text(item.hs_code),
                    item.origin,
                )
                for item in part.items
            ),
            gross=_kg(part.gross_g),
            total=self.money(part.goods_minor),
            postage=self.money(part.shipping_minor),
            invoice=self.order.number if part.purpose == "sale" else "",
            comments=self.comments(),
            licence=_numbers_of(said, ("licence", "import_permit", "cites")),
            certificate=_numbers_of(said, ("phytosanitary", "health_certificate")),
            office=f"{self.sender.city}, {self.day.isoformat()}",
            dated=f"{self.day.isoformat()}, {self.shop.brand}",
            words=self.words,
        )

    def comments(self) -> str:
        said = []
        if self.border.due.at_sale_minor:
            said.append("tax was collected at the sale")
        if self.at.said.first_export:
            said.append(f"returned goods, first exported under {self.at.said.first_export}")
        if self.border.declared.contents:
            said.append(", ".join(sorted(self.border.declared.contents)).replace("_", " "))
        return "; ".join(said)

    def _goods(self) -> list[tuple[str, ...]]:
        return [
            (
                item.text + (" (free of charge, value for customs only)" if item.free else ""),
                code_text(item.hs_code),
                item.origin,
                pieces_text(item.hs_code, item.quantity),
                _kg(item.net_g),
                amount_text(item.value_minor, self.border.declared.currency),
            )
            for item in self.border.declared.items
        ]

    def _sums(self) -> tuple[tuple[str, str], ...]:
        told = self.border.declared
        return (
            (self._in_both("Goods", "goods"), self.money(told.goods_minor)),
            (self._in_both("Transport", "transport"), self.money(told.shipping_minor)),
            (self._in_both("Total", "total"), self.money(told.total_minor)),
            *self._due(),
            (self._in_both("Net weight", "net"), _kg(told.net_g)),
            (self._in_both("Gross weight", "gross"), _kg(told.gross_g)),
        )

    def invoice(self, *, pro_forma: bool) -> ListPaper:
        told, said = self.border.declared, self.at.said
        title = self._in_both("Pro forma invoice", "pro_forma")
        if not pro_forma:
            title = self._in_both("Commercial invoice", "invoice")
        terms = f"{'DDP' if told.sender_pays else 'DAP'} {latin_address(self.to).city} (Incoterms 2020)"
        meant = "returned goods" if told.purpose == "return" else told.purpose
        purpose = f"{self._in_both('Purpose', 'purpose')}: {self._in_both(meant, told.purpose)}"
        numbers = [*self.numbers(), *([f"First export: {said.first_export}"] if said.first_export else [])]
        broker = f"Broker: {said.broker}" if said.broker else ""
        recipient = tuple(line for line in (*_both(self.to), said.recipient_number, broker) if line)
        return ListPaper(
            title=title,
            facts=(
                f"No. {self.order.number} of {self.day:%d %B %Y}",
                terms,
                purpose,
                "; ".join(numbers),
                "; ".join(self.tracking),
            ),
            columns=(
                self._column("What it is, of what, for what", "contents", 9),
                self._column("HS code", "code", 3),
                self._column("Origin", "origin", 2),
                self._column("Pieces", "quantity", 2, figures=True),
                self._column("Net", "net", 3, figures=True),
                self._column(f"Value, {told.currency}", "value", 3, figures=True),
            ),
            rows=_with_long_texts(self._goods(), 0, 70 * mm),
            closing=self._sums(),
            left=(*_both(self.sender), *self.numbers()),
            right=recipient,
            note=self.statement(),
            signatures=("Date, name and signature",),
        )

    def _in_both(self, english: str, key: str) -> str:
        """Return words in English and, where we have them, in the destination's language."""
        return " / ".join(dict.fromkeys((english, self.words.get(key) or english)))

    def _column(self, english: str, key: str, share: int, *, figures: bool = False) -> Column:
        return Column(english, share, figures=figures, below=self.words.get(key, ""))

    def _due(self) -> Iterator[tuple[str, str]]:
        """Return what the border will ask for, as an estimate and beside the total, where the tables say."""
        due, returned = self.border.due, self.border.declared.purpose == "return"
        if due.known and due.currency and not returned:
            whose = "sender" if self.border.declared.sender_pays else "recipient"
            yield f"Duties and taxes, an estimate, paid by the {whose}", money_text(due.total_minor, due.currency)

    def statement(self) -> str:
        """Return the statement of origin where an agreement is used, in the words that it prescribes."""
        used = set(self.border.due.agreements)
        for row in self.book.tables.agreements:
            if row.name in used and row.statement:
                origin = "European Union" if row.leaves == ("EU",) else country_name(self.sender.country)
                return row.statement.format(number=self.book.numbers.get(row.number) or "–", origin=origin)
        return ""

    def packing_list(self) -> ListPaper:
        many = len(self.packed)
        rows = [
            (
                f"{n} of {many}",
                item.text,
                pieces_text(item.hs_code, item.quantity),
                _kg(item.net_g),
                _kg(item.gross_g),
            )
            for n, part in enumerate(self.parcels(), 1)
            for item in part.items
        ]
        heads = (self._column("Parcel", "parcel", 2), self._column("What", "contents", 9))
        weighed = (("Pieces", "quantity"), ("Net", "net"), ("Gross", "gross"))
        figures = tuple(self._column(head, key, 2, figures=True) for head, key in weighed)
        return ListPaper(
            title=self._in_both("Packing list", "packing_list"),
            facts=(f"Order {self.order.number} of {self.day:%d %B %Y}",),
            columns=(*heads, *figures),
            rows=_with_long_texts(rows, 1, 92 * mm),
            closing=(("Gross weight", _kg(sum(weight for weight, _ in self.packed))),),
            left=_both(self.sender),
            right=_both(self.to),
        )

    def data(self) -> bytes:
        """Return the invoice as UBL 2.1."""
        told, said = self.border.declared, self.at.said

        def amount(minor: int) -> str:
            return amount_text(minor, told.currency)

        kind, number = next(((k, n) for k, n in self.book.numbers.items() if n and k in {"EORI", "VAT"}), ("", ""))
        lines = tuple(
            XmlLine(
                str(n),
                item.text,
                item.quantity,
                amount(item.value_minor),
                amount(item.value_minor // item.quantity),
                item.hs_code,
                item.origin,
                decimal_text(item.net_g),
                "PR" if unit_of(item.hs_code) is CustomsUnit.PAIR else "H87",
            )
            for n, item in enumerate(told.items, 1)
        )
        return ubl_invoice(
            XmlInvoice(
                number=self.order.number,
                dated=self.day,
                kind=COMMERCIAL if told.purpose == "sale" else PRO_FORMA,
                currency=told.currency,
                order=self.order.number,
                notes=tuple(part for part in (f"Purpose: {told.purpose}", self.statement(), self.comments()) if part),
                sender=Party(self.sender, number, kind),
                recipient=Party(self.to, said.recipient_number, "importer" if said.recipient_number else ""),
                incoterm="DDP" if told.sender_pays else "DAP",
                lines=lines,
                goods=amount(told.goods_minor),
                shipping=amount(told.shipping_minor),
                total=amount(told.total_minor),
            )
        )


def _with_long_texts(rows: Sequence[Sequence[str]], column: int, room: float) -> tuple[tuple[str, ...], ...]:
    """Return rows in which a long text goes on below instead of being cut: customs reads all of it."""
    made = []
    for row in rows:
        first, *more = wrap(row[column], 10, room) or [""]
        made.append(tuple(first if n == column else cell for n, cell in enumerate(row)))
        made += [tuple(text if n == column else "" for n in range(len(row))) for text in more]
    return tuple(made)


def _numbers_of(said: CustomsSaid, kinds: Sequence[str]) -> str:
    """Return the numbers of papers that authorities gave, of those kinds that there are."""
    return ", ".join(number for kind in kinds if (number := said.papers.get(kind, "")))


def _kg(grams: int) -> str:
    """Return a weight as customs wants it: in kilograms, whatever the shop speaks in."""
    return f"{decimal_text(grams)} kg"


def _both(address: Address) -> tuple[str, ...]:
    """Return an address in Latin letters with its country, and below it as its own script has it, where that can be."""
    latin = latin_address(address)
    lines = (*address_lines(latin), country_name(address.country))
    own = () if latin == address else tuple(line for line in address_lines(address) if can_draw(line))
    return (*lines, *own)


def _papers_of(session: Session, order: Order, now: datetime) -> _Papers:
    at = border_of_order(session, order, now)
    if at.border is None:
        raise Conflict("no_border", f"Order {order.number} crosses no customs border, so it needs no papers.")
    return _Papers(session, at, at.border, shop_day(session, now))


def _order(session: Session, order_id: int) -> Order:
    order = session.get(Order, order_id)
    if order is None:
        raise NotFound("unknown_order", "This order does not exist.")
    return order


def customs_papers(session: Session, order_id: int, kinds: Sequence[str], now: datetime) -> bytes:
    """Return papers of one order as a PDF, one copy of each; none named: all that it needs, in their copies.

    Raises NotFound; Conflict where no border is crossed, or nothing is needed.
    """
    order = _order(session, order_id)
    papers = _papers_of(session, order, now)
    made = [draw for kind in kinds for draw in papers.made(kind)] if kinds else _in_copies(papers)
    if not made:
        raise Conflict("no_papers", f"Order {order.number} needs no papers of ours.")
    return pdf_of(made, f"Customs papers of {order.number}")


def _in_copies(papers: _Papers) -> list[Draw]:
    needs = [need for need in papers.border.needs if need.kind in PAPERS]
    return [draw for need in needs for draw in papers.made(need.kind) * max(1, need.copies)]


def papers_of_shipments(session: Session, shipment_ids: Sequence[int], now: datetime) -> list[tuple[int, list[Draw]]]:
    """Return the papers of shipments by their id, in the needed copies; none for those that cross no border."""
    found = {s.id: s for s in session.scalars(select(Shipment).where(Shipment.id.in_(shipment_ids)))}
    made = []
    for one in shipment_ids:
        shipment = found.get(one)
        papers = _in_copies(_papers_of(session, shipment.order, now)) if shipment and shipment.customs else []
        made.append((one, papers))
    return made


def papers_back(
    session: Session, shipment: Shipment, pieces: Mapping[str, int], tracking_number: str, now: datetime
) -> list[Draw]:
    """Return the papers with which goods come back across the border they left by; none where they crossed none.

    The first export is named by what was said of it, else by the first tracking number.
    """
    if not shipment.customs:
        return []
    day = shop_day(session, now)
    out = read_border(shipment.customs["border"])
    said = shipment.order.hand.customs or NOTHING_SAID
    first = said.first_export or next((label.tracking_number for label in shipment.labels if label.tracking_number), "")
    border = way_back(out, pieces, leaving_now(session, day))
    at = OrderBorder(shipment.order, border, replace(said, purpose="return", first_export=first or ""), bought=True)
    papers = _Papers(session, at, border, day).turned(tracking_number, day)
    return [draw for kind in ("cn23", "pro_forma") for draw in papers.made(kind)]


def invoice_xml(session: Session, order_id: int, now: datetime) -> bytes:
    """Return an order's commercial invoice as UBL 2.1.  Raises NotFound, Conflict where no border is crossed."""
    return _papers_of(session, _order(session, order_id), now).data()
