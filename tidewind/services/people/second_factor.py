"""A second factor for who wants one: time-based one-time codes (RFC 6238), six digits, thirty seconds."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

import pyotp
from sqlalchemy.orm import Session

from tidewind.db.tables import Person
from tidewind.services.base import Conflict, Invalid, Sealer

STEP_S, EARLIER_AND_LATER = 30, 1
ISSUER = "Tidewind"


@dataclass(frozen=True, slots=True)
class FactorOffered:
    """A secret for an authenticator app, also as the address that its QR code holds; nothing is kept of it yet."""

    secret: str
    address: str


def has_factor(session: Session, person_id: int) -> bool:
    """Tell whether somebody has a second factor."""
    person = session.get(Person, person_id)
    return bool(person and person.factor_sealed)


def offer_factor(session: Session, person_id: int, shop: str) -> FactorOffered:
    """Return a fresh secret.  Raises Conflict for who has a second factor already."""
    person = session.get_one(Person, person_id)
    if person.factor_sealed:
        raise Conflict("has_factor", "There is a second factor already. Take it off first.")
    secret = pyotp.random_base32()
    address = pyotp.TOTP(secret).provisioning_uri(name=person.login, issuer_name=f"{ISSUER} {shop}".strip())
    return FactorOffered(secret, address)


def keep_factor(session: Session, sealer: Sealer, person_id: int, secret: str, code: str, at: datetime) -> None:
    """Ask for the second factor from now on, once its code was typed right.  Raises Conflict, Invalid."""
    person = session.get_one(Person, person_id, with_for_update=True)
    if person.factor_sealed:
        raise Conflict("has_factor", "There is a second factor already. Take it off first.")
    step = _step(secret, code, at)
    if step is None:
        raise Invalid("wrong_code", "That code does not belong to the secret. Is the clock of the phone right?")
    person.factor_sealed, person.factor_step = sealer.seal(secret), step


def take_factor_off(session: Session, person_id: int) -> None:
    """Ask for a password alone again, which was said once more before (``ask_own_password``)."""
    person = session.get_one(Person, person_id, with_for_update=True)
    person.factor_sealed, person.factor_step = "", 0


def code_fits(sealer: Sealer, person: Person, code: str, at: datetime) -> bool:
    """Tell whether a code is right and was not used before; it is then used."""
    step = _step(sealer.open(person.factor_sealed), code, at)
    if step is None or step <= person.factor_step:
        return False
    person.factor_step = step
    return True


def _step(secret: str, code: str, at: datetime) -> int | None:
    """Return the step a code belongs to, now or just before or after; None where it belongs to none."""
    digits = "".join(code.split())
    if len(digits) != 6 or not digits.isascii() or not digits.isdigit():
        return None
    try:
        codes = pyotp.TOTP(secret, interval=STEP_S)
        here = int(at.timestamp()) // STEP_S
        near = range(here - EARLIER_AND_LATER, here + EARLIER_AND_LATER + 1)
        return next((n for n in near if pyotp.utils.strings_equal(codes.generate_otp(n), digits)), None)
    except ValueError:  # binascii.Error: no base32
        return None
