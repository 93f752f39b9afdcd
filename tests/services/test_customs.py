"""Orders across a border: what stops them, what is declared with the purchase, and papers that all say the same."""

from __future__ import annotations

import io
import json
import random
import re
import zipfile
from pathlib import Path

import httpx
import pytest
from lxml import etree
from PIL import Image
from sqlalchemy import select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.documents.reading import text_of
from tests.services.steps import ask, buy, ids_of, person
from tidewind.core.quantities import amount_text
from tidewind.db.tables import Order, PrintJob, Product, Shipment
from tidewind.documents.paper import pdf_of
from tidewind.services.base import Conflict, Invalid, NotFound, history_of
from tidewind.services.buying import ToBuy, ask_to_buy
from tidewind.services.customs import (
    DutyRecord,
    charged_for,
    compared_duties,
    customs_papers,
    drop_own_invoice,
    find_codes,
    invoice_xml,
    look_at_border,
    own_invoice_name,
    papers_back,
    replace_tables,
    say_charged,
    set_numbers,
    suggest_text,
    tables_file,
    tables_now,
    take_own_invoice,
)
from tidewind.services.orders import edit_hand
from tidewind.services.papers import PrintRequest, send_to_printer
from tidewind.services.planning import keep_up
from tidewind.services.rates import BasketAsked, offers_for
from tidewind.services.shop import edit_products, set_product_facts
from tidewind.web.access import Wiring

UBL = {
    "cac": "urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2",
    "cbc": "urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2",
}


TRIAL = "Hand fork, steel, for a trial of long descriptions that have to be read by customs to the Schlusswort"


def order_to(wiring: Wiring, country: str) -> int:
    with wiring.sessions() as session:
        query = select(Order).where(Order.address["country"].astext == country, Order.state == "open")
        return session.scalars(query.order_by(Order.id)).first().id  # type: ignore[union-attr]


def snags(wiring: Wiring, order_id: int) -> dict[str, str]:
    with wiring.sessions() as session:
        return {snag.code: snag.level for snag in session.get_one(Order, order_id).snags}


@pytest.fixture(scope="session")
def schema(tmp_path_factory: pytest.TempPathFactory) -> etree.XMLSchema:
    """The published schema of a UBL 2.1 invoice (OASIS Open 2013), unchanged but for being in one file."""
    folder = tmp_path_factory.mktemp("ubl")
    zipfile.ZipFile(Path(__file__).parents[1] / "documents" / "ubl-2.1.zip").extractall(folder)
    return etree.XMLSchema(etree.parse(folder / "maindoc" / "UBL-Invoice-2.1.xsd"))


def test_a_border_stops_what_customs_would_hold_and_each_fix_takes_a_snag_away(wiring: Wiring, clock: Clock) -> None:
    brazil = order_to(wiring, "BR")
    assert snags(wiring, brazil) == {"vague_customs_text": "stops", "recipient_number": "stops"}
    with wiring.sessions.begin() as session:
        why, better = suggest_text(session, "WD-01")
        assert (len(why), better) == (2, "")
        edit_products(session, ["WD-01"], {"material": "steel, ash handle", "used_for": "weeding lawns"}, clock())
        assert suggest_text(session, "WD-01")[1] == "Daisy weeder, steel, ash handle, for weeding lawns"
        with pytest.raises(Invalid, match="fewer"):
            set_product_facts(session, "WD-01", {"hs_code": "8201"}, None, clock())
        set_product_facts(session, "WD-01", {"customs_text": suggest_text(session, "WD-01")[1]}, None, clock())
    assert snags(wiring, brazil) == {"recipient_number": "stops"}
    for number, left in (("390.533.447-06", {"recipient_number": "stops"}), ("390.533.447-05", {})):
        with wiring.sessions.begin() as session:
            edit_hand(session, [brazil], {"customs": {"recipient_number": number}}, "Tomé", clock())
        assert snags(wiring, brazil) == left
    with wiring.sessions.begin() as session:
        set_product_facts(session, "KN-01", {"hs_code": "", "origin": ""}, None, clock())
    assert snags(wiring, brazil) == {"no_hs_code": "stops", "no_origin": "stops"}
    with wiring.sessions.begin() as session:
        edit_hand(session, [brazil], {"customs": {"purpose": "documents"}}, "Tomé", clock())
        assert look_at_border(session, brazil, clock()).border.needs == ()  # type: ignore[union-attr]
    assert snags(wiring, brazil) == {}
    with wiring.sessions() as session, pytest.raises(NotFound):
        look_at_border(session, 10**9, clock())


def test_what_was_declared_stays_with_the_shipment_and_every_paper_says_the_same(
    wiring: Wiring, clock: Clock, schema: etree.XMLSchema, tmp_path: Path
) -> None:
    japan = order_to(wiring, "JP")
    with wiring.sessions() as session:
        order = session.get_one(Order, japan)
        # The first line said with a value of its own, so that the papers cannot come from the order's prices.
        own = {
            "items": {str(order.lines[0].id): {"value_minor": 1_937, "text": TRIAL}},
            "broker": "Kita Customs, Osaka",
        }
    with wiring.sessions.begin() as session:
        edit_hand(session, [japan], {"customs": own}, "Tomé", clock())
    with wiring.sessions() as session:
        order = session.get_one(Order, japan)
        planned = look_at_border(session, japan, clock())
    (shipment_id,) = ids_of(wiring, ask(wiring, [order]).batch_id)
    assert buy(wiring, shipment_id) == "bought"
    with wiring.sessions.begin() as session:
        for line in order.lines:
            set_product_facts(session, line.sku, {"customs_text": "Something else of steel"}, None, clock())
    with wiring.sessions() as session:
        at = look_at_border(session, japan, clock())
        assert at.bought
        assert at.border == planned.border
        declared = at.border.declared  # type: ignore[union-attr]
        told = session.get_one(Shipment, shipment_id).customs["told"]
        pdf = customs_papers(session, japan, [], clock())
        tree = etree.fromstring(invoice_xml(session, japan, clock()))
        one_form, one_invoice = (customs_papers(session, japan, [kind], clock()) for kind in ("cn23", "invoice"))
    assert told["total_minor"] == declared.total_minor
    assert (told["broker"], told["incoterm"]) == ("Kita Customs, Osaka", "DAP")
    assert sum(item["value_minor"] for item in told["items"]) + told["shipping_minor"] == told["total_minor"]
    schema.assertValid(tree)
    euros = [
        amount_text(minor, "EUR") for minor in (declared.goods_minor, declared.shipping_minor, declared.total_minor)
    ]
    sums = "cac:LegalMonetaryTotal"
    assert [
        tree.findtext(f"{sums}/cbc:{name}", namespaces=UBL)
        for name in ("LineExtensionAmount", "ChargeTotalAmount", "PayableAmount")
    ] == euros
    lines = tree.findall("cac:InvoiceLine/cbc:LineExtensionAmount", namespaces=UBL)
    assert sum(round(float(line.text) * 100) for line in lines) == declared.goods_minor
    form, invoice = text_of(one_form, tmp_path), text_of(one_invoice, tmp_path)
    assert all(f"{amount} EUR" in invoice for amount in euros)
    assert all(f"{amount} EUR" in form for amount in euros[:2])
    for words in ("Hand fork, steel, for a trial", "Schlusswort", "8201.90", "石井 はるか"):
        assert words in form
        assert words in invoice
    assert len(re.findall("CN 23", text_of(pdf, tmp_path))) == 2  # in the copies that the post asks for
    assert session_number(wiring, shipment_id) in form
    assert "Broker: Kita Customs" in invoice
    with wiring.sessions.begin() as session:
        send_to_printer(session, PrintRequest("label", [shipment_id], "one-press"), person(session, "tome"), clock())
        queued = {job.kind: job.printer for job in session.scalars(select(PrintJob))}
    assert queued == {"label": "bench-label", "customs": "office-a4"}


def session_number(wiring: Wiring, shipment_id: int) -> str:
    with wiring.sessions() as session:
        return session.get_one(Shipment, shipment_id).labels[0].tracking_number or "none"


def test_no_border_no_papers(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions() as session:
        home = session.scalars(
            select(Order).where(Order.address["country"].astext == "PT", Order.price_minor.is_not(None))
        ).first()
        assert home
        assert look_at_border(session, home.id, clock()).border is None
        with pytest.raises(Conflict, match="crosses no customs border"):
            customs_papers(session, home.id, [], clock())
        assert find_codes(session, "Bypass secateurs")[0].entry.code == "820150"
        edit_products(session, ["WD-01"], {"name": "Quernstone", "hs_code": "691490"}, clock())
        assert find_codes(session, "quernstone")[0].entry.code == "691490"  # what was chosen a moment ago counts
        session.rollback()


def test_numbers_and_tables_are_the_shops_own_and_wrong_ones_change_nothing(wiring: Wiring, clock: Clock) -> None:
    britain = order_to(wiring, "GB")
    with wiring.sessions.begin() as session:
        for wrong in ({"GB VAT": "GB1"}, {"NAME": "1"}):
            with pytest.raises(Invalid):
                set_numbers(session, wrong, clock())
        assert set_numbers(session, {"EORI": "pt 980000001"}, clock())["EORI"] == "PT980000001"
    assert snags(wiring, britain) == {"sender_number": "warns"}
    with wiring.sessions.begin() as session:
        tables = json.loads(tables_file(session))
        assert tables_now(session).sample
        bombs = (
            b"",
            b"[]",
            b"{",
            b'{"x": 1}',
            b'{"duties": [{"to": 3}]}',
            b"[" * 100_000,
            b'{"duties":' + b"[" * 3_000_000,
        )
        for bad in bombs:
            with pytest.raises(Invalid, match="Nothing was changed"):
                replace_tables(session, bad, "Inês", clock())
        tables["forbidden"] = [{"to": ["GB"], "codes": ["4901"], "words": "no books this week"}]
        tables |= {"numbers": [], "name": "Our own", "sample": False}
        mine = replace_tables(session, json.dumps(tables).encode(), "Inês", clock())
        assert (mine.name, mine.sample, mine.rows["forbidden"]) == ("Our own", False, 1)
        keep_up(session, [session.get_one(Order, britain)], clock())
    assert snags(wiring, britain) == {"forbidden_goods": "stops"}
    with wiring.sessions() as session:
        order = session.get_one(Order, britain)
    assert not ask(wiring, [order]).taken  # nothing forbidden is bought, whatever was on the screen


def test_nothing_forbidden_is_bought_even_between_new_tables_and_the_plans_that_follow(
    wiring: Wiring, clock: Clock
) -> None:
    """Tables at random, asked at once; what they forbid is told here from codes and countries alone."""
    chance = random.Random(11)
    with wiring.sessions() as session:
        crossing = [o for o in session.scalars(select(Order).where(Order.state == "open")) if _codes(session, o, clock)]
        clear = [order for order in crossing if not any(s.level == "stops" for s in order.snags)]
        codes = {order.id: _codes(session, order, clock) for order in clear}
        wishes = [ToBuy(order.id, order.price_minor or 0) for order in clear]
        lands = {order.id: order.address.country for order in clear}
        tables = json.loads(tables_file(session))
    assert len({tuple(c) for c in codes.values()}) > 2
    known, outcomes = sorted({code for some in codes.values() for code in some}), set()
    for turn in range(20):
        some = [
            {
                "to": [chance.choice(sorted(set(lands.values())))],
                "codes": [chance.choice(known)[: chance.choice((2, 4, 6))] for _ in range(chance.randint(1, 3))],
                "words": "not this week",
            }
            for _ in range(chance.randint(0, 3))
        ]
        with wiring.sessions() as session:
            replace_tables(session, json.dumps(tables | {"forbidden": some}).encode(), "Inês", clock())
            asked = ask_to_buy(session, wishes, f"turn-{turn}", person(session, "tome"), clock())
            session.rollback()
        forbidden = {
            order_id
            for order_id, land in lands.items()
            for row in some
            if land in row["to"] and any(c.startswith(p) for c in codes[order_id] for p in row["codes"])
        }
        assert set(asked.dropped) == forbidden
        assert set(asked.taken) == lands.keys() - forbidden
        outcomes.add((bool(asked.taken), bool(asked.dropped)))
    assert outcomes >= {(True, True), (True, False)}


def _codes(session: Session, order: Order, clock: Clock) -> list[str]:
    border = look_at_border(session, order.id, clock()).border
    return [item.hs_code for item in border.declared.items] if border else []


def test_whatever_is_written_on_a_paper_no_money_changes(wiring: Wiring, clock: Clock) -> None:
    chance = random.Random(5)
    japan = order_to(wiring, "JP")

    def money(session: Session) -> tuple[list[object], list[object]]:
        """What was paid, always; what it costs, nothing while customs stops it."""
        order = session.get_one(Order, japan)
        paid = [order.paid_shipping_minor, *((line.quantity, line.unit_price_minor) for line in order.lines)]
        costs = [order.price_minor, order.plan.value_minor, order.plan.premium_minor, order.plan.quote]
        return paid, costs if order.price_minor is not None else []

    with wiring.sessions() as session:
        before = money(session)
        ids = [str(line.id) for line in session.get_one(Order, japan).lines]
        declared = [item.value_minor for item in look_at_border(session, japan, clock()).border.declared.items]  # type: ignore[union-attr]
    changed, priced = set(), 0
    for _ in range(16):
        items = {
            line: {
                "text": chance.choice(("", "Seeds of grass, for sowing lawns")),
                "hs_code": chance.choice(("", "120925", "820190")),
                "origin": chance.choice(("", "PT", "CN")),
                "value_minor": chance.choice((None, 0, 1, 99_999)),
            }
            for line in ids
            if chance.random() < 0.8
        }
        said = {"items": items, "purpose": chance.choice(("sale", "gift", "sample", "repair")), "broker": "Sora KK"}
        with wiring.sessions.begin() as session:
            edit_hand(session, [japan], {"customs": said}, "Tomé", clock())
        with wiring.sessions() as session:
            paid, costs = money(session)
            assert (paid, costs or before[1]) == before
            priced += bool(costs)
            border = look_at_border(session, japan, clock()).border
            changed.add(tuple(item.value_minor for item in border.declared.items))  # type: ignore[union-attr]
    assert (len(changed - {tuple(declared)}) > 3, priced > 2) == (True, True)  # the papers did say something else


def test_what_was_charged_stands_beside_what_was_reckoned(wiring: Wiring, clock: Clock) -> None:
    britain = order_to(wiring, "GB")
    with wiring.sessions.begin() as session:
        with pytest.raises(Conflict, match="went over"):
            say_charged(session, britain, 100, "Tomé", clock())
        with pytest.raises(NotFound):
            say_charged(session, 10**9, 100, "Tomé", clock())
        order = session.get_one(Order, britain)
    (shipment_id,) = ids_of(wiring, ask(wiring, [order]).batch_id)
    assert buy(wiring, shipment_id) == "bought"
    with wiring.sessions.begin() as session:
        border = look_at_border(session, britain, clock()).border
        assert border
        assert (charged_for(session, britain), compared_duties(session)) == (None, [])
        say_charged(session, britain, border.due.in_order_minor + 355, "Tomé", clock())
        with pytest.raises(Invalid):
            say_charged(session, britain, -1, "Tomé", clock())
    with wiring.sessions.begin() as session:
        frozen = look_at_border(session, britain, clock()).border
        assert frozen == border  # the estimate stays what it was
        (record,) = compared_duties(session)
        reckoned = border.due.in_order_minor
        assert record == DutyRecord("GB", 1, reckoned, reckoned + 355)
        say_charged(session, britain, None, "Tomé", clock())
        assert (charged_for(session, britain), compared_duties(session)) == (None, [])
        said = [change.what for change in history_of(session, britain)]
        assert next(words for words in said if words.startswith("duties")).endswith("are not known")


def test_by_http_a_declaration_is_seen_by_all_and_changed_by_who_ships(
    wiring: Wiring, base_url: str, clock: Clock
) -> None:
    japan = order_to(wiring, "JP")
    with httpx.Client(base_url=base_url) as tome:
        tome.post("/api/sign-in", json={"login": "tome", "password": "larkspur-and-loam"})
        tome.headers["X-CSRF-Token"] = tome.get("/api/me").json()["csrf_token"]
        seen = tome.get(f"/api/orders/{japan}/customs").json()
        assert (seen["border"], seen["to"], seen["bought"], seen["papers"]) == (True, "JP", False, ["cn23", "invoice"])
        gift = tome.put(f"/api/orders/{japan}/customs", json={"purpose": "gift"}).json()
        assert (gift["said"]["purpose"], gift["papers"]) == ("gift", ["cn23"])
        for bad in (
            {"purpose": "theft"},
            {"items": {"1": {"origin": "portugal"}}},
            {"papers": {"x" * 41: "1"}},
            {"sum": 1},
        ):
            assert tome.put(f"/api/orders/{japan}/customs", json=bad).status_code == 422
        assert tome.put("/api/customs/numbers", json={"numbers": {}}).status_code == 403
        pdf = tome.get(f"/api/orders/{japan}/customs.pdf", params={"kind": ["cn23", "cn22"]})
        assert (pdf.status_code, pdf.content[:5]) == (200, b"%PDF-")
        assert tome.get(f"/api/orders/{japan}/customs.pdf", params={"kind": "gold"}).status_code == 422
        goods = {"country": "GB", "value_minor": 20_000, "shipping_minor": 1_290, "hs_code": "8201.90", "origin": "CN"}
        told = tome.get("/api/customs/estimate", params=goods).json()  # as the case “in euros to GB”, by hand
        assert (told["duty_minor"], told["tax_minor"], told["in_order_minor"]) == (749, 3_897, 5_280)
        assert tome.get("/api/customs/estimate", params={"country": "ES", "value_minor": 1}).json() is None
        assert tome.get("/api/customs/estimate", params={"country": "GB"}).status_code == 422
        hits = tome.get("/api/customs/codes", params={"text": "terracotta pot"}).json()
        assert hits[0]["code"] == "6914.90"


def test_a_product_changed_after_all_is_planned_with_its_new_facts(wiring: Wiring, clock: Clock) -> None:
    swiss = order_to(wiring, "CH")
    with wiring.sessions.begin() as session:
        line = session.get_one(Order, swiss).lines[0]
        product = session.scalars(select(Product).where(Product.sku == line.sku)).one()
        edit_products(session, [product.sku], {"customs_text": "Tools"}, clock())
    assert snags(wiring, swiss)["vague_customs_text"] == "stops"


def test_a_shopper_abroad_is_told_what_the_border_will_ask_for(wiring: Wiring, clock: Clock) -> None:
    def duties(country: str, postcode: str, sku: str, price: int) -> set[int | None]:
        with wiring.sessions.begin() as session:
            told = offers_for(session, BasketAsked(((sku, 1, price),), country, postcode), clock())
        assert told.answer.offered
        return {line.duties for line in told.answer.offered}

    assert duties("PT", "3500-108", "HF-01", 1_850) == {None}
    assert duties("GB", "HR1 2PX", "BK-1", 2_890) == {0}  # books, and VAT of so little is taken at the sale
    dear = duties("GB", "HR1 2PX", "WC-5", 30_000)
    with wiring.sessions() as session:
        offers = offers_for(session, BasketAsked((("WC-5", 1, 30_000),), "GB", "HR1 2PX"), clock()).answer.offered
    for line in offers:  # 300.00 EUR and shipping, no duty by the agreement, 20 % VAT in pounds at 0.88
        pounds = (30_000 + line.price) * 88 / 100
        assert abs((line.duties or 0) - round(pounds * 20 / 100) * 100 / 88) < 1
    assert len(dear) == len({line.price for line in offers})
    with wiring.sessions.begin() as session:  # other tables reach the checkout at once, also what it had kept
        tables = json.loads(tables_file(session))
        tables["taxes"] = []
        replace_tables(session, json.dumps(tables).encode(), "Inês", clock())
    assert duties("GB", "HR1 2PX", "WC-5", 30_000) == {0}


def test_an_own_invoice_stands_for_ours_and_nothing_but_ink_comes_along(wiring: Wiring, clock: Clock) -> None:
    japan = order_to(wiring, "JP")
    scripted = (
        b"%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R/OpenAction<</S/JavaScript/JS(app.alert(1))>>>>endobj\n"
        b"2 0 obj<</Type/Pages/Kids[3 0 R]/Count 1>>endobj\n3 0 obj<</Type/Page/Parent 2 0 R/MediaBox[0 0 5000 5000]>>endobj\n"
        b"trailer<</Root 1 0 R>>\n%%EOF"
    )
    picture = io.BytesIO()
    Image.new("RGB", (60, 90), "navy").save(picture, "PNG", pnginfo=None)
    with wiring.sessions.begin() as session:
        ours = customs_papers(session, japan, ["invoice"], clock())
        many = pdf_of([lambda canvas: canvas.showPage()] * 11, "eleven")
        for bad in (
            b"",
            b"%PDF-1.7 nothing",
            b"<?xml version='1.0'?><!DOCTYPE x [<!ENTITY a 'a'>]>",
            b"MZ\x90",
            many,
            b"GIF89a" * 99,
        ):
            with pytest.raises(Invalid, match="Nothing was changed"):
                take_own_invoice(session, japan, "x.pdf", bad, "Tomé")
        assert own_invoice_name(session, japan) == ""
        for name, data in (("scripted.pdf", scripted), ("ours.pdf", ours), ("photo.png", picture.getvalue())):
            assert take_own_invoice(session, japan, name, data, "Tomé") == 1
            made = customs_papers(session, japan, ["invoice"], clock())
            assert b"JavaScript" not in made
            assert (made.count(b"/Subtype /Image"), own_invoice_name(session, japan)) == (1, name)
        before = look_at_border(session, japan, clock()).border
        drop_own_invoice(session, japan)
        assert look_at_border(session, japan, clock()).border == before  # a paper changes no sum
        assert b"/Subtype /Image" not in customs_papers(session, japan, ["invoice"], clock())


def test_what_comes_back_is_declared_as_returned_goods_by_the_number_it_left_with(
    wiring: Wiring, clock: Clock, tmp_path: Path
) -> None:
    japan = order_to(wiring, "JP")
    with wiring.sessions() as session:
        order = session.get_one(Order, japan)
    (shipment_id,) = ids_of(wiring, ask(wiring, [order]).batch_id)
    assert buy(wiring, shipment_id) == "bought"
    left_with = session_number(wiring, shipment_id)
    with wiring.sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
        first, other = order.lines[0], order.lines[1]
        assert look_at_border(session, japan, clock()).border.declared.purpose == "sale"  # type: ignore[union-attr]
        papers = papers_back(session, shipment, {first.sku: 1}, "BACK-1", clock())
        text = text_of(pdf_of(papers, "back"), tmp_path)
        nothing = papers_back(session, shipment, {}, "", clock())
    assert (len(papers), len(nothing)) == (2, 2)
    for words in (
        "BACK-1",
        f"first exported under {left_with}",
        "Purpose / Finalidade: returned goods / Devolução",
        f"{first.unit_price_minor / 100:.2f} EUR",
    ):
        assert words in text, words
    assert f"{other.unit_price_minor / 100:.2f}" not in text
    assert text.index("Haruka") < text.index("Tomé Brisson")  # from the buyer to us
