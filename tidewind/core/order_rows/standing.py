"""Whether a row's order may go, must not, or is none, by words in the languages that sellers meet."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Literal

from tidewind.core.addresses.check import tidy
from tidewind.core.order_rows.columns import currency_of, is_billing, plain_header
from tidewind.core.order_rows.figures import CURRENCIES, Means, Units
from tidewind.core.order_rows.no_goods import NoGoods, line_word
from tidewind.core.order_rows.row import Row

STATES = "standing", "payment"
"""The columns that say whether an order may go."""


def _words(kind: str) -> tuple[str, ...]:
    told = json.loads((resources.files("tidewind.data") / "words_of_states.json").read_text("utf-8"))
    return tuple(told[kind])


# What is neither among the words that stop nor among those that let an order go is asked, never guessed.
STOPS, GOES = frozenset(_words("stops")), frozenset(_words("goes"))
STOPPING_PHRASES, GOING_PHRASES = _words("stopping_phrases"), _words("going_phrases")
SUMS = frozenset(_words("sums"))
COLLECTED = _words("collected")
"""How a delivery is named that is none: the buyer fetches the goods where they are sold."""
# The buyer pays whoever brings the parcel: a label that collects nothing would give the goods away.
_AT_THE_DOOR = re.compile(
    r"^(?:cod|cash on delivery|pay(?:ment)? (?:on delivery|at the door)|collect on delivery|(?:per )?nachnahme"
    r"|(?:in )?contrassegno|contre remboursement|contra ?reembolso|(?:à )?cobrança|(?:onder )?rembours"
    r"|(?:za )?pobranie[m]?|dobírka|(?:na )?dobírku|utánvét|postförskott|(?:mot )?efterkrav|代金引換|代引き?)$"
)
NOT_YET = frozenset(_words("not_yet"))
"""What a column of what was sent says of what was not."""
CLEAR = STOPS - frozenset(_words("unclear"))
"""Of a column that nobody mapped only a clear word stops a row: “no” may answer any question."""

WHO = (
    *("name", "company", "street", "extra", "city", "region", "postcode", "country", "phone", "email"),
    "address_block",
)
"""What says who an order goes to."""


def is_no_order(row: Row, headers: Sequence[str]) -> bool:
    """Tell whether a row is the heading once more, where two files were pasted together, or a sum below the others."""
    again = bool(headers) and [c.strip() for c in row.cells[: len(headers)]] == [h.strip() for h in headers]
    number, sku = row.text("order_number").casefold(), row.text("sku").casefold()
    words = {number, sku, row.text("item_name").casefold()} - {""}
    who = any(row.text(name) for name in WHO)
    return again or (not who and bool(words & SUMS) and (number in SUMS or not number))


WordKind = Literal["state", "door", "currency"] | NoGoods


@dataclass(frozen=True, slots=True)
class SaidWord:
    """A word that decides what becomes of rows: what it is about, how many rows say it, and what it means."""

    text: str
    kind: WordKind
    count: int
    means: Means


@lru_cache(maxsize=4_096)
def pays_at_the_door(text: str) -> bool:
    """Tell whether a cell says that the carrier is to collect the money from the buyer."""
    return bool(_AT_THE_DOOR.match(plain_header(text)))


def _may_be_a_word(text: str) -> bool:
    """Tell whether a cell is short and begins like a word: most cells of a long file are looked at no further."""
    return 2 <= len(text) <= 40 and text[0].isalpha()


def check_standing(row: Row, headers: Sequence[str]) -> None:
    """Keep a row back that says itself, mapped or not, that it must not go."""
    for name in STATES:
        mapped = row.text(name)
        means = what_it_means(mapped, row.units.states) if mapped else "open"
        if means == "not":
            row.fail(name, f"the row says “{mapped:.40}”: it must not go")
        elif not means:
            row.fail(name, f"the row says “{mapped:.40}”; say above whether it may go")
    for name, words in (("cancelled_at", "was cancelled"), ("held", "is on hold"), ("sent_on", "went already")):
        if row.text(name) and not _says_stop(row.text(name), NOT_YET, ()):
            row.fail(name, f"it {words}: “{row.text(name):.40}”")
    _check_money_and_way(row)
    _check_door(row)
    used = set(row.columns.values())
    for index, cell in enumerate(row.cells):
        head = headers[index] if index < len(headers) else ""
        if index not in used and len(cell) <= 40 and not is_billing(head) and _says_stop(tidy(cell), CLEAR):
            head = headers[index] if index < len(headers) and headers[index].strip() else f"column {index + 1}"
            row.fail("standing", f"{head:.40} says “{tidy(cell)}”: it must not go. If it may, correct the row")


def _check_money_and_way(row: Row) -> None:
    """Keep a row back whose order is not paid for, or that its buyer fetches."""
    back = row.text("refunded")
    if any(sign.isdigit() for sign in back):
        back = back if row.money("refunded") else ""
    if back and not _says_stop(back, NOT_YET, ()):
        row.fail("refunded", f"“{back:.40}” of it was paid back; if the rest is to go, correct the row")
    if row.text("owing") and row.money("owing") > 0:
        row.fail("owing", f"{row.text('owing'):.40} of it is not paid yet")
    way = " ".join(plain_header(row.text("promise")).split())
    if way and any(way == word or way.startswith(f"{word} ") for word in COLLECTED) and "point" not in way:
        row.fail("promise", f"“{row.text('promise'):.40}”: its buyer fetches it, so nothing is sent")


def _columns_of_words(columns: Mapping[str, int], width: int) -> list[int]:
    """Return the columns that may say how an order is paid: neither a state, nor who and where, nor the goods."""
    settled = {at for name, at in columns.items() if name in {*STATES, *WHO, "sku", "item_name", "note"}}
    return [at for at in range(width) if at not in settled]


def _check_door(row: Row) -> None:
    for at in _columns_of_words(row.columns, len(row.cells)):
        text = row.cells[at].strip()
        if not _may_be_a_word(text) or not pays_at_the_door(text):
            continue
        means = row.units.states.get(text.casefold(), "")
        if means != "open":
            ask = "it must not go" if means else "no label here collects it; say above whether it may go"
            row.fail("payment", f"“{text}”: its buyer pays at the door and {ask}")


def check_paid(rows: Sequence[Row]) -> None:
    """Keep an order back of which no row says when it was paid, in a file that has a column for that."""
    first = rows[0]
    if "paid_on" not in first.columns or any(row.text("paid_on") for row in rows):
        return
    if not any(what_it_means(row.text("payment"), row.units.states) == "open" for row in rows):
        first.fail("paid_on", "nothing says that it was paid; if it was, write the day there")


def what_it_means(text: str, said: Mapping[str, Means]) -> Means:
    """Return what a state means: ``open``, ``not``, or nothing where neither people nor its words say it."""
    plain_words = text.casefold().replace("_", " ").strip(" .!")
    if plain_words in said:
        return said[plain_words]
    if _says_stop(plain_words, GOES, GOING_PHRASES):
        return "open"
    return "not" if _says_stop(plain_words, STOPS) else ""


def said_words(
    rows: Sequence[tuple[int, Sequence[str]]],
    columns: Mapping[str, int],
    units: Units,
    headers: Sequence[str] = (),
) -> list[SaidWord]:
    """Return the words that decide what becomes of rows: states of orders, payment at the door, no goods, currencies.

    The most frequent first, each with what it means by ``units.states`` or by itself; nothing where that is asked.
    """
    heads = {head.strip() for head in headers}
    counted: Counter[tuple[str, WordKind]] = Counter()
    # Column by column: of thirty thousand rows few say anything new.
    for at in (columns[name] for name in STATES if name in columns):
        for cell, count in Counter(cells[at] for _, cells in rows if at < len(cells)).items():
            text = tidy(cell)
            if text and text not in heads:
                kind: WordKind = "door" if pays_at_the_door(text) else "state"
                counted[text.casefold().replace("_", " ").strip(" .!"), kind] += count
    width = max((len(cells) for _, cells in rows), default=0)
    for at in _columns_of_words(columns, width):
        for cell, count in Counter(cells[at] for _, cells in rows if at < len(cells)).items():
            text = cell.strip()
            if _may_be_a_word(text) and pays_at_the_door(text):
                counted[text.casefold(), "door"] += count
    goods = [columns[name] for name in ("sku", "item_name", "weight_g") if name in columns]
    lines = Counter(tuple(cells[at] if at < len(cells) else "" for at in goods) for _, cells in rows)
    here = {name: n for n, name in enumerate(n for n in ("sku", "item_name", "weight_g") if n in columns)}
    for line, count in lines.items():
        if found := line_word(Row(0, line, here, units)):
            counted[found] += count
    counted.update(_currencies(rows, columns, units, headers))
    return [SaidWord(text, kind, count, _meant(text, kind, units)) for (text, kind), count in counted.most_common()]


def _currencies(
    rows: Sequence[tuple[int, Sequence[str]]], columns: Mapping[str, int], units: Units, headers: Sequence[str]
) -> Counter[tuple[str, WordKind]]:
    """Return the other currencies in which rows are priced, by code; a sign that several share says none."""
    counted: Counter[tuple[str, WordKind]] = Counter()
    names = [name for name in ("unit_price", "line_total", "paid_shipping", "currency") if name in columns]
    here = {name: n for n, name in enumerate(names)}
    heading = currency_of(headers[columns["unit_price"]]) if "unit_price" in columns and headers else ""
    # Figures say nothing of the currency: without them, of thirty thousand rows few are left.
    kinds = Counter(
        tuple(re.sub(r"[1-9]\d*", "1", cells[columns[name]]) if columns[name] < len(cells) else "" for name in names)
        for _, cells in rows
    )
    for texts, count in kinds.items():
        row = Row(0, texts, here, units)
        row.heading_currency = heading
        if row.names_amount() and (other := row.currency()[0]) in CURRENCIES:
            counted[other.casefold(), "currency"] += count
    return counted


def _meant(text: str, kind: WordKind, units: Units) -> Means:
    return what_it_means(text, units.states) if kind == "state" else units.states.get(text, "")


def _says_stop(text: str, words: Iterable[str], phrases: Sequence[str] = STOPPING_PHRASES) -> bool:
    said = text.casefold().replace("-", " ").strip(" .!") or text
    return said in words or any(said.startswith(phrase) for phrase in phrases)
