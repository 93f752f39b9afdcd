"""Pictures from outside: what they are by their content, made small and written anew, without anything they carried."""

from __future__ import annotations

import io

from PIL import Image, ImageOps, UnidentifiedImageError

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


MOST_PHOTO_DOTS, PHOTO, THUMB = 12_000, (2_000, 2_000), (320, 320)


def photo_and_small(data: bytes) -> tuple[bytes, bytes]:
    """Return a photograph as a JPEG of at most 2,000 dots a side, and a small one.  Raises PictureError.

    It is turned as the camera held it, and written anew: where and with what it was taken stays behind.  A JPEG is
    decoded at a half, a quarter or an eighth (ITU T.81 codes blocks of eight by eight dots), so that the 108 megapixels
    of a phone need no more memory than the result.  Meant to be run apart.
    """
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "WEBP")) as picture:
            if max(picture.size) > MOST_PHOTO_DOTS:
                words = f"A photo has at most {MOST_PHOTO_DOTS:,} dots a side; this one has {max(picture.size):,}."
                raise PictureError(words)
            picture.draft("RGB", PHOTO)
            plain = ImageOps.exif_transpose(picture).convert("RGB")
            plain.thumbnail(PHOTO)
            plain.info.clear()  # a JPEG's comment would be written again
            return _jpeg(plain, PHOTO), _jpeg(plain, THUMB)
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError) as error:
        raise PictureError("This is no PNG, no JPEG and no WebP.") from error


def _jpeg(picture: Image.Image, size: tuple[int, int]) -> bytes:
    smaller = picture.copy()
    smaller.thumbnail(size)
    out = io.BytesIO()
    smaller.save(out, "JPEG", quality=80)
    return out.getvalue()
