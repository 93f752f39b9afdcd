"""Letters to carriers: in the carrier's language, and beneath that in English, so that who sends them can read them."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import date, datetime
from functools import lru_cache
from zoneinfo import ZoneInfo

from babel.dates import format_date
from sqlalchemy.orm import Session

from tidewind.core.messages.filling import fill
from tidewind.db.tables import Shipment
from tidewind.services.follow.texts import USUAL, language_of, locale_of
from tidewind.services.planning import carriers_in_force
from tidewind.settings import DATA


@lru_cache(maxsize=1)
def _lines() -> dict[str, dict[str, str]]:
    found: dict[str, dict[str, str]] = json.loads((DATA / "letters.json").read_text("utf-8"))
    return found


def carriers_language(session: Session, code: str, today: date) -> str:
    """Return the language of the country in which a carrier is at home; English where we do not know it."""
    countries = {carrier.code: carrier.own.card.country for carrier in carriers_in_force(session, today)}
    return language_of(countries.get(code, ""))


def line_in(language: str, what: str, **values: object) -> str:
    """Return one line of a letter in a language, its ``{fields}`` filled."""
    return fill(_lines()[what][language], {name: str(value) for name, value in values.items()})


def in_both(language: str, letter: Callable[[str], list[str]]) -> str:
    """Return a letter in a language, and in English beneath where that is another."""
    body = "\n".join(letter(language)) + "\n"
    return body if language == USUAL else f"{body}\n— English —\n\n" + "\n".join(letter(USUAL)) + "\n"


def written_day(day: date, language: str) -> str:
    """Return a day with its year as it is written out in a language (CLDR)."""
    return str(format_date(day, "long", locale=locale_of(language)))


def written_instant(at: datetime, zone: ZoneInfo, language: str) -> str:
    """Return an instant with its day and the time of the clock in a zone."""
    here = at.astimezone(zone)
    return f"{written_day(here.date(), language)}, {here:%H:%M}"


def where_to(shipment: Shipment) -> str:
    """Return a recipient's address as one line."""
    to = shipment.address
    return f"{to.name or to.company}, {to.street}, {to.postcode} {to.city}, {to.country}"
