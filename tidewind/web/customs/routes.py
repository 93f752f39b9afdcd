"""Customs of an order, its papers, codes by everyday words, and the shop's tables and numbers."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query, Response, UploadFile
from sqlalchemy.orm import Session

from tidewind.core.customs.codes import code_text
from tidewind.core.customs.numbers import KINDS
from tidewind.services import customs as service
from tidewind.services.customs import GoodsAsked, OrderBorder
from tidewind.services.orders import edit_hand
from tidewind.web.access import Anyone, Now, Owner, Shipper, Tx
from tidewind.web.base.schemas import CustomsSaidIO
from tidewind.web.customs.schemas import (
    ChargedIn,
    CodeOut,
    CustomsEditIn,
    CustomsItemOut,
    CustomsOut,
    DutyRecordOut,
    EstimateOut,
    GoodsIn,
    NeedOut,
    NumbersIO,
    NumbersOut,
    TablesOut,
    WordsOut,
)
from tidewind.web.files import PDF, answers_with, download, uploaded

router = APIRouter(prefix="/api", tags=["customs"])
PaperKind = Literal["cn22", "cn23", "invoice", "pro_forma", "packing_list"]
MADE_HERE = ("cn22", "cn23", "invoice", "pro_forma", "packing_list")


@router.get("/orders/{order_id}/customs")
def customs_of(order_id: int, _who: Anyone, session: Tx, now: Now) -> CustomsOut:
    """Return what an order declares and needs at its border, and what is due there."""
    return _out(session, service.look_at_border(session, order_id, now))


@router.put("/orders/{order_id}/customs")
def set_customs(order_id: int, body: CustomsEditIn, who: Shipper, session: Tx, now: Now) -> CustomsOut:
    """Keep what is said of an order's customs; it is planned anew."""
    said = body.model_dump(exclude={"seen"}, exclude_defaults=True)
    edit_hand(session, [order_id], {"customs": said or None}, who.name, now, body.seen)
    return _out(session, service.look_at_border(session, order_id, now))


def _out(session: Session, at: OrderBorder) -> CustomsOut:
    said = CustomsSaidIO.model_validate(asdict(at.said))
    if at.border is None:
        return CustomsOut(border=False, bought=at.bought, said=said)
    declared, way = at.border.declared, at.border.journey
    needs = at.border.needs
    return CustomsOut(
        border=True,
        bought=at.bought,
        currency=declared.currency,
        leaves=way.leaves,
        to=way.to,
        sender_pays=declared.sender_pays,
        goods_minor=declared.goods_minor,
        shipping_minor=declared.shipping_minor,
        total_minor=declared.total_minor,
        net_g=declared.net_g,
        gross_g=declared.gross_g,
        items=[CustomsItemOut.model_validate(item) for item in declared.items],
        needs=[NeedOut.model_validate(need) for need in needs],
        due=EstimateOut.model_validate(at.border.due),
        said=said,
        papers=list(dict.fromkeys(need.kind for need in needs if need.kind in MADE_HERE)),
        own_invoice=service.own_invoice_name(session, at.order.id),
        sample=service.tables_now(session).sample,
        charged_minor=service.charged_for(session, at.order.id) if at.bought else None,
    )


@router.put("/orders/{order_id}/customs/charged")
def say_charged(order_id: int, body: ChargedIn, who: Shipper, session: Tx, now: Now) -> CustomsOut:
    """Say what the border asked for in the end; the estimate stays as it was at the purchase."""
    service.say_charged(session, order_id, body.charged_minor, who.name, now)
    return _out(session, service.look_at_border(session, order_id, now))


@router.get("/customs/charged")
def compared_duties(_who: Shipper, session: Tx) -> list[DutyRecordOut]:
    """Return estimates beside what was charged, by destination."""
    return [DutyRecordOut.model_validate(record) for record in service.compared_duties(session)]


@router.put("/orders/{order_id}/customs/invoice")
def take_invoice(order_id: int, file: UploadFile, who: Shipper, session: Tx, now: Now) -> CustomsOut:
    """Take an own invoice in the place of ours: a PDF or a picture, drawn anew."""
    name, data = uploaded(file, 5_000_000)
    service.take_own_invoice(session, order_id, name, data, who.name)
    return _out(session, service.look_at_border(session, order_id, now))


@router.delete("/orders/{order_id}/customs/invoice")
def drop_invoice(order_id: int, _who: Shipper, session: Tx, now: Now) -> CustomsOut:
    """Take an own invoice away; ours stands again."""
    service.drop_own_invoice(session, order_id)
    return _out(session, service.look_at_border(session, order_id, now))


@router.get("/orders/{order_id}/customs.pdf", **answers_with(PDF))
def papers(
    order_id: int, _who: Shipper, session: Tx, now: Now, kind: Annotated[list[PaperKind] | None, Query()] = None
) -> Response:
    """Return papers of an order: those named, one copy of each; or all that it needs, in their copies."""
    return download(service.customs_papers(session, order_id, kind or [], now), f"customs-{order_id}.pdf", PDF)


@router.get("/orders/{order_id}/customs.xml", **answers_with("application/xml"))
def invoice(order_id: int, _who: Shipper, session: Tx, now: Now) -> Response:
    """Return an order's commercial invoice as UBL 2.1."""
    return download(service.invoice_xml(session, order_id, now), f"invoice-{order_id}.xml", "application/xml")


@router.get("/customs/estimate")
def estimated(asked: Annotated[GoodsIn, Query()], _who: Anyone, session: Tx, now: Now) -> EstimateOut | None:
    """Return what a border would ask for goods that are no order yet; null where no border is crossed."""
    found = service.estimate_of(session, GoodsAsked(**asked.model_dump()), now)
    return EstimateOut.model_validate(found) if found else None


@router.get("/customs/codes")
def codes(_who: Anyone, session: Tx, text: Annotated[str, Query(max_length=200)]) -> list[CodeOut]:
    """Return the customs codes that everyday words most likely mean."""
    return [
        CodeOut(code=code_text(hit.entry.code), text=hit.entry.text, path=list(hit.entry.path), why=hit.why)
        for hit in service.find_codes(session, text)
    ]


@router.get("/customs/words")
def words(
    _who: Anyone,
    session: Tx,
    sku: Annotated[str, Query(max_length=60)],
    text: Annotated[str, Query(max_length=200)] = "",
) -> WordsOut:
    """Tell whether a product's description is too vague for customs, and offer a better one."""
    vague, better = service.suggest_text(session, sku, text)
    return WordsOut(vague=list(vague), better=better)


@router.get("/customs/tables")
def tables(_who: Anyone, session: Tx) -> TablesOut:
    """Return which tables customs is reckoned by."""
    return TablesOut.model_validate(asdict(service.tables_now(session)))


@router.get("/customs/tables.json", **answers_with("application/json"))
def tables_file(_who: Owner, session: Tx) -> Response:
    """Return the tables as a file, to change and bring back."""
    return download(service.tables_file(session), "customs-tables.json", "application/json")


@router.put("/customs/tables")
def replace_tables(file: UploadFile, who: Owner, session: Tx, now: Now) -> TablesOut:
    """Take other tables from a file."""
    _, data = uploaded(file, 2_000_000)
    return TablesOut.model_validate(asdict(service.replace_tables(session, data, who.name, now)))


@router.get("/customs/numbers")
def numbers(_who: Shipper, session: Tx) -> NumbersOut:
    """Return the shop's own numbers by kind."""
    return _numbers(service.own_numbers(session))


@router.put("/customs/numbers")
def set_numbers(body: NumbersIO, _who: Owner, session: Tx, now: Now) -> NumbersOut:
    """Keep the shop's own numbers."""
    return _numbers(service.set_numbers(session, body.numbers, now))


def _numbers(kept: dict[str, str]) -> NumbersOut:
    forms: dict[str, Any] = {kind: KINDS[kind][0] for kind in kept}
    return NumbersOut(numbers=kept, forms=forms)
