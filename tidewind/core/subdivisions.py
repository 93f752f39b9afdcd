"""In which part of its country an address lies, for the public holidays that only some parts keep.

By postcode where the country numbers its parts so, else by the region as written.  Sources: INE's province codes
(Spain), the postcode areas (United Kingdom), La Poste's departments (France), CTT's islands (Portugal),
Deutsche Post's two-digit areas (Germany).  Where an area crosses a border the larger part counts: a working day more or
less at the far end of an estimate.
"""

from __future__ import annotations

from functools import lru_cache

import holidays

from tidewind.core.addresses.check import Address

_SPAIN = """
PV 01 20 48 / CM 02 13 16 19 45 / VC 03 12 46 / AN 04 11 14 18 21 23 29 41 / CL 05 09 24 34 37 40 42 47 49 / EX 06 10
IB 07 / CT 08 17 25 43 / GA 15 27 32 36 / AR 22 44 50 / RI 26 / MD 28 / MC 30 / NC 31 / AS 33 / CN 35 38 / CB 39
CE 51 / ML 52
"""
_GERMANY = """
SN 01 02 04 08 09 / BB 03 14 15 16 / ST 06 39 / TH 07 98 99 / BE 10 11 12 13 / MV 17 18 19 / HH 20 21 22 / SH 23 24 25
NI 26 27 29 30 31 37 38 49 / HB 28 / NW 32 33 40 41 42 43 44 45 46 47 48 50 51 52 53 57 58 59
HE 34 35 36 60 61 62 63 64 65 / RP 54 55 56 67 / SL 66 / BW 68 69 70 71 72 73 74 75 76 77 78 79 88 89
BY 80 81 82 83 84 85 86 87 90 91 92 93 94 95 96 97
"""
_FRANCE, _PORTUGAL = "57 57 / 6AE 67 68", "30 90 91 92 93 94 / 20 95 96 97 98 99"


def _by_area(written: str) -> dict[str, str]:
    rows = [row.split() for row in written.replace("\n", "/").split("/") if row.strip()]
    return {area: part for part, *areas in rows for area in areas}


_BY_TWO_DIGITS = {
    "ES": _by_area(_SPAIN),
    "DE": _by_area(_GERMANY),
    "FR": _by_area(_FRANCE),
    "PT": _by_area(_PORTUGAL),
}
_BRITAIN = {
    **dict.fromkeys(
        ["AB", "DD", "DG", "EH", "FK", "G", "HS", "IV", "KA", "KW", "KY", "ML", "PA", "PH", "TD", "ZE"], "SCT"
    ),
    **dict.fromkeys(["CF", "LD", "LL", "NP", "SA"], "WLS"),
    "BT": "NIR",
}


@lru_cache(maxsize=65536)
def place_of(country: str, postcode: str, region: str) -> str:
    """Return where an address lies: ISO 3166-2 where its part has holidays of its own, else ISO 3166-1 alpha-2.

    Nothing that is written raises; what is not known is the country alone.
    """
    plain = postcode.strip().upper()
    if country == "GB" and plain:
        area = plain.rstrip()[: 2 if plain[1:2].isalpha() else 1]
        return f"GB-{_BRITAIN.get(area, 'ENG')}"
    part = _BY_TWO_DIGITS.get(country, {}).get(plain[:2], "")
    written = region.strip().upper().removeprefix(f"{country}-")
    if not part and country not in _BY_TWO_DIGITS and written in _parts(country):
        part = written
    return f"{country}-{part}" if part else country


def working_place(address: Address) -> str:
    """Return the place whose holidays count at an address (``place_of``)."""
    return place_of(address.country, address.postcode, address.region)


@lru_cache(maxsize=256)
def _parts(country: str) -> frozenset[str]:
    try:
        return frozenset(holidays.country_holidays(country).subdivisions)
    except NotImplementedError:
        return frozenset()
