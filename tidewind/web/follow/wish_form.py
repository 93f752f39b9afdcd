"""What a buyer may wish of a delivery, as a part of the parcel's page: what was wished, else a form without script."""

from __future__ import annotations

from datetime import date
from html import escape

from tidewind.core.states.wishes import WishState
from tidewind.core.wishing import WORDS, Choices, choices
from tidewind.services.follow import SeenShipment, day_in, said_in


def wish_section(seen: SeenShipment, language: str, today: date, fault: str = "") -> str:
    """Return what was wished and what became of it, and a form where something may be wished."""
    wish = seen.wish
    told = ""
    if wish is not None:
        what = said_in(f"wish_{wish.kind}", language)
        day = f", {day_in(wish.day, language)}" if wish.day else ""
        told = f"<p><b>{escape(said_in(f'wish_is_{wish.state}', language))}</b> {escape(what + day)}</p>"
    told += f'<p role="alert"><b>{escape(said_in(fault, language))}</b></p>' if fault else ""
    may = choices(seen.can, seen.state, seen.arrives, today, seen.goes_to.country)
    if not may.kinds or (wish is not None and wish.state is not WishState.REFUSED):
        return told
    return told + _form(seen.key, may, language)


def _form(key: str, may: Choices, language: str) -> str:
    def say(what: str) -> str:
        return escape(said_in(what, language))

    more = {
        "other_day": f'<label>{say("wish_day")} <select name="day">'
        + "".join(f'<option value="{day}">{escape(day_in(day, language))}</option>' for day in may.days)
        + "</select></label>",
        "neighbour": f'<label>{say("wish_words")}<input name="words" maxlength="{WORDS}" autocomplete="off"></label>',
        "collect": "",
    }
    kinds = "".join(
        f'<label class="pick"><input type="radio" name="kind" value="{kind}" required> {say(f"wish_{kind}")}</label>'
        f"{more[kind]}"
        for kind in may.kinds
    )
    return (
        f'<details><summary>{say("wish_head")}</summary><form method="post" action="/t/{escape(key)}/wish">'
        f'<input type="hidden" name="lang" value="{language}">{kinds}'
        f'<button type="submit">{say("wish_send")}</button></form></details>'
    )
