"""Kinds of values in a written rate card: how each is read, written and described; a reader that collects faults."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, is_dataclass
from datetime import date, time
from types import NoneType, UnionType
from typing import Any, Literal, get_args, get_origin

from tidewind.core.quantities import Size

MOST = 1_000_000_000
"""The largest figure a card may hold; anything above is a slip of the pen."""


@dataclass(frozen=True, slots=True)
class BadCard:
    """A card that was refused whole, with all its errors in words."""

    errors: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of value: what reads it (raising ValueError or TypeError), writes it, and its JSON Schema."""

    read: Callable[[Any], Any]
    write: Callable[[Any], Any]
    schema: Mapping[str, Any]
    words: str


def _text(value: Any) -> str:
    if not isinstance(value, str) or not value.strip() or len(value) > 500:
        raise ValueError
    return value


def _count(value: Any) -> int:
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= MOST:
        raise ValueError
    return value


def _yes_no(value: Any) -> bool:
    if not isinstance(value, bool):
        raise TypeError
    return value


def _list_of(read: Callable[[Any], Any]) -> Callable[[Any], tuple[Any, ...]]:
    def read_all(value: Any) -> tuple[Any, ...]:
        if not isinstance(value, list) or len(value) > 20_000:
            raise TypeError
        return tuple(read(each) for each in value)

    return read_all


def _size(value: Any) -> Size:
    a, b, c = _list_of(_count)(value)
    return Size.of(a, b, c)


def _one_of(*words: str) -> Kind:
    def read(value: Any) -> str:
        if value not in words:
            raise ValueError
        return str(value)

    return Kind(read, _same, {"enum": list(words)}, f"one of {', '.join(words)}")


def _same(value: Any) -> Any:
    return value


def _weekdays(value: Any) -> frozenset[int]:
    days = frozenset(_list_of(_count)(value))
    if not days <= set(range(1, 8)):
        raise ValueError
    return frozenset(day - 1 for day in days)


_TEXT = {"type": "string", "minLength": 1, "maxLength": 500}
_COUNT = {"type": "integer", "minimum": 0, "maximum": MOST}
TEXT = Kind(_text, _same, _TEXT, "text")
COUNT = Kind(_count, _same, _COUNT, "a whole number, not negative")
YES_NO = Kind(_yes_no, _same, {"type": "boolean"}, "true or false")
TEXTS = Kind(_list_of(_text), list, {"type": "array", "items": _TEXT}, "a list of texts")
TEXT_SET = Kind(lambda v: frozenset(_list_of(_text)(v)), sorted, {"type": "array", "items": _TEXT}, "a list of texts")
COUNTS = Kind(_list_of(_count), list, {"type": "array", "items": _COUNT}, "a list of whole numbers")
SIZE = Kind(
    _size,
    lambda s: [s.longest, s.middle, s.shortest],
    {"type": "array", "items": _COUNT, "minItems": 3, "maxItems": 3},
    "three sides in millimetres",
)
DATE = Kind(
    lambda v: date.fromisoformat(_text(v)), date.isoformat, {"type": "string", "format": "date"}, "a date, 2026-12-01"
)
TIME = Kind(
    lambda v: time.fromisoformat(_text(v)), lambda t: t.isoformat("minutes"), {"type": "string"}, "a time, 16:30"
)
WEEKDAYS = Kind(
    _weekdays,
    lambda days: [day + 1 for day in sorted(days)],
    {"type": "array", "items": {"type": "integer", "minimum": 1, "maximum": 7}},
    "days 1 (Monday) to 7 (Sunday)",
)
_KINDS: Mapping[Any, Kind] = {
    str: TEXT, int: COUNT, bool: YES_NO, date: DATE, time: TIME, Size: SIZE, tuple[str, ...]: TEXTS,
    tuple[int, ...]: COUNTS, frozenset[str]: TEXT_SET, frozenset[int]: WEEKDAYS,
}  # fmt: skip


def kind_of(hint: Any) -> tuple[Kind | type, bool]:
    """Return how a value of a type is read, or the part that it is, and whether there are several of that part.

    Raises TypeError for a type that no written form is known of.
    """
    options = [option for option in get_args(hint) if option is not NoneType]
    if get_origin(hint) is UnionType and len(options) == 1:
        return kind_of(options[0])
    if get_origin(hint) is Literal:
        return _one_of(*options), False
    if hint in _KINDS:
        return _KINDS[hint], False
    if get_origin(hint) is tuple and isinstance(options[0], type) and is_dataclass(options[0]):
        return options[0], True
    if is_dataclass(hint) and isinstance(hint, type):
        return hint, False
    raise TypeError(f"{hint} has no written form")


@dataclass(frozen=True, slots=True)
class Field:
    """One key of a written part: its kind (or the part or parts it holds), its default, the attribute it fills."""

    key: str
    kind: Kind | type
    default: Any = ...
    many: bool = False
    name: str = ""


class Reader:
    """Takes values out of a mapping and collects what is wrong, with the path to it."""

    def __init__(self, values: Any, path: str, errors: list[str]) -> None:
        self.path, self.errors = path, errors
        if not isinstance(values, Mapping):
            errors.append(f"{path or 'card'}: a table of named values is expected")
            values = {}
        self.values: Mapping[str, Any] = values
        self._known: set[str] = set()

    def fail(self, key: str, words: str) -> None:
        """Note what is wrong with a key."""
        self.errors.append(f"{self.at(key)}: {words}")

    def at(self, key: str) -> str:
        """Return the path to a key."""
        return f"{self.path}{'.' if self.path else ''}{key}"

    def take(self, key: str, kind: Kind, default: Any = ...) -> Any:
        """Return a value of a kind, its default where it is not there; None, with a fault noted, where it is bad."""
        self._known.add(key)
        value = self.values.get(key)
        if value is None:
            if default is ...:
                self.fail(key, "is missing")
                return None
            return default
        try:
            return kind.read(value)
        except (TypeError, ValueError, KeyError, AttributeError):
            self.fail(key, f"{value!r:.60} is not {kind.words}")
            return None

    def child(self, key: str) -> Reader:
        """Return a reader of the table under a key, of an empty one where there is none."""
        self._known.add(key)
        return Reader(self.values.get(key, {}), self.at(key), self.errors)

    def children(self, key: str) -> list[Reader]:
        """Return a reader for each table of the list under a key."""
        self._known.add(key)
        rows = self.values.get(key, [])
        if not isinstance(rows, list):
            self.fail(key, "a list is expected")
            return []
        return [Reader(row, f"{self.at(key)}[{n}]", self.errors) for n, row in enumerate(rows, 1)]

    def finish(self) -> None:
        """Note every key that nothing asked for: a slip there would otherwise lose a price without a word."""
        for key in self.values:
            if key not in self._known:
                self.fail(str(key)[:60], "is not a word of the rate card")
