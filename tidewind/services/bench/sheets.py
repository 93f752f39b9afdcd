"""Code sheets for the bench as PDF: actions, reasons, amounts, recipes, boxes, and a badge for a person."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.bench.codes import ACTION_WORDS, REASONS, Code, CodeKind
from tidewind.core.quantities import weight_text
from tidewind.db.tables import PackagingRow
from tidewind.documents.barcode_sheet import BarcodeCard, barcode_sheet_pdf
from tidewind.services.base import Invalid
from tidewind.services.people import make_badge
from tidewind.services.shop import recipe_barcodes

AMOUNTS = (2, 3, 4, 5, 6, 8, 10, 12, 20, 24, 50, 100)


def _actions(_session: Session, _now: datetime) -> list[BarcodeCard]:
    return [
        BarcodeCard(name, Code(CodeKind.ACTION, action.value).payload, words)
        for action, (name, words) in ACTION_WORDS.items()
    ] + [
        BarcodeCard(f"Why: {words}", Code(CodeKind.WHY, code).payload, "follows Hold or Send what is here")
        for code, words in REASONS.items()
    ]


def _amounts(_session: Session, _now: datetime) -> list[BarcodeCard]:
    return [
        BarcodeCard(f"{n} pieces", Code(CodeKind.PIECES, str(n)).payload, "then one scan of the item counts for them")
        for n in AMOUNTS
    ]


def _boxes(session: Session, _now: datetime) -> list[BarcodeCard]:
    rows = session.scalars(select(PackagingRow).where(PackagingRow.active).order_by(PackagingRow.name))
    return [
        BarcodeCard(row.name, Code(CodeKind.BOX, row.code).payload, f"carries {weight_text(row.max_load_g)}")
        for row in rows
    ]


_SHEETS: dict[str, tuple[str, Callable[[Session, datetime], list[BarcodeCard]]]] = {
    "actions": ("Bench: actions", _actions),
    "amounts": ("Bench: amounts", _amounts),
    "boxes": ("Bench: boxes", _boxes),
}


def code_sheet(session: Session, what: str, now: datetime) -> bytes:
    """Return a code sheet as PDF: ``actions``, ``amounts``, ``recipes`` or ``boxes``.  Raises Invalid for another."""
    if what == "recipes":  # the same sheet as everywhere: its codes are understood on every page
        return recipe_barcodes(session, now)
    if what not in _SHEETS:
        raise Invalid("unknown_sheet", f"Sheets that there are: recipes, {', '.join(_SHEETS)}.")
    title, make = _SHEETS[what]
    cards = make(session, now)
    if not cards:
        raise Invalid("empty_sheet", f"There are no {what} yet that could be printed.")
    return barcode_sheet_pdf(cards, title)


def badge_sheet(session: Session, person_id: int) -> bytes:
    """Return a badge for somebody who packs, as PDF; one printed before is worth nothing from now on."""
    name, secret = make_badge(session, person_id)
    card = BarcodeCard(name, Code(CodeKind.BADGE, secret).payload, "says at a bench who packs there")
    return barcode_sheet_pdf([card], f"Badge of {name}")
