"""What a parcel needs to cross a border: facts, numbers, papers, licences; each with its why and how it stands."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import field
from typing import Literal

from tidewind.core.customs.codes import bad_form
from tidewind.core.customs.declaration import Declaration, Item
from tidewind.core.customs.duties import Estimate, Journey
from tidewind.core.customs.numbers import KINDS, bad_number
from tidewind.core.customs.tables import Forbidden, Number, Paper, Tables, among, reach
from tidewind.core.customs.vague import why_vague
from tidewind.core.frozen import frozen
from tidewind.core.quantities import money_text, weight_text
from tidewind.core.snags import Fix, Snag

Standing = Literal["there", "made", "missing", "never"]
"""It is there; we make it with the label; it is missing; or such goods never go there."""


@frozen
class Known:
    """What the shop has: its own numbers by kind, its brand, and the papers and number given for this shipment."""

    numbers: Mapping[str, str] = field(default_factory=dict)
    recipient_number: str = ""
    papers: Mapping[str, str] = field(default_factory=dict)
    brand: str = ""


@frozen
class Need:
    """One thing that is needed: its kind, how many copies, why, and how it stands."""

    kind: str
    words: str
    why: str
    standing: Standing
    copies: int = 0
    stops: bool = False
    fix: Fix = "none"
    about: str = ""
    source: str = ""


def needs_of(declared: Declaration, journey: Journey, tables: Tables, known: Known, due: Estimate) -> tuple[Need, ...]:
    """Return all that is needed: the facts of the goods, what their way asks for, the papers that lower what is due.

    Documents need none of it (UPU Convention, article 20; goods of no value to customs).
    """
    if declared.purpose == "documents":
        return ()
    less = (
        Need("origin_statement", NAMES["origin_statement"], f"no duty by the {name}", "made", copies=1)
        for name in due.agreements
    )
    return (*fact_needs(declared.items, known.brand), *way_needs(declared, journey, tables, known), *less)


def way_needs(declared: Declaration, journey: Journey, tables: Tables, known: Known) -> Iterator[Need]:
    """Yield what the way across the border asks for, whatever is due there: no forbidden goods, numbers, papers."""
    if declared.purpose == "documents":
        return
    there = tables.there(journey.to, journey.day)
    if not there.places:
        # Tables that say nothing ask for nothing: that must not read as if nothing were missing.
        words, why = f"The customs tables say nothing of {journey.to}", "what it needs is to be found out by hand"
        yield Need("unknown_destination", words, why, "missing")
    yield from _forbidden(declared, journey, there)
    yield from _numbers(declared, journey, there, known)
    yield from _papers(declared, journey, there, known)


def snags_of(needs: Iterable[Need]) -> list[Snag]:
    """Return what is missing as snags, each with the fix that a person can make."""
    return [
        Snag(need.kind, "stops" if need.stops else "warns", f"{need.words}: {need.why}", need.fix, need.about)
        for need in needs
        if need.standing in {"missing", "never"}
    ]


def fact_needs(items: Iterable[Item], brand: str = "") -> Iterator[Need]:
    """Return what customs asks of the goods themselves and is not said."""
    for item in items:

        def missing(kind: str, words: str, why: str, sku: str = item.sku) -> Need:
            return Need(kind, words, why, "missing", stops=True, fix="product_customs", about=sku)

        name = f"“{item.name}”"
        if not item.text:
            yield missing("no_customs_text", f"{name} has no customs description", "customs is told what it is")
        elif why := why_vague(item.text, brand):
            yield missing("vague_customs_text", f"“{item.text}” is too vague for customs", "; ".join(why))
        if not item.hs_code:
            yield missing("no_hs_code", f"{name} has no customs code", "six digits are asked for everywhere")
        elif wrong := bad_form(item.hs_code):
            yield missing("bad_hs_code", f"{item.hs_code} is no customs code", wrong)
        if not item.origin:
            yield missing("no_origin", f"{name} has no origin", "customs asks where it was made")
        if item.value_minor <= 0:
            words = f"{name} is worth nothing"
            why_not = "customs takes no value of nothing; say one under Change the declaration"
            yield Need("no_value", words, why_not, "missing", stops=True)


def _forbidden(declared: Declaration, journey: Journey, tables: Tables) -> Iterator[Need]:
    for row in tables.forbidden:
        if row.by and journey.by not in row.by:
            continue
        for item in declared.items:
            if _hit(row, item.hs_code, item.contents):
                words = f"“{item.name}” cannot go to {journey.to}"
                yield Need("forbidden_goods", words, row.words, "never", stops=True, fix="service", source=row.source)


def _hit(row: Forbidden, code: str, contents: Collection[str]) -> bool:
    by_code = bool(row.codes) and reach(code, row.codes) >= 0
    return by_code or bool(set(row.contents).intersection(contents))


def _within(row: Number | Paper, declared: Declaration, journey: Journey, tables: Tables) -> str | None:
    """Return why a row's limits of value hold, or None where they do not."""
    if row.purposes and declared.purpose not in row.purposes:
        return None
    if not among(journey.leaves, row.leaves):
        return None
    if row.over_minor is None and row.up_to_minor is None:
        return ""
    worth = tables.convert(declared.goods_minor, declared.currency, row.currency, journey.day)
    if worth is None:
        return f"no rate of {row.currency} is known, so it is asked for"
    if row.over_minor is not None and worth <= row.over_minor:
        return None
    if row.up_to_minor is not None and worth > row.up_to_minor:
        return None
    side, limit = ("over", row.over_minor) if row.over_minor is not None else ("up to", row.up_to_minor)
    return f"goods {side} {money_text(limit or 0, row.currency)}"


def _numbers(declared: Declaration, journey: Journey, tables: Tables, known: Known) -> Iterator[Need]:
    for row in tables.numbers:
        within = _within(row, declared, journey, tables)
        if within is None:
            continue
        ours = row.who == "sender"
        given = [known.numbers.get(kind, "") for kind in row.kinds] if ours else [known.recipient_number]
        fits = any(n and kind in KINDS and not bad_number(kind, n) for n in given for kind in row.kinds)
        name = " or ".join(row.kinds)
        fix: Fix = "customs_numbers" if ours else "customs"
        why = ", ".join(part for part in (row.words, within) if part)
        if not fits and any(given):
            why = f"{why}; {bad_number(row.kinds[0], next(n for n in given if n))}"
        yield Need(
            "sender_number" if ours else "recipient_number",
            f"{'Our' if ours else 'The recipient’s'} {name} number",
            why,
            "there" if fits else "missing",
            stops=row.stops,
            fix=fix,
            about=name,
            source=row.source,
        )


def _papers(declared: Declaration, journey: Journey, tables: Tables, known: Known) -> Iterator[Need]:
    for row in tables.papers:
        within = _within(row, declared, journey, tables)
        fits = within is not None and (not row.by or journey.by in row.by) and journey.parcels > row.parcels_over
        if not fits or (row.over_g is not None and declared.gross_g <= row.over_g):
            continue
        goods = [item for item in declared.items if reach(item.hs_code, row.codes) >= 0] if row.codes else []
        if row.codes and not goods:
            continue
        why = [row.words, within or ""]
        if row.over_g is not None:
            why.append(f"over {weight_text(row.over_g)}")
        if goods:
            why.append(", ".join(item.name for item in goods[:3]))
        made: Standing = "there" if known.papers.get(row.kind) else "missing"
        if row.made_by != "authority":
            made = "made"
        number = row.needs_number and not known.numbers.get(row.needs_number)
        yield Need(
            row.kind,
            NAMES.get(row.kind, row.kind.replace("_", " ").capitalize()),
            ", ".join(part for part in why if part),
            "missing" if number else made,
            copies=row.copies,
            stops=row.made_by == "authority" or bool(number),
            fix="customs_numbers" if number else "customs",
            about=row.needs_number if number else row.kind,
            source=row.source,
        )


NAMES = {
    "cn22": "CN22",
    "cn23": "CN23",
    "invoice": "Commercial invoice",
    "pro_forma": "Pro forma invoice",
    "packing_list": "Packing list",
    "origin_statement": "Statement of origin",
    "export_declaration": "Export declaration",
    "phytosanitary": "Phytosanitary certificate",
    "health_certificate": "Health certificate",
    "cites": "CITES permit",
    "import_permit": "Import permit",
    "licence": "Export licence",
    "returned_goods": "Proof of the first export",
}
