"""The tables that customs is reckoned by: each row with its source, its beginning and its end.

All of it is data that a shop can replace by a file (docs/customs-tables.md).  Amounts are minor units of the row's
currency, percentages basis points, rates of exchange millionths of a currency's unit for one unit of the base.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from datetime import date
from typing import Any, Literal, TypeVar

from tidewind.core.customs.codes import plain_code
from tidewind.core.destinations import EU
from tidewind.core.frozen import frozen
from tidewind.core.quantities import minor_digits

MILLION = 1_000_000
KEPT = 1_024
"""Of so many destinations and days it is kept what holds there."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """What every row says: where it holds (countries, ``EU`` or ``*``), from and to which day, and who says so."""

    to: tuple[str, ...] = ("*",)
    begins: date | None = None
    ends: date | None = None
    source: str = ""

    def on(self, day: date) -> bool:
        """Tell whether it holds on a day; its first and its last belong to it."""
        return (self.begins is None or self.begins <= day) and (self.ends is None or day <= self.ends)


@dataclass(frozen=True, slots=True, kw_only=True)
class Place(Row):
    """How a destination values goods (with or without transport) and in which currency."""

    value: Literal["with_transport", "goods_alone"] = "with_transport"
    currency: str = "EUR"


@dataclass(frozen=True, slots=True, kw_only=True)
class Relief(Row):
    """Up to which value of the goods a duty or tax is not asked; None: whatever they are worth."""

    of: tuple[Literal["duty", "tax"], ...] = ("duty", "tax")
    up_to_minor: int | None = None
    purposes: tuple[str, ...] = ()
    why: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Duty(Row):
    """A duty by code and origin: a percentage of the customs value, or a sum for each item."""

    codes: tuple[str, ...] = ("",)
    origins: tuple[str, ...] = ("*",)
    rate_bp: int = 0
    each_minor: int = 0
    up_to_minor: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Tax(Row):
    """VAT, GST or another tax on imports; its base is value, transport and duty, and the tax itself where ``inside``.

    Up to ``at_sale_up_to_minor`` a seller collects it at the sale, and says so by the number ``number``.
    ``not_under_minor``: a tax of so little or less is not asked.
    """

    name: str = "VAT"
    codes: tuple[str, ...] = ("",)
    rate_bp: int = 0
    inside: bool = False
    at_sale_up_to_minor: int | None = None
    number: str = ""
    not_under_minor: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Agreement(Row):
    """A trade agreement: goods of these origins come in free of duty where their maker or sender states the origin.

    Anyone may state it up to a value; above it, only who has the number.
    """

    name: str = ""
    leaves: tuple[str, ...] = ()
    origins: tuple[str, ...] = ()
    statement: str = ""
    anyone_up_to_minor: int | None = None
    currency: str = "EUR"
    number: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Paper(Row):
    """A paper that is needed, in how many copies: by value, purpose, service and number of parcels."""

    kind: str = ""
    words: str = ""
    copies: int = 1
    leaves: tuple[str, ...] = ("*",)
    by: tuple[str, ...] = ()
    """Post ``letter``, post ``parcel`` or ``carrier``; none: all."""
    purposes: tuple[str, ...] = ()
    over_minor: int | None = None
    up_to_minor: int | None = None
    currency: str = "EUR"
    over_g: int | None = None
    codes: tuple[str, ...] = ()
    parcels_over: int = 0
    made_by: Literal["us", "carrier", "authority"] = "us"
    needs_number: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Number(Row):
    """A number of the sender or the recipient that is wanted, and whether goods stop without it."""

    who: Literal["sender", "recipient"] = "sender"
    kinds: tuple[str, ...] = ()
    words: str = ""
    stops: bool = True
    leaves: tuple[str, ...] = ("*",)
    purposes: tuple[str, ...] = ()
    over_minor: int | None = None
    up_to_minor: int | None = None
    currency: str = "EUR"


@dataclass(frozen=True, slots=True, kw_only=True)
class Forbidden(Row):
    """Goods that a country does not let in, or not by post."""

    codes: tuple[str, ...] = ()
    contents: tuple[str, ...] = ()
    by: tuple[str, ...] = ()
    words: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Fee(Row):
    """What a carrier takes for laying out duties and tax: a percentage of them, and at least so much."""

    carrier: str = ""
    rate_bp: int = 0
    least_minor: int = 0
    currency: str = "EUR"


@frozen
class Rate:
    """How much of a currency one unit of the base is worth, in millionths, as of which day and by whom."""

    currency: str
    millionths: int
    day: date
    source: str


@dataclass(frozen=True, slots=True)
class Tables:
    """All tables; ``sample`` says that they are made up or simplified for trying out."""

    name: str
    sample: bool
    base: str
    rates: tuple[Rate, ...] = ()
    places: tuple[Place, ...] = ()
    reliefs: tuple[Relief, ...] = ()
    duties: tuple[Duty, ...] = ()
    taxes: tuple[Tax, ...] = ()
    agreements: tuple[Agreement, ...] = ()
    papers: tuple[Paper, ...] = ()
    numbers: tuple[Number, ...] = ()
    forbidden: tuple[Forbidden, ...] = ()
    fees: tuple[Fee, ...] = ()
    _kept: dict[tuple[str, date], Tables] = field(default_factory=dict, init=False, compare=False, repr=False)

    def there(self, to: str, day: date) -> Tables:
        """Return what of the tables holds for a destination on a day; kept, since many orders go to few countries."""
        found = self._kept.get((to, day))
        if found is None:
            if len(self._kept) >= KEPT:
                self._kept.clear()
            rows = {part: tuple(_holding(getattr(self, part), to, day)) for part in _PARTS}
            found = self._kept[to, day] = replace(self, **rows)  # type: ignore[arg-type]
        return found

    def rate(self, currency: str, day: date) -> Rate | None:
        """Return the newest rate of a currency that was known on a day; None where there is none."""
        if currency == self.base:
            return Rate(currency, MILLION, day, "the same currency")
        known = [rate for rate in self.rates if rate.currency == currency and rate.day <= day]
        return max(known, key=lambda rate: rate.day, default=None)

    def convert(self, minor: int, currency: str, into: str, day: date) -> int | None:
        """Return an amount in another currency, rounded half up to its minor unit; None without a rate for both."""
        if currency == into:
            return minor
        ours, theirs = self.rate(currency, day), self.rate(into, day)
        if ours is None or theirs is None:
            return None
        up = minor * theirs.millionths * int(10 ** minor_digits(into))
        down = ours.millionths * int(10 ** minor_digits(currency))
        return int((up * 2 + down) // (down * 2))


NO_TABLES = Tables("", sample=False, base="EUR")


@dataclass(frozen=True, slots=True)
class CustomsBook:
    """What a shop reckons customs by: its tables, its own numbers by their kind, and its brand."""

    tables: Tables = NO_TABLES
    numbers: Mapping[str, str] = field(default_factory=dict)
    brand: str = ""


R = TypeVar("R", bound=Row)


def among(country: str, named: Sequence[str]) -> bool:
    """Tell whether a country is among those named: by its code, as one of the EU, or since all are."""
    return "*" in named or country in named or ("EU" in named and country in EU)


def _holding(rows: Iterable[R], to: str, day: date) -> Iterator[R]:
    return (row for row in rows if row.on(day) and among(to, row.to))


def reach(code: str, named: Sequence[str]) -> int:
    """Return how many digits of a code the nearest of those named has; less than none where none is its beginning."""
    plain = plain_code(code)
    return max((len(begin) for begin in named if plain.startswith(begin)), default=-1)


_PARTS: dict[str, type[Row]] = {
    "places": Place,
    "reliefs": Relief,
    "duties": Duty,
    "taxes": Tax,
    "agreements": Agreement,
    "papers": Paper,
    "numbers": Number,
    "forbidden": Forbidden,
    "fees": Fee,
}


def read_tables(written: Mapping[str, Any]) -> Tables:
    """Return tables from their written form.  Raises ValueError that says which row is wrong, and in what."""
    unknown = set(written) - {"name", "sample", "base", "exchange_rates", *_PARTS}
    if unknown:
        raise ValueError(f"there is no table “{min(unknown)}”")
    try:
        rates = tuple(
            Rate(str(r["currency"]), _whole(r["millionths"]), date.fromisoformat(r["day"]), str(r.get("source", "")))
            for r in written.get("exchange_rates", ())
        )
        parts = {
            part: tuple(_row(kind, one, f"{part}, row {n}") for n, one in enumerate(written.get(part, ()), 1))
            for part, kind in _PARTS.items()
        }
    except (KeyError, TypeError, AttributeError) as error:
        raise ValueError(f"a row is not as it should be: {error}") from error
    if any(rate.millionths <= 0 for rate in rates):
        raise ValueError("a rate of exchange is more than nothing")
    name, base = str(written.get("name", "")), str(written.get("base", "EUR"))
    return Tables(name[:120], written.get("sample") is True, base, rates, **parts)  # type: ignore[arg-type]


_CHOICES = {
    "value": {"with_transport", "goods_alone"},
    "made_by": {"us", "carrier", "authority"},
    "who": {"sender", "recipient"},
}


def _row(kind: type[R], written: Mapping[str, Any], where: str) -> R:
    known = {f.name: f for f in fields(kind)}
    made: dict[str, Any] = {}
    for name, value in written.items():
        if name not in known:
            raise ValueError(f"{where}: there is no “{name}”")
        made[name] = _cell(name, value, known[name].default, f"{where}, {name}")
    return kind(**made)


def _cell(name: str, value: Any, usual: object, where: str) -> Any:
    """Return a cell as its column has it; the column's usual value tells of which kind that is."""
    if name in {"begins", "ends"}:
        try:
            return date.fromisoformat(value) if value else None
        except (ValueError, TypeError) as error:
            raise ValueError(f"{where}: {value} is no day") from error
    if isinstance(usual, tuple):
        if not isinstance(value, list) or not all(isinstance(one, str) for one in value):
            raise ValueError(f"{where}: a list of words is wanted")
        return tuple(value)
    if isinstance(usual, (bool, str)):
        if type(value) is not type(usual) or value not in _CHOICES.get(name, {value}):
            raise ValueError(f"{where}: {str(value)[:40]} cannot be")
        return value
    return value if value is None and usual is None else _whole(value, where)


def _whole(value: object, where: str = "exchange_rates") -> int:
    if not isinstance(value, int) or isinstance(value, bool) or value < 0:
        raise ValueError(f"{where}: {value} is no whole number")
    return value
