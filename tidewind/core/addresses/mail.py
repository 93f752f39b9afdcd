"""Whether a text is one mail address that a mail server takes."""

from __future__ import annotations

from functools import lru_cache

from email_validator import EmailNotValidError, validate_email


@lru_cache(20_000)
def is_mail_address(text: str) -> bool:
    """Tell whether a text is exactly one address: RFC 5321 without quoted names, with the letters of RFC 6531.

    A comma or a semicolon would make two recipients of it, so neither is let through.  Answers are kept, since an
    order is planned again and again.
    """
    try:
        validate_email(text, check_deliverability=False, strict=True)
    except EmailNotValidError:
        return False
    return True
