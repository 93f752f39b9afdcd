"""vCard in (2.1 to 4.0) and out (4.0, RFC 6350), through the vobject library, with limits on what comes in."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import vobject

from tidewind.core.addresses.check import Address
from tidewind.outside.apart import TooMuch, read_apart

MOST_BYTES, MOST_CARDS, LONGEST_CARD = 5_000_000, 20_000, 20_000


class VcardError(ValueError):
    """The file cannot be read; the message says why."""


def read_vcards(data: bytes) -> tuple[list[tuple[str, Address]], list[str]]:
    """Return (code, address) of every card, and words about those that are odd and were left out.

    Raises VcardError for a file that is too large or holds too many cards.  Each card is parsed by itself, so that a
    broken one loses no other, and one of more than ``LONGEST_CARD`` characters (a picture, or a bomb) loses its
    longest lines first.
    """
    if len(data) > MOST_BYTES:
        raise VcardError(f"The file is larger than {MOST_BYTES // 1_000_000} MB. Split it.")
    try:
        return read_apart(_read_cards, data)
    except TooMuch as error:
        raise VcardError("The file takes too long or too much memory to read. Split it.") from error


def _read_cards(data: bytes) -> tuple[list[tuple[str, Address]], list[str]]:
    text = data.decode("utf-8-sig", errors="replace").replace("\r\n", "\n").replace("\r", "\n")
    blocks = text.split("BEGIN:VCARD")[1:] if "BEGIN:VCARD" in text else []
    if len(blocks) > MOST_CARDS:
        raise VcardError(f"The file holds more than {MOST_CARDS:,} cards. Split it.")
    found, odd = [], []
    for number, block in enumerate(blocks, 1):
        card = _slim(f"BEGIN:VCARD{block}")
        try:
            parsed = vobject.readOne(card, ignoreUnreadable=True)
            address = _address(parsed)
        except Exception as error:
            odd.append(f"Card {number} cannot be read: {str(error)[:80]}")
            continue
        if not (address.name or address.company):
            odd.append(f"Card {number} has no name.")
            continue
        found.append((_text(parsed, "nickname")[:30], address))
    return found, odd


def _slim(card: str) -> str:
    """Return a card without pictures, sounds and keys, and without lines beyond any address."""
    kept: list[str] = []
    dropping = False
    for line in card.split("\n"):
        folded = line[:1] in {" ", "\t"}
        name = line.partition(":")[0].partition(";")[0].upper().rpartition(".")[2]
        dropping = dropping if folded else name in {"PHOTO", "LOGO", "SOUND", "KEY"} or len(line) > 2_000
        if not dropping:
            kept.append(line)
        if sum(map(len, kept)) > LONGEST_CARD:
            break
    text = "\n".join(kept)
    return text if "END:VCARD" in text else f"{text}\nEND:VCARD\n"


def _text(card: Any, name: str) -> str:
    value = getattr(getattr(card, name, None), "value", "")
    if isinstance(value, (list, tuple)):
        return " ".join(str(v) for v in value if v)
    return str(value or "")


def _address(card: Any) -> Address:
    place = getattr(getattr(card, "adr", None), "value", None)

    def part(name: str) -> str:
        value = getattr(place, name, "")
        return ", ".join(map(str, value)) if isinstance(value, list) else str(value or "")

    return Address(
        name=_text(card, "fn")[:120],
        company=_text(card, "org")[:120],
        street=part("street")[:120],
        extra=part("extended")[:120],
        city=part("city")[:120],
        region=part("region")[:120],
        postcode=part("code")[:20],
        country=part("country")[:60],
        phone=_text(card, "tel")[:40],
        email=_text(card, "email")[:120],
    )


def _escaped(text: str) -> str:
    return text.replace("\\", "\\\\").replace(";", "\\;").replace(",", "\\,").replace("\n", "\\n")


def write_vcards(rows: Iterable[tuple[str, Address]]) -> str:
    """Return (code, address) pairs as vCard 4.0."""
    cards = []
    for code, a in rows:
        place = ";".join(_escaped(p) for p in ("", a.extra, a.street, a.city, a.region, a.postcode, a.country))
        lines = ["BEGIN:VCARD", "VERSION:4.0", f"FN:{_escaped(a.name or a.company)}", f"ADR:{place}"]
        named = (("ORG", a.company), ("TEL", a.phone), ("EMAIL", a.email), ("NICKNAME", code))
        lines += [f"{name}:{_escaped(value)}" for name, value in named if value]
        cards.append("\r\n".join([*lines, "END:VCARD", ""]))
    return "".join(cards)
