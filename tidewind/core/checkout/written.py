"""Offers and tables as they are written down (docs/checkout.md), read with every fault that is found."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeVar

from tidewind.core.checkout.arithmetic import whole_minor
from tidewind.core.checkout.offer import (
    Adjusting,
    ByTable,
    Fallback,
    Flat,
    Free,
    Handling,
    Limits,
    Live,
    Offer,
    PerItem,
    PerKilogram,
    Price,
    Times,
)
from tidewind.core.checkout.reach import Reach, read_reach
from tidewind.core.checkout.tables import MEASURES, RateTable, TableRow

MOST_OFFERS, MOST_TABLES, MOST_ROWS, MOST_BANDS = 60, 20, 20_000, 60
MOST_MINOR, MOST_KEPT_S, MOST_VAT_BP = 100_000_000, 300, 5_000
USUAL = "en"
"""The language of the name that is shown where the shopper's has none, if there is one in it."""
Made = TypeVar("Made")
_CODE = re.compile(r"[a-z0-9][a-z0-9-]{0,29}")
_CLOCK = re.compile(r"([01]\d|2[0-3]):[0-5]\d|24:00")


@dataclass(frozen=True, slots=True)
class Checkout:
    """Everything that shoppers are offered, and what was wrong with what was written, if anything was.

    ``keep_s``: for so many seconds whoever stands between may give an answer again.  ``vat_bp``: the VAT, in basis
    points, that the shop's prices at the checkout hold; 0 where it sells without.
    """

    offers: tuple[Offer, ...] = ()
    tables: tuple[RateTable, ...] = ()
    errors: tuple[str, ...] = ()
    keep_s: int = 0
    vat_bp: int = 0

    @property
    def by_code(self) -> Mapping[str, RateTable]:
        """The tables by their code."""
        return {table.code: table for table in self.tables}


@dataclass(slots=True)
class _Reader:
    """Reads values of one thing, and notes what is wrong under its name."""

    what: str
    errors: list[str] = field(default_factory=list)
    currency: str = "EUR"

    def fail(self, words: str) -> None:
        self.errors.append(f"{self.what}: {words}")

    def whole(
        self, body: Mapping[str, Any], name: str, usual: int | None = None, least: int = 0, most: int = MOST_MINOR
    ) -> int | None:
        value = body.get(name, usual)
        if value is None:
            return usual
        if isinstance(value, bool) or not isinstance(value, int) or not least <= value <= most:
            self.fail(f"{name.replace('_', ' ')} must be a whole number from {least} to {most}")
            return usual
        return value

    def sure(self, body: Mapping[str, Any], name: str, usual: int = 0, least: int = 0, most: int = MOST_MINOR) -> int:
        found = self.whole(body, name, usual, least, most)
        return usual if found is None else found

    def words(self, body: Mapping[str, Any], name: str, most: int = 200) -> str:
        value = body.get(name) or ""
        if not isinstance(value, str) or len(value) > most:
            self.fail(f"{name.replace('_', ' ')} must be a text of at most {most} letters")
            return ""
        return " ".join(value.split())

    def several(self, body: Mapping[str, Any], name: str, most: int = 500) -> tuple[str, ...]:
        value = body.get(name) or []
        if not isinstance(value, list) or len(value) > most or not all(isinstance(one, str) for one in value):
            self.fail(f"{name.replace('_', ' ')} must be a list of at most {most} texts")
            return ()
        return tuple(one.strip() for one in value if one.strip())

    def inside(self, body: Mapping[str, Any], name: str) -> Mapping[str, Any]:
        value = body.get(name) or {}
        if not isinstance(value, dict):
            self.fail(f"{name.replace('_', ' ')} must be an object")
            return {}
        return value

    def one_of(self, body: Mapping[str, Any], name: str, allowed: Sequence[str]) -> Any:
        value = body.get(name) or allowed[0]
        if value not in allowed:
            self.fail(f"{name.replace('_', ' ')} must be one of {', '.join(allowed)}")
            return allowed[0]
        return value

    def reach(self, body: Mapping[str, Any]) -> Reach:
        cells = (self.words(body, "countries", 2_000), self.words(body, "regions", 2_000))
        try:
            return read_reach(*cells, self.words(body, "postcodes", 8_000))
        except ValueError as error:
            self.fail(str(error))
            return Reach()


def read_checkout(body: Any, services: Mapping[str, str] | None = None, currency: str = "EUR") -> Checkout:
    """Return offers and tables out of JSON values, with everything that is wrong; ``services`` are those there are."""
    if not isinstance(body, dict):
        return Checkout(errors=("This must be an object with offers and tables.",))
    errors: list[str] = []
    tables = _each(body, "tables", MOST_TABLES, currency, _table, errors)
    known = {table.code for table in tables}
    offers = _each(body, "offers", MOST_OFFERS, currency, lambda one, r: _offer(one, r, known, services), errors)
    whole = _Reader("The checkout", errors)
    keep_s, vat_bp = whole.sure(body, "keep_s", 0, 0, MOST_KEPT_S), whole.sure(body, "vat_bp", 0, 0, MOST_VAT_BP)
    return Checkout(tuple(offers), tuple(tables), tuple(errors), keep_s, vat_bp)


def _each(
    body: Mapping[str, Any],
    name: str,
    most: int,
    currency: str,
    read: Callable[[Any, _Reader], Made],
    errors: list[str],
) -> list[Made]:
    rows = body.get(name) or []
    if not isinstance(rows, list) or len(rows) > most:
        errors.append(f"{name} must be a list of at most {most}")
        return []
    made, codes = [], set[str]()
    for number, row in enumerate(rows, 1):
        reader = _Reader(f"{name[:-1].capitalize()} {number}", currency=currency)
        if not isinstance(row, dict):
            errors.append(f"{reader.what} must be an object")
            continue
        code = str(row.get("code", ""))
        if not _CODE.fullmatch(code):
            reader.fail("its code must be small letters, digits and hyphens")
        if code in codes:
            reader.fail(f"there are two with the code {code}")
        codes.add(code)
        made.append(read(row, reader))
        errors += reader.errors
    return made


def _table(body: Mapping[str, Any], r: _Reader) -> RateTable:
    name = r.words(body, "name", 60)
    r.what = f"Table {name or body.get('code')}"
    bands = body.get("bands") or []
    if not isinstance(bands, list) or not 1 <= len(bands) <= MOST_BANDS or not all(_is_whole(b) for b in bands):
        r.fail(f"bands must be a list of 1 to {MOST_BANDS} whole numbers")
        bands = [1]
    if sorted(set(bands)) != bands:
        r.fail("each band must end after the one before it")
    rows = body.get("rows") or []
    if not isinstance(rows, list) or len(rows) > MOST_ROWS:
        r.fail(f"rows must be a list of at most {MOST_ROWS}")
        rows = []
    made = [_row(row, n, len(bands), r) for n, row in enumerate(rows, 1)]
    by, narrowest = r.one_of(body, "by", list(MEASURES)), body.get("narrowest") is True
    return RateTable(str(body.get("code", "")), name, by, tuple(bands), tuple(made), narrowest)


def _row(row: Any, number: int, bands: int, r: _Reader) -> TableRow:
    inner = _Reader(f"{r.what}, row {number}")
    if not isinstance(row, dict):
        r.fail(f"row {number} must be an object")
        return TableRow(Reach(), (None,) * bands)
    prices = row.get("prices") or []
    if not isinstance(prices, list) or len(prices) > bands or not all(p is None or _is_whole(p) for p in prices):
        inner.fail("prices must be a list of minor units, one for each band, empty where nothing is offered")
        prices = []
    reach, name = inner.reach(row), inner.words(row, "name", 80)
    r.errors += inner.errors
    return TableRow(reach, (*prices, *(None,) * (bands - len(prices))), name)


def _is_whole(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= MOST_MINOR


def _offer(body: Mapping[str, Any], r: _Reader, tables: set[str], services: Mapping[str, str] | None) -> Offer:
    names = _names(body, r)
    r.what = f"Offer {names[0][1]}"
    offer = Offer(
        code=str(body.get("code", "")),
        names=names,
        price=_price(r.inside(body, "price"), r, tables),
        on=body.get("on") is not False,
        adjusting=_adjusting(body, r),
        free=_free(body, r),
        fallback=_fallback(r.inside(body, "fallback"), r),
        reach=r.reach(r.inside(body, "where")),
        limits=_limits(r.inside(body, "basket"), r),
        channels=frozenset(r.several(body, "channels")),
        places=frozenset(r.several(body, "places")),
        times=_times(r.inside(body, "times"), r),
        takes=r.several(body, "takes"),
        groups=_groups(r.inside(body, "groups"), r),
        shows=r.one_of(body, "shows", ("span", "day", "nothing")),
        packing_days=r.sure(body, "packing_days", 0, 0, 30),
    )
    for code in offer.services:
        if services is not None and code not in services:
            r.fail(f"there is no service {code[:30]}")
    return offer


def _names(body: Mapping[str, Any], r: _Reader) -> tuple[tuple[str, str], ...]:
    names = dict(sorted(r.inside(body, "names").items(), key=lambda one: (str(one[0]).lower() != USUAL, str(one[0]))))
    made = tuple(
        (str(language).lower(), " ".join(str(text).split())[:80])
        for language, text in names.items()
        if str(text).strip()
    )
    if not made:
        r.fail("it has no name that a shopper could read")
    return made or ((USUAL, "?"),)


def _price(body: Mapping[str, Any], r: _Reader, tables: set[str]) -> Price:
    match r.one_of(body, "kind", ("live", "flat", "table", "per_item", "per_kg")):
        case "live":
            services = r.several(body, "services")
            if not services:
                r.fail("name the services that are asked")
            return Live(services, body.get("each") is True)
        case "table":
            table = str(body.get("table", ""))
            if table not in tables:
                r.fail(f"there is no table {table[:30]}")
            return ByTable(table)
        case "per_item":
            return PerItem(r.sure(body, "first_minor"), r.sure(body, "further_minor"))
        case "per_kg":
            return PerKilogram(r.sure(body, "base_minor"), r.sure(body, "kilogram_minor"))
        case _:
            return Flat(r.sure(body, "minor"))


def _adjusting(body: Mapping[str, Any], r: _Reader) -> Adjusting:
    handling = r.inside(body, "handling")
    made = Adjusting(
        r.sure(body, "percent_bp", 0, -10_000, 100_000),
        r.sure(body, "amount_minor", 0, -MOST_MINOR),
        Handling(*(r.sure(handling, name) for name in ("order", "parcel", "item"))),
        r.whole(body, "ending_minor", None, 0, whole_minor(r.currency) - 1),
        r.whole(body, "floor_minor"),
        r.whole(body, "ceiling_minor"),
    )
    if made.floor is not None and made.ceiling is not None and made.floor > made.ceiling:
        r.fail("the least price is above the highest")
    return made


def _free(body: Mapping[str, Any], r: _Reader) -> Free | None:
    free = r.inside(body, "free")
    value = r.whole(free, "from_minor")
    return None if value is None else Free(value, r.one_of(free, "counts", ("before", "after")))


def _fallback(body: Mapping[str, Any], r: _Reader) -> Fallback:
    return Fallback(r.whole(body, "home_minor"), r.whole(body, "abroad_minor"))


def _limits(body: Mapping[str, Any], r: _Reader) -> Limits:
    spans: dict[str, Any] = {}
    for name in ("weight_g", "value", "items"):
        least, most = r.whole(body, f"{name}_from"), r.whole(body, f"{name}_to")
        if least is not None and most is not None and least > most:
            r.fail(f"{name.replace('_g', '')} from is above its to")
        spans[name] = (least, most)
    sets: dict[str, Any] = {name: frozenset(r.several(body, name)) for name in ("skus", "not_skus", "tags", "not_tags")}
    return Limits(**spans, **sets)


def _times(body: Mapping[str, Any], r: _Reader) -> Times:
    days = body.get("days") or []
    if not isinstance(days, list) or not all(_is_whole(day) and day <= 6 for day in days):
        r.fail("days are 0 (Monday) to 6 (Sunday)")
        days = []
    start, until = str(body.get("from") or "00:00"), str(body.get("until") or "24:00")
    if not (_CLOCK.fullmatch(start) and _CLOCK.fullmatch(until) and start < until):
        r.fail("hours are written 08:00 and 14:00, the first before the second")
        start, until = "00:00", "24:00"
    return Times(frozenset(days), start, until)


def _groups(body: Mapping[str, Any], r: _Reader) -> tuple[tuple[str, int], ...]:
    if not all(_is_whole(price) for price in body.values()):
        r.fail("prices of customer groups are minor units")
        return ()
    return tuple(sorted((str(group)[:60], int(price)) for group, price in body.items()))
