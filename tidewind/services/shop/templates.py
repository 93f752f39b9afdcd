"""The shop's own things on paper: the slip's logo, message and prices, the label's free line, recipe barcodes."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.bench.codes import RECIPE_PREFIX
from tidewind.db.tables import Shop
from tidewind.documents.barcode_sheet import BarcodeCard, barcode_sheet_pdf
from tidewind.outside.apart import TooMuch, read_apart
from tidewind.outside.pictures import PictureError, small_picture
from tidewind.services.base import Invalid
from tidewind.services.planning import all_choices, all_recipes, shop_settings


@dataclass(frozen=True, slots=True)
class PaperTemplate:
    """What a shop puts on its papers: a message and prices on slips, the free line on labels, its logo."""

    message: str
    prices: bool
    label_line: str
    has_logo: bool


def paper_template(session: Session) -> PaperTemplate:
    """Return what the shop puts on its papers."""
    kept = shop_settings(session).slip
    has_logo = session.scalar(select(func.count()).select_from(Shop).where(Shop.logo.is_not(None)))
    return PaperTemplate(kept.get("message", ""), kept.get("prices", False), kept.get("label_line", ""), bool(has_logo))


def set_paper_template(session: Session, message: str, prices: bool, label_line: str) -> PaperTemplate:
    """Set what the shop puts on its papers.  Raises Invalid for a free line that is not known."""
    if label_line not in REFERENCE_LINES:
        raise Invalid("label_line", f"The free line is one of: {', '.join(REFERENCE_LINES[1:])}, or none.")
    shop_settings(session).slip = {"message": message.strip()[:600], "prices": prices, "label_line": label_line}
    session.flush()
    return paper_template(session)


def set_logo(session: Session, data: bytes | None) -> None:
    """Keep a logo, drawn anew so that nothing but the picture is kept.  Raises Invalid for anything else."""
    row = shop_settings(session)
    if data is None:
        row.logo = None
        return
    try:
        row.logo = read_apart(small_picture, data)
    except (PictureError, TooMuch) as error:
        words = str(error) if isinstance(error, PictureError) else f"The picture takes {error} to read."
        raise Invalid("logo", f"{words} The logo stays as it was.") from error
    session.flush()


def recipe_barcodes(session: Session, now: datetime) -> bytes:
    """Return a sheet with a barcode for every recipe, to be scanned on any page."""
    found = all_recipes(session)
    if not found:
        raise Invalid("no_recipes", "There is no recipe yet. Keep one from an order, then print its barcode.")
    names = all_choices(session, now).names
    cards = [
        BarcodeCard(
            row.name,
            f"{RECIPE_PREFIX}{row.code}",
            " · ".join(names.get(p, p.replace("_", " ")) for p in (row.packaging, row.service, *row.extras) if p),
        )
        for row in found
    ]
    return barcode_sheet_pdf(cards, "Recipes")


REFERENCE_LINES = ("", "items", "channel", "reference")
