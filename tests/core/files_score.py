"""How many orders of foreign files come out right, are asked about or kept back, and how many are wrong unsaid.

.venv/bin/python -m tests.core.files_score   (the cases are in tests/core/corpus/foreign_files*.txt)
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from tidewind.core.order_rows.by_cells import settle_by_cells
from tidewind.core.order_rows.columns import guess_columns, header_row, still_needed
from tidewind.core.order_rows.figures import Units, decimal_sign
from tidewind.core.order_rows.reading import RowOrder, read_orders
from tidewind.core.order_rows.unread import unread_columns
from tidewind.outside.spreadsheets import read_sheet

CORPUS = Path(__file__).parent / "corpus"
FILES = tuple(
    f"foreign_files{which}.txt"
    for which in ("", "_second", "_third", "_fourth", "_fifth", "_sixth", "_seventh", "_eighth", "_ninth")
)


class Verdict(NamedTuple):
    """One order of one file: ``right``, ``marked`` (asked or kept back though it could be read) or ``wrong``."""

    file: str
    order: str
    kind: str
    words: str


def cases() -> list[tuple[str, str, list[str]]]:
    """Return each file's name, its text and what must come of it."""
    made = []
    for part in "\n".join((CORPUS / file).read_text("utf-8") for file in FILES).split("=== ")[1:]:
        name, _, rest = part.partition("\n")
        lines = rest.splitlines()
        made.append(
            (
                name,
                "\n".join(x for x in lines if not x.startswith("--- ")),
                [x[4:] for x in lines if x.startswith("--- ")],
            )
        )
    return made


def _facts(order: RowOrder) -> dict[str, str]:
    line, where = order.lines[0], order.address
    return {
        "name": where.name, "street": where.street, "extra": where.extra, "postcode": where.postcode, "city": where.city,
        "price": str(line.unit_price), "weight": str(line.weight_g), "quantity": str(line.quantity),
        "lines": str(len(order.lines)), "note": order.note,
        "skus": ", ".join(f"{ln.sku} x{ln.quantity}" for ln in order.lines),
        "ordered": _day(order, "ordered_on"), "deliver": _day(order, "deliver_by"),
    }  # fmt: skip


def _day(order: RowOrder, name: str) -> str:
    day = getattr(order, name, None)
    return "not read" if not hasattr(order, name) else day.isoformat() if day else ""


def verdicts(name: str, text: str, wanted: list[str]) -> list[Verdict]:
    sheet = read_sheet(text.encode(), "f.xls" if text.startswith("<") else "f.csv")
    top = header_row(sheet.rows)
    heads = sheet.rows[top]
    columns = settle_by_cells(guess_columns(heads), heads, sheet.rows[top + 1 :])
    missing = still_needed(columns)
    rows = [(top + 2 + n, row) for n, row in enumerate(sheet.rows[top + 1 :])]
    at = columns.get("unit_price")
    prices = [row[at] for _, row in rows if at is not None and len(row) > at]
    orders, faults = read_orders(rows, columns, Units("EUR", decimal=decimal_sign(prices)), heads)
    found, told = {o.number: o for o in orders}, {f.row for f in faults}
    asked = [one.heading for one in unread_columns(heads, columns, rows) if one.asked]
    made = []
    for line in wanted:
        what, number, *rest = line.split(" ", 2)
        order = found.get(number)
        if what == "asked":
            made.append(Verdict(name, number, "right" if number in missing else "wrong", f"asked for {missing}"))
        elif what in {"kept", "none"}:
            # What must not go is kept back, or the file is not imported before its column is answered: both are right.
            kind = "right" if order is None or _says(order, asked, heads, rows) else "wrong"
            made.append(Verdict(name, number, kind, f"{asked} {order and _facts(order)}"))
        elif missing or order is None:
            made.append(Verdict(name, number, "marked" if missing or told else "wrong", f"{missing} {faults}"))
        else:
            facts = _facts(order)
            off = [p for p in rest[0].split("; ") if facts[p.partition("=")[0]] != p.partition("=")[2]]
            kind = "right" if not off else "marked" if _says(order, asked, heads, rows) else "wrong"
            made.append(Verdict(name, number, kind, f"{asked} wanted {off}, found {facts}"))
    return made


def _says(
    order: RowOrder, asked: Sequence[str], heads: Sequence[str], rows: Sequence[tuple[int, Sequence[str]]]
) -> bool:
    """Tell whether a column that is asked about says anything of this order: no other question can mend it."""
    at = [n for n, head in enumerate(heads) if head.strip() in asked]
    return any(n < len(cells) and cells[n].strip() for number, cells in rows if number in order.rows for n in at)


def score() -> tuple[Counter[str], list[Verdict]]:
    """Return how many orders came out how, and the verdicts on all that did not come out right."""
    every = [verdict for case in cases() for verdict in verdicts(*case)]
    return Counter(v.kind for v in every), [v for v in every if v.kind != "right"]


if __name__ == "__main__":
    counts, bad = score()
    for one in bad:
        print(f"{one.kind}: {one.file}: {one.order}: {one.words[:200]}")
    whole = sum(counts.values())
    print(
        f"{len(cases())} files;",
        *(f"{k} {counts[k]} of {whole} ({100 * counts[k] / whole:.1f} %)" for k in ("right", "marked", "wrong")),
    )
