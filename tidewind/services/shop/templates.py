"""The shop's own things on paper: the slip's logo, message and prices, the label's free line, recipe barcodes."""

from __future__ import annotations

import io
from dataclasses import dataclass
from datetime import datetime

from PIL import Image, UnidentifiedImageError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.db.tables import Shop
from tidewind.documents.barcode_sheet import BarcodeCard, barcode_sheet_pdf
from tidewind.services.base import Invalid
from tidewind.services.planning import all_choices, all_recipes, shop_settings

MOST_DOTS = 2_000
RECIPE_PREFIX = "RECIPE-"


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
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as picture:
            if max(picture.size) > MOST_DOTS:
                raise Invalid("logo", f"A logo has at most {MOST_DOTS:,} dots a side; this one has {picture.size}.")
            small = picture.convert("RGBA")
            small.thumbnail((600, 300))
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError) as error:
        raise Invalid("logo", "This is no PNG and no JPEG. The logo stays as it was.") from error
    out = io.BytesIO()
    small.save(out, "PNG", optimize=True)
    row.logo = out.getvalue()
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
