"""Whatever a name, a note or a product is called: every paper of it can be made, and says what can be written."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.documents.reading import text_of
from tests.services.steps import ask, buy, clear_orders, ids_of
from tidewind.db.tables import Label, Order, Product, Shipment
from tidewind.services.bench import badge_sheet, code_sheet
from tidewind.services.customs import customs_papers, invoice_xml
from tidewind.services.papers import (
    print_batch_summary,
    print_interleaved,
    print_invoices,
    print_labels,
    print_pick_list,
    print_posting_lists,
    print_slips,
    trial_labels,
)
from tidewind.services.planning import plan_orders, shop_settings
from tidewind.web.access import Wiring

WORDS = {
    "markup": "<b>Bold & <i>slanted</i> <font size=99>&amp; &#0; <br/></para>",
    "formulas": "=1+1 @SUM(A1) +351 -2 {link} {{x}} %s %d $1 \\1",
    "marks": "“quoted” ‘it’s’ «so» — … • ½ № ° € ™ \" ' ` ~ | \\ / ; : ,",
    "right to left": "שלום עולם العربية \u202eabc\u202c",
    "east": "東京都 株式会社 서울 กรุงเทพ Ελλάδα Москва",
    "no glyphs": "😀👩‍👩‍👧 \ufffd \ue000 𐍈 \u0378",
    "spaces": " \t a\u00a0b\u2003c\u3000d\u200be ",
    "joined": "e\u0301 n\u0303 ﬁ ﷺ Z͑ͫ̓ͪ̂ͫ̽͏̴̙̤̞͉͚̯̞̠͍A̴̵̜̰͔ͫ͗͢",
    "one long word": "Donaudampfschifffahrtsgesellschaftskapitän" * 4,
    "nothing": "",
    "breaks": "one\ntwo\r\nthree\x0bfour\x0cfive\u2028six\x85seven",
    "control": "a\x01b\x02c\x1bd\x7fe\x9ff",
}


def called(session: Session, order: Order, words: str) -> None:
    """Call everything of an order by these words: buyer, note, goods, and the shop itself."""
    short = words[:120]
    order.address = replace(order.address, name=short or "A", company=short, street=short or "Rua 1", extra=short)
    order.note, order.number = words, f"{words[:30] or 'N'}-{order.id}"
    for line in order.lines:
        line.name = words[:200]
        product = session.scalar(select(Product).where(Product.sku == line.sku))
        if product:
            product.name, product.customs_text, product.shelf = words[:200] or line.sku, words[:200], words[:20]
    shop_settings(session).name = words[:80] or "Shop"
    session.flush()


@pytest.fixture
def shipment_id(wiring: Wiring) -> int:
    """A label from before: what stands on it is called otherwise afterwards."""
    with wiring.sessions() as session:
        orders = clear_orders(session, "norvia", 1)
    (made,) = ids_of(wiring, ask(wiring, orders).batch_id)
    assert buy(wiring, made) == "bought"
    return made


@pytest.mark.parametrize("kind", WORDS)
def test_every_paper_can_be_made(wiring: Wiring, clock: Clock, shipment_id: int, kind: str, tmp_path: Path) -> None:
    words = WORDS[kind]
    with wiring.sessions.begin() as session:
        shipment = session.get_one(Shipment, shipment_id)
        called(session, shipment.order, words)
        shipment.address = shipment.order.address
        shipment.reference = words[:60]
        abroad = session.scalars(
            select(Order).where(Order.address["country"].astext == "GB").order_by(Order.id)
        ).first()
        assert abroad
        called(session, abroad, words)
        plan_orders(session, [abroad], clock())
    papers: dict[str, Callable[[Session], bytes]] = {
        "labels": lambda s: print_labels(s, [shipment_id]),
        "labels on a sheet": lambda s: print_labels(s, [shipment_id], "a4"),
        "slips": lambda s: print_slips(s, [shipment_id]),
        "both": lambda s: print_interleaved(s, [shipment_id]),
        "pick list": lambda s: print_pick_list(s, [shipment_id]),
        "invoices": lambda s: print_invoices(s, [shipment_id]),
        "summary": lambda s: print_batch_summary(s, s.get_one(Shipment, shipment_id).batch_id),
        "posting list": lambda s: print_posting_lists(s, [shipment_id]),
        "trial": lambda s: trial_labels(s, s.get_one(Shipment, shipment_id).order_id),
        "customs": lambda s: customs_papers(s, abroad.id, [], clock()),
        "badge": lambda s: badge_sheet(s, 1),
        "codes": lambda s: code_sheet(s, "actions", clock()),
    }
    with wiring.sessions() as session:
        for name, make in papers.items():
            made = make(session)
            assert made.startswith(b"%PDF"), name
        xml = invoice_xml(session, abroad.id, clock())
        assert xml.startswith(b"<?xml")
        number = session.scalars(select(Label.tracking_number).where(Label.shipment_id == shipment_id)).one()
        label = text_of(papers["labels"](session), tmp_path)
        assert number
        assert number[-4:] in label.replace(" ", "")
        if kind == "markup":  # what looks like markup is words
            slip = text_of(papers["slips"](session), tmp_path)
            assert "<b>Bold" in slip
            assert b"&lt;b&gt;Bold" in xml
        if kind == "east":
            assert all(word in label for word in ("東京都", "Ελλάδα", "Москва"))
