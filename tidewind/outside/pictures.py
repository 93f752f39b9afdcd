"""Pictures from outside: what they are by their content, made small and written anew, without anything they carried."""

from __future__ import annotations

import io

from PIL import Image, UnidentifiedImageError

MOST_DOTS, SMALL = 2_000, (600, 300)


class PictureError(Exception):
    """A file that is no picture we take; the message says what it is."""


def small_picture(data: bytes) -> bytes:
    """Return a PNG or JPEG as a small PNG.  Raises PictureError.  Meant to be run apart."""
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as picture:
            if max(picture.size) > MOST_DOTS:
                raise PictureError(f"A logo has at most {MOST_DOTS:,} dots a side; this one has {max(picture.size):,}.")
            small = picture.convert("RGBA")
            small.thumbnail(SMALL)
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError) as error:
        raise PictureError("This is no PNG and no JPEG.") from error
    out = io.BytesIO()
    small.save(out, "PNG", optimize=True)
    return out.getvalue()
