"""An address as it is printed: line below line."""

from __future__ import annotations

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.countries import country_name


def address_lines(address: Address) -> tuple[str, ...]:
    """Return the lines of an address as they are printed, without the country."""
    town = " ".join(part for part in (address.postcode, address.city) if part)
    lines = (address.name, address.company, address.street, address.extra, town, address.region)
    return tuple(line for line in lines if line)


def with_country(address: Address) -> tuple[str, ...]:
    """Return the lines of an address with the country below."""
    return (*address_lines(address), country_name(address.country))
