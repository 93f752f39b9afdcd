"""What buyers read, in their language: states, the words of the tracking page, and mails about what went wrong."""

from __future__ import annotations

import json
from datetime import date
from decimal import Decimal
from functools import lru_cache
from typing import Any

from babel.dates import format_skeleton
from babel.numbers import format_currency, get_currency_precision

from tidewind.core.messages.filling import fill
from tidewind.settings import DATA

USUAL = "en"
_AS_WRITTEN = {"en": "en_GB", "pt": "pt_PT"}
"""Days and amounts are written as in Europe, where the word alone would mean another part of the world."""


@lru_cache(maxsize=1)
def _texts() -> dict[str, Any]:
    found: dict[str, Any] = json.loads((DATA / "texts.json").read_text("utf-8"))
    return found


def languages() -> tuple[str, ...]:
    """Return the languages that there are, the usual one first."""
    return tuple(_texts()["states"]["moving"])


def language_of(country: str) -> str:
    """Return the language in which a buyer in a country is written to; English where there is none of theirs."""
    return str(_texts()["languages"].get(country, USUAL))


def mail_text(kind: str, language: str) -> tuple[str, str]:
    """Return subject and text of a mail, with their ``{fields}``."""
    subject, body = _texts()["kinds"][kind][language]
    return subject, body


def state_in(state: str, language: str) -> str:
    """Return a tracking state in plain words."""
    return str(_texts()["states"][state][language])


def said_in(what: str, language: str, **values: str) -> str:
    """Return a line of the tracking page, its ``{fields}`` filled."""
    return fill(str(_texts()["page"][what][language]), values)


def locale_of(language: str) -> str:
    """Return the locale in which a language is written here."""
    return _AS_WRITTEN.get(language, language)


def money_in(minor: int, currency: str, language: str) -> str:
    """Return an amount as people write it in a language (CLDR)."""
    digits = get_currency_precision(currency)
    return str(format_currency(Decimal(minor).scaleb(-digits), currency, locale=locale_of(language)))


@lru_cache(maxsize=1_024)
def day_in(day: date, language: str) -> str:
    """Return a day as people write it: 24 November, 24 de novembro (CLDR)."""
    return str(format_skeleton("MMMMd", day, locale=locale_of(language)))
