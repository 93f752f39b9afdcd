"""Passwords: kept as argon2id hashes, long enough, and none that many people have.

Length by NIST SP 800-63B-4, 3.1.1.2 (15 characters where a password is the only factor, no rules about kinds of
characters); guessable ones are refused with the reason (zxcvbn).
"""

from __future__ import annotations

from collections.abc import Sequence

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from tidewind.services.base import Invalid

SHORTEST, LONGEST = 15, 200
GUESSABLE_BELOW, LOOKED_AT = 3, 72
_hasher = PasswordHasher(time_cost=2, memory_cost=19_456, parallelism=1)  # OWASP password storage, argon2id
_NOBODY = _hasher.hash("nobody has this password")


def hash_of(password: str, about: Sequence[str] = ()) -> str:
    """Return the hash of a new password; ``about`` are words that anybody would try: login, names, the shop's.

    Raises Invalid with what is wrong with it.
    """
    if len(password) < SHORTEST:
        raise Invalid("short_password", f"A password needs at least {SHORTEST} characters; several words do well.")
    if len(password) > LONGEST:
        raise Invalid("long_password", f"A password has at most {LONGEST} characters.")
    from zxcvbn import zxcvbn  # type: ignore[import-untyped] # late: its lists of words take a while to load, and are seldom needed

    words = [word for text in about for word in (text, *text.split()) if word]
    found = zxcvbn(password[:LOOKED_AT], user_inputs=words)
    if found["score"] < GUESSABLE_BELOW:
        why = found["feedback"]["warning"] or "It is made of words or a pattern that are tried early."
        raise Invalid("common_password", f"That password is easy to guess. {why.rstrip('.')}. Choose another.")
    return _hasher.hash(password)


def fits(password: str, password_hash: str) -> bool:
    """Tell whether a password is the one; takes as long where there is none, so that nobody learns who exists."""
    try:
        return _hasher.verify(password_hash or _NOBODY, password) and bool(password_hash)
    except (VerificationError, InvalidHashError):
        return False
