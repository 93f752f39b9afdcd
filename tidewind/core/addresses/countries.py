"""Countries by code and by name, in the languages that orders, files and copied addresses are written in.

Source of the names: ISO 3166 (``pycountry``) and the territories of Unicode CLDR (``babel``); short and everyday forms
that neither has stand here.
"""

from __future__ import annotations

import re
import unicodedata
from functools import cache, lru_cache

import pycountry
from babel import Locale

LANGUAGES = (
    "en", "pt", "es", "fr", "de", "it", "nl", "da", "sv", "nb", "fi", "is", "pl", "cs", "sk", "hu", "sl", "hr", "ro",
    "el", "bg", "sr", "uk", "ru", "tr", "et", "lv", "lt", "ga", "ca", "eu", "gl", "mt", "sq", "ja", "zh", "zh_Hant",
    "ko", "ar", "he", "hi", "th", "vi", "id", "ms",
)  # fmt: skip
"""Where two languages call two countries by one name, the earlier one is meant."""

_EVERYDAY = {
    "uk": "GB", "u k": "GB", "great britain": "GB", "britain": "GB", "england": "GB", "scotland": "GB", "wales": "GB",
    "northern ireland": "GB", "gran bretana": "GB", "gra bretanha": "GB", "grande bretagne": "GB", "inglaterra": "GB",
    "grossbritannien": "GB", "groot brittannie": "GB", "engeland": "GB", "angleterre": "GB", "inghilterra": "GB",
    "gran bretagna": "GB", "escocia": "GB", "usa": "US", "u s a": "US", "u s": "US", "eua": "US", "ee uu": "US",
    "eeuu": "US", "estados unidos": "US", "etats unis d amerique": "US", "stati uniti d america": "US",
    "vereinigte staaten von amerika": "US", "estados unidos da america": "US", "estados unidos de america": "US",
    "america": "US", "holland": "NL", "holanda": "NL", "hollande": "NL", "olanda": "NL", "the netherlands": "NL",
    "pays bas": "NL", "czech republic": "CZ", "czech rep": "CZ", "republica checa": "CZ", "republique tcheque": "CZ",
    "tschechische republik": "CZ", "tschechei": "CZ", "repubblica ceca": "CZ", "tsjechie": "CZ", "eire": "IE",
    "republic of ireland": "IE", "ελλασ": "GR", "hellas": "GR",
    "russia": "RU", "korea": "KR", "south korea": "KR", "republic of korea": "KR",
    "vietnam": "VN", "viet nam": "VN", "uae": "AE", "emirates": "AE", "bosnia": "BA", "macedonia": "MK",
    "bundesrepublik deutschland": "DE", "brd": "DE", "republik osterreich": "AT", "oesterreich": "AT",
    "schweiz suisse svizzera": "CH", "helvetia": "CH", "ivory coast": "CI", "turkey": "TR", "turkiye": "TR",
    "taiwan": "TW", "hong kong": "HK", "macau": "MO", "macao": "MO", "faroe islands": "FO", "slovak republic": "SK",
    "prc": "CN", "p r china": "CN", "mainland china": "CN", "brasil": "BR", "swaziland": "SZ", "burma": "MM",
    "palestine": "PS", "vatican": "VA", "syria": "SY", "laos": "LA", "moldova": "MD", "tanzania": "TZ", "iran": "IR",
    "bolivia": "BO", "venezuela": "VE", "brunei": "BN", "cape verde": "CV", "cabo verde": "CV", "timor": "TL",
}  # fmt: skip


def plain(text: str) -> str:
    """Return a name as it is looked up: small letters without accents, dots and dashes."""
    folded = unicodedata.normalize("NFKD", text.casefold())
    letters = "".join(ch for ch in folded if not unicodedata.combining(ch))
    return " ".join(re.sub(r"[\W_]+", " ", letters).split())


@cache
def _names() -> dict[str, str]:
    codes = {country.alpha_2 for country in pycountry.countries}
    found = dict(_EVERYDAY)
    for country in pycountry.countries:
        for name in ("name", "official_name", "common_name"):
            if spelt := getattr(country, name, ""):
                found.setdefault(plain(spelt), country.alpha_2)
    for language in LANGUAGES:
        for code, spelt in Locale.parse(language).territories.items():
            if code in codes:
                found.setdefault(plain(spelt), code)
    for spelt, code in list(found.items()):
        if spelt.startswith("the "):
            found.setdefault(spelt.removeprefix("the "), code)
    return found


@lru_cache(maxsize=4096)
def country_code(text: str) -> str | None:
    """Return the ISO 3166 alpha-2 code for a code (of two or three letters) or a name in any of ``LANGUAGES``.

    None for what is no country, and for a name that only sounds like one.
    """
    code = text.strip().upper()
    if len(code) in {2, 3} and code.isascii() and code.isalpha():
        by = pycountry.countries
        found = by.get(alpha_2=code) if len(code) == 2 else by.get(alpha_3=code)
        if found:
            return str(found.alpha_2)
    return _names().get(plain(text)) if text.strip() else None


def country_name(code: str) -> str:
    """Return the short English name of a country code, or the code itself."""
    found = pycountry.countries.get(alpha_2=code)
    return str(getattr(found, "common_name", found.name)) if found else code
