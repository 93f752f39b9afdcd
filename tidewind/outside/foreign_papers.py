"""Papers from outside: what they are by their content, drawn anew page by page, so that nothing but ink comes along."""

from __future__ import annotations

import io

import pypdfium2
from PIL import Image, ImageOps, UnidentifiedImageError

from tidewind.outside.pictures import MOST_PHOTO_DOTS, PictureError

MOST_PAGES, MOST_BYTES = 10, 5_000_000
SHEET_DOTS = (1_654, 2_339)
"""An A4 page at 200 dots an inch."""


def page_pictures(data: bytes) -> tuple[bytes, ...]:
    """Return a PDF's or picture's pages as JPEGs.  Raises PictureError in words.  Meant to be run apart.

    A PDF is drawn without its forms, scripts and attachments; a page of any size is made to fit the sheet.
    """
    if data[:1_024].lstrip().startswith(b"%PDF-"):
        return _pdf_pages(data)
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as picture:
            if max(picture.size) > MOST_PHOTO_DOTS:
                raise PictureError(f"A picture has at most {MOST_PHOTO_DOTS:,} dots a side.")
            return (_jpeg(ImageOps.exif_transpose(picture).convert("RGB")),)
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError) as error:
        raise PictureError("This is no PDF, no PNG and no JPEG.") from error


def _pdf_pages(data: bytes) -> tuple[bytes, ...]:
    try:
        document = pypdfium2.PdfDocument(data)
    except pypdfium2.PdfiumError as error:
        raise PictureError("This PDF cannot be read; one with a password cannot either.") from error
    try:
        if not 1 <= len(document) <= MOST_PAGES:
            raise PictureError(f"A paper has between 1 and {MOST_PAGES} pages; this one has {len(document)}.")
        return tuple(_page(document[number]) for number in range(len(document)))
    except pypdfium2.PdfiumError as error:
        raise PictureError("A page of this PDF cannot be drawn.") from error
    finally:
        document.close()


def _page(page: pypdfium2.PdfPage) -> bytes:
    wide, high = page.get_size()
    if wide <= 0 or high <= 0:
        raise PictureError("A page of this PDF has no size.")
    scale = min(SHEET_DOTS[0] / wide, SHEET_DOTS[1] / high, 200 / 72)
    return _jpeg(page.render(scale=scale, may_draw_forms=False).to_pil().convert("RGB"))


def _jpeg(picture: Image.Image) -> bytes:
    picture.thumbnail(SHEET_DOTS)
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=85)
    return out.getvalue()
