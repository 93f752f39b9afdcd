"""What buyers read, in their language: states, the words of the tracking page, and mails about what went wrong."""

from __future__ import annotations

import json
from datetime import date
from functools import lru_cache
from typing import Any

from babel.dates import format_skeleton

from tidewind.core.messages import fill
from tidewind.settings import DATA

USUAL = "en"


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


def day_in(day: date, language: str) -> str:
    """Return a day as people write it: 24 November, 24 de novembro (CLDR)."""
    return str(format_skeleton("MMMMd", day, locale=language))
