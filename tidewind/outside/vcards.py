"""vCard in (2.1 to 4.0) and out (4.0, RFC 6350), through the vobject library, with limits on what comes in."""

from __future__ import annotations

import quopri
import re
from collections.abc import Iterable
from typing import Any, NamedTuple

import vobject

from tidewind.core.addresses.check import Address
from tidewind.core.folded_lines import folded
from tidewind.outside.apart import TooMuch, read_apart
from tidewind.outside.encodings import decode

MOST_BYTES, MOST_CARDS, LONGEST_CARD = 5_000_000, 20_000, 20_000


class VcardError(ValueError):
    """The file cannot be read; the message says why."""


class ContactCard(NamedTuple):
    """A card: the code that it is known by, the address, and whether it is somebody's home (None: it does not say)."""

    code: str
    address: Address
    home: bool | None = None


def read_vcards(data: bytes) -> tuple[list[ContactCard], list[str]]:
    """Return every card, and words about those that are odd and were left out.

    Raises VcardError for a file that is too large or holds too many cards.  Each card is parsed by itself, so that a
    broken one loses no other, and one of more than ``LONGEST_CARD`` characters (a picture, or a bomb) loses its
    longest lines first.
    """
    if len(data) > MOST_BYTES:
        raise VcardError(f"The file is larger than {MOST_BYTES // 1_000_000} MB. Split it.")
    try:
        return read_apart(_read_cards, data)
    except TooMuch as error:
        raise VcardError(f"The file takes {error} to read. Split it.") from error


def _read_cards(data: bytes) -> tuple[list[ContactCard], list[str]]:
    decoded = decode(data)
    text = decoded.text if decoded else data.decode("utf-8", errors="replace")
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    blocks = re.split(r"^BEGIN:VCARD", text, flags=re.IGNORECASE | re.MULTILINE)[1:]
    if len(blocks) > MOST_CARDS:
        raise VcardError(f"The file holds more than {MOST_CARDS:,} cards. Split it.")
    found, odd = [], []
    for number, block in enumerate(blocks, 1):
        card = _slim(f"BEGIN:VCARD{_without_quoting(block)}")
        try:
            parsed = vobject.readOne(card, ignoreUnreadable=True)
            address = _address(parsed)
        except Exception as error:
            odd.append(f"Card {number} cannot be read: {str(error)[:80]}")
            continue
        if not (address.name or address.company):
            odd.append(f"Card {number} has no name.")
            continue
        found.append(ContactCard(_text(parsed, "nickname")[:30], address, _home(parsed)))
    return found, odd


def _without_quoting(block: str) -> str:
    """Return the lines of a card with what vCard 2.1 wrote as quoted-printable (RFC 2045, 6.7) as plain text."""
    made: list[str] = []
    lines = iter(block.split("\n"))
    for line in lines:
        head, colon, value = line.partition(":")
        if not colon or "QUOTED-PRINTABLE" not in head.upper():
            made.append(line)
            continue
        while value.endswith("=") and (more := next(lines, None)) is not None:
            value = value[:-1] + more.lstrip()
        named = re.search(r"CHARSET=\"?([\w-]+)", head, re.IGNORECASE)
        raw = quopri.decodestring(value.encode("latin-1", "replace"))
        found = decode(raw, _CHARSETS.get(named[1].lower(), "") if named else "")
        text = found.text if found else raw.decode("utf-8", "replace")
        kept = [part for part in head.split(";") if not re.match(r"(?:ENCODING=|CHARSET=|QUOTED)", part, re.IGNORECASE)]
        made.append(f"{';'.join(kept)}:{' '.join(text.split())}")
    return "\n".join(made)


_CHARSETS = {"utf-8": "utf-8", "iso-8859-1": "cp1252", "windows-1252": "cp1252", "iso-8859-2": "cp1250",
             "windows-1250": "cp1250", "windows-1251": "cp1251", "shift_jis": "cp932"}  # fmt: skip


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
        return ", ".join(str(v) for v in value if v) if isinstance(value, list) else str(value or "")

    street, extra, box = part("street"), part("extended"), part("box")
    if box:  # RFC 6350 leaves it empty; older cards have it
        box = box if re.search("[^\\W\\d]", box) else f"PO Box {box}"
        street, extra = (street, f"{box}, {extra}".strip(", ")) if street else (box, extra)
    name = _text(card, "fn") or _full_name(card)
    return Address(
        name="" if _text(card, "kind").lower() == "org" and name == _text(card, "org") else name[:120],
        company=_text(card, "org")[:120],
        street=street[:120],
        extra=extra[:120],
        city=part("city")[:120],
        region=part("region")[:120],
        postcode=part("code")[:20],
        country=part("country")[:60],
        phone=_text(card, "tel").removeprefix("tel:")[:40],
        email=_text(card, "email").removeprefix("mailto:")[:120],
    )


def _full_name(card: Any) -> str:
    name = getattr(getattr(card, "n", None), "value", None)
    parts = (getattr(name, which, "") for which in ("prefix", "given", "additional", "family", "suffix"))
    return " ".join(str(part) for part in parts if part and not isinstance(part, list))


def _home(card: Any) -> bool | None:
    kinds = {str(kind).lower() for kind in getattr(getattr(card, "adr", None), "params", {}).get("TYPE", ())}
    return True if "home" in kinds else False if "work" in kinds else None


def _escaped(text: str) -> str:
    return text.replace("\\", "\\\\").replace(";", "\\;").replace(",", "\\,").replace("\n", "\\n")


def write_vcards(rows: Iterable[ContactCard]) -> str:
    """Return contacts as vCard 4.0, lines folded after 75 octets (RFC 6350, 3.2)."""
    cards = []
    for code, a, home in rows:
        kind = {None: "", True: ";TYPE=home", False: ";TYPE=work"}[home]
        place = ";".join(_escaped(p) for p in ("", a.extra, a.street, a.city, a.region, a.postcode, a.country))
        lines = ["BEGIN:VCARD", "VERSION:4.0", f"FN:{_escaped(a.name or a.company)}", f"ADR{kind}:{place}"]
        # Every card has a name (6.2.1); that of a company in whose name nobody stands is the company's (6.1.4).
        named = (
            ("KIND", "" if a.name else "org"),
            ("ORG", a.company),
            ("TEL", a.phone),
            ("EMAIL", a.email),
            ("NICKNAME", code),
        )
        lines += [f"{name}:{_escaped(value)}" for name, value in named if value]
        cards.append("\r\n".join([*map(folded, lines), "END:VCARD", ""]))
    return "".join(cards)
