"""What a buyer may wish of a delivery, as a part of the parcel's page: what was wished, else a form without script."""

from __future__ import annotations

from datetime import date
from html import escape

from tidewind.core.states.wishes import WishState
from tidewind.core.wishing import WORDS, Choices, Wish, WishKind, choices
from tidewind.services.follow import SeenShipment, day_in, said_in


def wish_section(seen: SeenShipment, language: str, today: date, fault: str = "", typed: Wish | None = None) -> str:
    """Return what was wished and what became of it, and a form where something may be wished.

    With a fault the form is open, and holds what was typed.
    """
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
    return told + _form(seen.key, may, language, is_open=bool(fault), typed=typed)


def _form(key: str, may: Choices, language: str, *, is_open: bool, typed: Wish | None) -> str:
    def say(what: str) -> str:
        return escape(said_in(what, language))

    def option(day: date) -> str:
        chosen = " selected" if typed and typed.day == day else ""
        return f'<option value="{day}"{chosen}>{escape(day_in(day, language))}</option>'

    def choice(kind: WishKind) -> str:
        chosen = " checked" if typed and typed.kind == kind else ""
        radio = f'<input type="radio" name="kind" value="{kind}" required{chosen}>'
        return f'<label class="pick">{radio} {say(f"wish_{kind}")}</label>{more[kind]}'

    days = "".join(map(option, may.days))
    said = escape(typed.words) if typed else ""
    more = {
        "other_day": f'<label>{say("wish_day")} <select name="day">{days}</select></label>',
        "neighbour": f"<label>{say('wish_words')}"
        f'<input name="words" maxlength="{WORDS}" autocomplete="off" value="{said}"></label>',
        "collect": "",
    }
    return (
        f"<details{' open' if is_open else ''}><summary>{say('wish_head')}</summary>"
        f'<form method="post" action="/t/{escape(key)}/wish"><input type="hidden" name="lang" value="{language}">'
        f"{''.join(map(choice, may.kinds))}"
        f'<button type="submit">{say("wish_send")}</button></form></details>'
    )
