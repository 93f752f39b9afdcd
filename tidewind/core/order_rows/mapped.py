"""Orders written as JSON, whatever its shape: fields found by JMESPath, made into the rows that files have."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

import jmespath
from jmespath.exceptions import JMESPathError

from tidewind.core.order_rows.columns import NEEDED
from tidewind.core.order_rows.headings import FIELDS

MOST_ORDERS, LONGEST_CELL = 20_000, 5_000
_OPTIONS = jmespath.Options()


@dataclass(frozen=True, slots=True)
class JsonMapping:
    """Where the orders are in a document, where the lines are in an order, and how each field is found.

    Expressions are JMESPath, read in the order itself; the line stands in it as ``line``.
    """

    orders: str = "@"
    lines: str = ""
    fields: Mapping[str, str] = field(default_factory=dict)


def mapping_faults(mapping: JsonMapping) -> list[str]:
    """Return what is wrong with a mapping, in words: expressions that cannot be read, needed fields without one."""
    wrong = []
    for name, expression in (("orders", mapping.orders), ("lines", mapping.lines), *mapping.fields.items()):
        if not expression:
            continue
        if name not in ("orders", "lines") and name not in FIELDS:
            wrong.append(f"{name} is no field of an order.")
            continue
        try:
            jmespath.compile(expression)
        except JMESPathError as error:
            words = str(error).splitlines()[0]
            wrong.append(f"{name.replace('_', ' ')}: “{expression[:60]}” is no JMESPath expression ({words[:120]}).")
    missing = [name for name in NEEDED if not mapping.fields.get(name)]
    if missing:
        wrong.append(f"Say where these stand: {', '.join(name.replace('_', ' ') for name in missing)}.")
    return wrong


def rows_of_json(document: Any, mapping: JsonMapping) -> tuple[list[str], list[list[str]]]:
    """Return headers and rows, one for each line of each order.  Raises ValueError with words for a wrong shape."""
    headers = [name for name in FIELDS if mapping.fields.get(name)]
    found = _search(mapping.orders or "@", document, "the orders")
    if not isinstance(found, list):
        raise ValueError(f"“{mapping.orders or '@'}” finds no list of orders in the answer")
    if len(found) > MOST_ORDERS:
        raise ValueError(f"the answer has {len(found):,} orders; at most {MOST_ORDERS:,} are read at once")
    compiled = [(name, mapping.fields[name]) for name in headers]
    rows = []
    for order in found:
        if not isinstance(order, dict):
            raise ValueError(f"among the orders is “{str(order)[:40]}”, which is none")
        lines = _search(mapping.lines, order, "the lines") if mapping.lines else [order]
        for line in lines if isinstance(lines, list) and lines else [{}]:
            here = {**order, "line": line}
            rows.append([_cell(_search(expression, here, name)) for name, expression in compiled])
    return headers, rows


def _search(expression: str, document: Any, what: str) -> Any:
    try:
        return jmespath.search(expression, document, _OPTIONS)
    except (JMESPathError, TypeError, ArithmeticError) as error:
        raise ValueError(f"{what.replace('_', ' ')}: {str(error).splitlines()[0][:200]}") from error


def _cell(value: Any) -> str:
    """Return a value as it stands in a cell; several are joined, as lines of a street."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Decimal):
        return f"{value:f}"
    if isinstance(value, Sequence) and not isinstance(value, str):
        return ", ".join(filter(None, (_cell(one) for one in value)))[:LONGEST_CELL]
    return str(value)[:LONGEST_CELL]
