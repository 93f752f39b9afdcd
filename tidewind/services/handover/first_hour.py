"""What a new shop still needs before a label can be bought, in the order of need."""

from __future__ import annotations

from dataclasses import dataclass, replace

from sqlalchemy import ColumnElement, exists, select
from sqlalchemy.orm import Session

from tidewind.db.tables import (
    CarrierRow,
    Channel,
    Label,
    Order,
    PackagingRow,
    Place,
    PrintPreference,
    Product,
    RateCardRow,
    Shop,
)
from tidewind.services.base import Outside
from tidewind.services.shop import mail_goes


@dataclass(frozen=True, slots=True)
class Step:
    """One thing to be set up: whether it is done, and whether nothing can be bought without it."""

    code: str
    done: bool
    needed: bool


_DONE: tuple[tuple[str, bool, ColumnElement[bool]], ...] = (
    ("place", True, exists().where(Place.is_default)),
    ("packaging", True, exists().where(PackagingRow.active)),
    ("carrier", True, exists().where(CarrierRow.active, RateCardRow.carrier_id == CarrierRow.id)),
    ("orders", True, exists().where(Channel.kind == "webshop", Channel.state == "connected") | exists(Order.id)),
    (
        "printer",
        False,
        exists().where(PrintPreference.printer != "") | exists().where(Label.printed_at.is_not(None)),
    ),
    ("mail", False, exists().where(Shop.mail_server.has_key("host"))),
    ("products", False, exists().where(Product.learned_from.not_like("order %"))),
)


def steps_missing(session: Session, outside: Outside) -> list[Step]:
    """Return the steps of a new shop; nothing once everything that is needed is there and mails go.

    Mails are no condition for a label, but who never set them up would not notice that nobody hears anything.
    """
    found = session.execute(select(*(done for _, _, done in _DONE))).one()
    steps = [Step(code, bool(done), needed) for (code, needed, _), done in zip(_DONE, found, strict=True)]
    goes = mail_goes(session, outside)
    steps = [replace(step, done=goes) if step.code == "mail" else step for step in steps]
    return steps if not goes or any(step.needed and not step.done for step in steps) else []
