"""Numbers that customs and tax offices know the two sides by: their form, checked by library or by rule."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import Final

from stdnum.au import abn
from stdnum.br import cnpj, cpf
from stdnum.ch import vat as ch_vat
from stdnum.eu import vat as eu_vat
from stdnum.exceptions import ValidationError
from stdnum.gb import vat as gb_vat
from stdnum.us import ein

from tidewind.core.destinations import EU

_EORI = re.compile(r"^([A-Z]{2})[A-Z0-9]{1,15}$")
_IOSS = re.compile(r"^IM\d{10}$")
_VOEC = re.compile(r"^\d{7}$")
_REX = re.compile(r"^[A-Z]{2}REX[A-Z0-9]{1,30}$")


def _eori(number: str) -> None:
    found = _EORI.match(number)
    if not found or found[1] not in EU | {"GB", "XI"}:
        raise ValidationError


def _shaped(shape: re.Pattern[str]) -> Callable[[str], None]:
    def check(number: str) -> None:
        if not shape.match(number):
            raise ValidationError

    return check


KINDS: Final[Mapping[str, tuple[str, Callable[[str], object]]]] = {
    "EORI": ("two letters of an EU country, GB or XI, and up to 15 signs", _eori),
    "VAT": ("the VAT number of an EU country, with its two letters", eu_vat.validate),
    "GB VAT": ("GB and nine or twelve digits with a check number", gb_vat.validate),
    "IOSS": ("IM and ten digits", _shaped(_IOSS)),
    "VOEC": ("seven digits", _shaped(_VOEC)),
    "REX": ("two letters, REX, and up to 30 signs", _shaped(_REX)),
    "CH VAT": ("CHE, nine digits with a check digit, and MWST, TVA or IVA", ch_vat.validate),
    "EIN": ("nine digits", ein.validate),
    "ABN": ("eleven digits with two check digits", abn.validate),
    "CPF": ("eleven digits with two check digits", cpf.validate),
    "CNPJ": ("fourteen digits with two check digits", cnpj.validate),
}
"""Each kind of number: its form in words, and what refuses a wrong one (public rules of their issuers)."""


def plain_number(number: str) -> str:
    """Return a number in capitals without spaces, points, strokes and hyphens."""
    return re.sub(r"[\s./-]", "", number).upper()


@lru_cache(maxsize=1_024)
def bad_number(kind: str, number: str) -> str:
    """Return what is wrong with a number of a kind, in words, or nothing.  Raises KeyError for an unknown kind."""
    form, check = KINDS[kind]
    try:
        check(plain_number(number))
    except ValidationError:
        return f"A {kind} number is {form}."
    return ""


def shown(number: str) -> str:
    """Return a number for lists and logs: all but its last three signs covered."""
    plain = plain_number(number)
    return "•" * max(0, len(plain) - 3) + plain[-3:] if len(plain) > 3 else "•" * len(plain)
