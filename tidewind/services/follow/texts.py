"""What buyers read, in their language: states, the words of the tracking page, and mails about what went wrong."""

from __future__ import annotations

import json
from datetime import date
from decimal import Decimal
from functools import lru_cache

from babel.dates import format_skeleton, get_day_names
from babel.numbers import format_currency, get_currency_precision

from tidewind.core.messages.filling import fill
from tidewind.core.pickups.hours import ALWAYS, Spans, read_hours
from tidewind.core.written import Written
from tidewind.settings import DATA

USUAL = "en"
_AS_WRITTEN = {"en": "en_GB", "pt": "pt_PT"}
"""Days and amounts are written as in Europe, where the word alone would mean another part of the world."""


@lru_cache(maxsize=1)
def _texts() -> Written:
    found: Written = json.loads((DATA / "texts.json").read_text("utf-8"))
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


@lru_cache(maxsize=1_024)
def hours_in(written: str, language: str) -> tuple[str, ...]:
    """Return opening hours as people read them, a line for days that are alike; unreadable ones as they are written."""
    try:
        hours = read_hours(written)
    except ValueError:
        return (written,)
    if hours is None:
        return ()
    names = get_day_names("abbreviated", "stand-alone", locale_of(language))
    lines = [
        (names[first] if first == last else f"{names[first]} – {names[last]}", _spans_in(spans, language))
        for first, last, spans in hours.runs()
    ]
    if hours.holidays is not None:
        lines.append((said_in("hours_holidays", language), _spans_in(hours.holidays, language)))
    return tuple(f"{days}: {spans}" for days, spans in lines)


def _spans_in(spans: Spans, language: str) -> str:
    if not spans or spans == ALWAYS:
        return said_in("hours_always" if spans else "hours_closed", language)
    return ", ".join(f"{start:%H:%M} – {end:%H:%M}" for start, end in spans)
