"""An invoice that the shop made elsewhere: taken page by page as a picture, in the place of the one we make."""

from __future__ import annotations

import io
from collections.abc import Sequence

from reportlab.lib.pagesizes import A4
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from tidewind.db.tables import Order, OwnPaper
from tidewind.outside.apart import TooMuch, read_apart
from tidewind.outside.foreign_papers import page_pictures
from tidewind.outside.pictures import PictureError
from tidewind.services.base import Invalid, NotFound


def take_own_invoice(session: Session, order_id: int, file_name: str, data: bytes, who: str) -> int:
    """Keep an own invoice for an order; return how many pages it has.

    Raises NotFound; Invalid for what is no PDF and no picture, or asks for too much.  What was there before stays then.
    """
    if session.get(Order, order_id) is None:
        raise NotFound("unknown_order", "This order does not exist.")
    try:
        pages = read_apart(page_pictures, data)
    except PictureError as error:
        raise Invalid("no_paper", f"{error} Nothing was changed.") from error
    except TooMuch as error:
        raise Invalid("no_paper", f"This file takes {error} to read. Nothing was changed.") from error
    drop_own_invoice(session, order_id)
    session.add_all(
        OwnPaper(order_id=order_id, page_no=n, picture=page, file_name=file_name[:120], by=who)
        for n, page in enumerate(pages, 1)
    )
    return len(pages)


def drop_own_invoice(session: Session, order_id: int) -> None:
    """Take an own invoice away; ours stands again."""
    session.execute(delete(OwnPaper).where(OwnPaper.order_id == order_id))


def own_invoice_name(session: Session, order_id: int) -> str:
    """Return the name of an order's own invoice, as its file was called; empty where there is none."""
    return session.scalar(select(OwnPaper.file_name).where(OwnPaper.order_id == order_id).limit(1)) or ""


def own_pages(session: Session, order_id: int) -> Sequence[bytes]:
    """Return the pages of an order's own invoice as JPEGs; none where there is none."""
    query = select(OwnPaper.picture).where(OwnPaper.order_id == order_id)
    return session.scalars(query.order_by(OwnPaper.page_no)).all()


def draw_page(canvas: Canvas, picture: bytes) -> None:
    """Draw a page that was taken in on an A4 sheet of its own."""
    canvas.setPageSize(A4)
    canvas.drawImage(ImageReader(io.BytesIO(picture)), 0, 0, *A4, preserveAspectRatio=True, anchor="c")
    canvas.showPage()
