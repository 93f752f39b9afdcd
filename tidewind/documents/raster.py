"""Pages of a PDF as pictures, in the black and white of a 203-dpi label printer."""

from __future__ import annotations

import io

import pypdfium2

DPI = 203


def pngs_of(pdf: bytes, dpi: int = DPI) -> list[bytes]:
    """Return each page as a one-bit PNG of its true size at ``dpi`` dots an inch."""
    document = pypdfium2.PdfDocument(pdf)
    try:
        found = []
        for page in document:
            image = page.render(scale=dpi / 72, grayscale=True, no_smoothtext=True, no_smoothpath=True).to_pil()
            out = io.BytesIO()
            image.point(lambda level: 255 if level > 127 else 0).convert("1").save(out, "PNG", dpi=(dpi, dpi))
            found.append(out.getvalue())
        return found
    finally:
        document.close()
