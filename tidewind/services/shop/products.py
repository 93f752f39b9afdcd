"""The product catalogue: search, edit one or many, CSV and XLSX both ways; open orders follow every change."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from contextlib import nullcontext
from datetime import datetime
from functools import partial
from typing import Any

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import tidy
from tidewind.core.addresses.countries import country_code
from tidewind.core.bench.codes import collides
from tidewind.core.consignments import CONTENTS
from tidewind.core.customs.codes import bad_form
from tidewind.core.order_rows.figures import read_money, read_weight
from tidewind.core.product_columns import Read, read_headings, read_side
from tidewind.core.quantities import amount_text
from tidewind.db.bulk import Columns
from tidewind.db.tables import OrderLine, Product, RecipeRow
from tidewind.outside.sheets_out import to_csv, to_xlsx
from tidewind.outside.spreadsheets import SpreadsheetError, read_sheet
from tidewind.services.base import Invalid, NotFound
from tidewind.services.planning import Scope, replan_some, shop_settings
from tidewind.services.shop.left_to_sell import levels_stay

COLUMNS = (
    "sku", "name", "barcode", "weight_g", "length_mm", "width_mm", "height_mm", "value", "customs_text", "material",
    "used_for", "hs_code", "origin", "shelf", "recipe", "own_box", "upright", "no_weekend", "not_stackable",
    "contents", "tags", "serial", "parts",
)  # fmt: skip
_FLAGS = ("own_box", "upright", "no_weekend", "not_stackable", "serial")
_LISTS = ("contents", "tags", "parts")
_SIDES = ("length_mm", "width_mm", "height_mm")
_LONGEST = {
    "name": 200,
    "customs_text": 200,
    "material": 120,
    "used_for": 120,
    "barcode": 40,
    "hs_code": 12,
    "shelf": 20,
    "recipe": 40,
}
MOST_PRODUCTS = 50_000


def find_products(
    session: Session, text: str = "", after: str = "", limit: int = 200, missing: bool = False
) -> tuple[Sequence[Product], int]:
    """Return products after a SKU that hold every word typed, and how many match in all.

    ``missing`` keeps to those without weight or size.
    """
    query = select(Product)
    for word in tidy(text).lower()[:80].split():
        fields = (Product.sku, Product.name, Product.barcode, Product.hs_code, Product.shelf)
        query = query.where(or_(*(func.lower(f).contains(word, autoescape=True) for f in fields)))
    if missing:
        query = query.where(or_(Product.weight_g.is_(None), Product.length_mm.is_(None)))
    total = session.scalar(select(func.count()).select_from(query.subquery())) or 0
    return session.scalars(query.where(Product.sku > after).order_by(Product.sku).limit(min(limit, 500))).all(), total


def get_product(session: Session, sku: str) -> Product:
    """Return a product.  Raises NotFound."""
    row = session.scalar(select(Product).where(Product.sku == sku))
    if row is None:
        raise NotFound("unknown_sku", f"No product has the SKU {sku}.")
    return row


def product_of_code(session: Session, forms: Sequence[str]) -> Product | None:
    """Return the product that a scanned code means, by its barcode or its SKU; None where there is none."""
    wanted = select(Product).where(Product.barcode.in_(forms) | Product.sku.in_(forms))
    return session.scalars(wanted.order_by(Product.id).limit(1)).first()


def edit_products(session: Session, skus: Sequence[str], changes: Mapping[str, Any], now: datetime) -> int:
    """Change the same fields of one product or many; return how many waiting orders follow: at once where
    they are few, else in the background.

    Raises Invalid for what cannot be, NotFound for an unknown SKU.  Nothing is changed then.
    """
    _check(session, changes)
    rows = session.scalars(select(Product).where(Product.sku.in_(skus)).order_by(Product.sku).with_for_update()).all()
    missing = set(skus) - {row.sku for row in rows}
    if missing:
        raise NotFound("unknown_sku", f"No product has the SKU {min(missing)}.")
    with levels_stay(session) if "parts" in changes else nullcontext():
        for row in rows:
            for name, value in changes.items():
                setattr(row, name, value)
    what = rows[0].name if len(rows) == 1 else f"{len(rows):,} products"
    return _follow(session, skus, f"{what}: facts were changed", now)


MOST_NAMED = 500
"""A change to more products than this looks at every waiting order instead of naming them."""


def _follow(session: Session, skus: Collection[str], words: str, now: datetime) -> int:
    """Let the waiting orders follow a change to products; return how many there are to plan anew."""
    if not skus:
        return 0
    scope = Scope(skus=tuple(sorted(skus))) if len(skus) <= MOST_NAMED else Scope()
    return replan_some(session, words, now, scope)


def _check(session: Session, changes: Mapping[str, Any]) -> None:
    unknown = set(changes) - ({*COLUMNS, "value_minor"} - {"sku", "value"})
    if unknown:
        raise Invalid("unknown_field", f"A product has no {min(unknown)}.")
    recipe = changes.get("recipe")
    if recipe and session.scalar(select(RecipeRow.id).where(RecipeRow.code == recipe)) is None:
        raise Invalid("unknown_recipe", f"There is no recipe “{recipe}”.")
    if collides(str(changes.get("barcode") or "")):
        raise Invalid("barcode", "The bench would take this barcode for one of a code sheet. Use another.")
    origin = changes.get("origin")
    if origin and country_code(origin) != origin:
        raise Invalid("unknown_country", f"“{origin}” is no country code (ISO 3166, two letters).")


def _row(product: Product, currency: str) -> list[object]:
    def cell(name: str) -> object:
        if name == "value":
            return amount_text(product.value_minor, currency)
        value = getattr(product, name)
        if name in _LISTS:
            return _listed(value)
        return ("yes" if value else "") if name in _FLAGS else value

    return [cell(name) for name in COLUMNS]


def _listed(words: Sequence[str]) -> str:
    """Return words for one cell, parted by semicolons: a word may have spaces in it."""
    return "; ".join(words) + (";" if len(words) == 1 and " " in words[0] else "")


def products_file(session: Session, kind: str) -> bytes:
    """Return the whole catalogue as ``csv`` or ``xlsx``."""
    currency = shop_settings(session).currency
    rows = (_row(p, currency) for p in session.scalars(select(Product).order_by(Product.sku)))
    return to_xlsx(COLUMNS, rows) if kind == "xlsx" else to_csv(COLUMNS, rows)


def _sheet_of(file_name: str, data: bytes) -> tuple[Sequence[Sequence[str]], Read]:
    """Return the rows below the headings, and what these say."""
    try:
        sheet = read_sheet(data, file_name)
    except SpreadsheetError as error:
        raise Invalid("unreadable_file", str(error)) from error
    heads = read_headings(sheet.rows[0] if sheet.rows else [], COLUMNS)
    if "sku" not in heads.at:
        raise Invalid("no_sku", f"The first row must name the columns; known are {', '.join(COLUMNS)}.")
    if len(sheet.rows) > MOST_PRODUCTS:
        raise Invalid("too_long", f"At most {MOST_PRODUCTS:,} products are brought in at once.")
    return sheet.unharmed_rows[1:], heads


def bring_in_products(session: Session, file_name: str, data: bytes, now: datetime) -> tuple[int, int, list[str]]:
    """Bring products in from CSV or XLSX; return how many were new, how many changed, and what was wrong, by row.

    Only columns that are there are changed, so a file with SKU and weight is enough.  A bad row is left out whole.
    Headings that are not known, and measures without a unit, are named.  Raises Invalid for a file that cannot be read
    or has no SKU column.
    """
    rows, heads = _sheet_of(file_name, data)
    with levels_stay(session) if "parts" in heads.at else nullcontext():
        made, changed, wrong, fresh = _take_rows(session, file_name, rows, heads)
    _follow(session, fresh, f"Products were brought in from {file_name[:60]}", now)
    return made, changed, [*_not_read(heads), *wrong][:100]


def _not_read(heads: Read) -> list[str]:
    """Return in words which columns were left alone, and why."""
    said = []
    if heads.without_unit:
        named = ", ".join(f"“{name}”" for name in heads.without_unit)
        said.append(
            f"Not read: {named}, which name no unit. Write it behind: weight oz, weight kg, length cm, length in"
        )
    if heads.unknown:
        said.append(
            f"Not read, since no product has these: {', '.join(f'“{name:.40}”' for name in heads.unknown[:12])}"
        )
    return said


def _take_rows(
    session: Session, file_name: str, rows: Sequence[Sequence[str]], heads: Read
) -> tuple[int, int, list[str], set[str]]:
    """Write what rows say of products; return how many are new, how many changed, what is wrong, and the SKUs."""
    known = {p.sku: p for p in session.scalars(select(Product))}
    recipes, currency = set(session.scalars(select(RecipeRow.code))), shop_settings(session).currency
    made, changed, wrong, fresh = 0, [], [], set[str]()
    for number, cells in enumerate(rows, 2):
        written = {name: tidy(cells[i]) if i < len(cells) else "" for name, i in heads.at.items()}
        if not any(written.values()):
            continue
        sku = written.pop("sku")[:60]
        try:
            values = _values(written, recipes, currency, heads.units)
        except ValueError as error:
            wrong.append(f"Row {number} {error}")
            continue
        if not sku or collides(sku):
            words = f"has the SKU “{sku}”, which the bench would take for a code sheet's" if sku else "has no SKU"
            wrong.append(f"Row {number} {words}")
            continue
        if sku not in known:
            known[sku] = Product(sku=sku, name=sku, contents=[], tags=[], learned_from=f"file {file_name}"[:60])
            session.add(known[sku])
            made += 1
        else:
            changed.append(sku)
        fresh.add(sku)
        for name, value in values.items():
            setattr(known[sku], name, value)
    return made, len(changed), wrong, fresh


def _values(written: Mapping[str, str], recipes: set[str], currency: str, units: Mapping[str, str]) -> Columns:
    """Return the fields of a row as values.  Raises ValueError with words that follow “Row 7”."""
    values: Columns = {}
    for name, text in written.items():
        if name == "value":
            values["value_minor"] = _read(partial(read_money, currency=currency), text, "value", "a price like 4.90")
        elif name == "barcode" and collides(text):
            raise ValueError(f"has the barcode “{text:.40}”, which the bench would take for a code sheet's")
        elif name == "recipe" and text and text not in recipes:
            raise ValueError(f"names the recipe “{text:.40}”, which does not exist")
        elif name != "name" or text:
            values[name] = _cell(name, text, units.get(name, ""))
    return values


def _cell(name: str, text: str, unit: str) -> Any:
    if name == "weight_g":
        return _read(partial(read_weight, unit=unit or "g"), text, "weight", "a weight like 250 or 0.25 kg")
    if name in _SIDES:
        wanted = f"{name.replace('_mm', '')} in {unit or 'mm'}"
        return _read(partial(read_side, unit=unit or "mm"), text, wanted, "a figure from 1 mm to 10 m")
    if name in _FLAGS:
        return _yes_or_no(text)
    if name in _LISTS:
        words = re.split(r"[;,]", text) if re.search("[;,]", text) else text.split()
        found = {tidy(word)[:40] for word in words} - {""}
        if name == "contents" and (unknown := found - set(CONTENTS)):
            raise ValueError(f"has the contents “{min(unknown):.20}”; known are {', '.join(CONTENTS)}")
        return sorted(found)[:20]
    if name == "origin" and text:
        code = country_code(text)
        if code is None:
            raise ValueError(f"has “{text:.20}” where a country is expected")
        return code
    return text[: _LONGEST.get(name, 120)]


_YES = frozenset((
    "yes", "y", "true", "1", "x", "sim", "s", "sí", "si", "oui", "ja", "j", "tak", "ano", "áno", "igen", "kyllä", "ναι",
    "да", "はい", "是", "wahr", "vrai", "verdadero",
))  # fmt: skip
_NO = frozenset((
    "no", "n", "false", "0", "não", "nao", "non", "nein", "nee", "nej", "nei", "nie", "ne", "nem", "ei", "όχι", "нет",
    "いいえ", "否", "falsch", "faux", "falso",
))  # fmt: skip


def _yes_or_no(text: str) -> bool:
    word = text.strip(" .-–").lower()
    if word and word not in _YES | _NO:
        raise ValueError(f"has “{text:.20}” where yes or no is expected")
    return word in _YES


def _read(parse: Any, text: str, what: str, wanted: str) -> Any:
    try:
        return parse(text)
    except ValueError:
        raise ValueError(f"has “{text:.20}” as its {what}; {wanted} is expected") from None


def set_product_facts(
    session: Session, sku: str, facts: Columns, sides_mm: tuple[int, int, int] | None, now: datetime
) -> int:
    """Say something about a product once, for all its orders; return how many follow.

    Raises NotFound for an unknown SKU, Invalid for a customs code of a wrong form.
    """
    product = session.scalar(select(Product).where(Product.sku == sku).with_for_update())
    if product is None:
        name = session.scalar(select(OrderLine.name).where(OrderLine.sku == sku).limit(1))
        if name is None:
            raise NotFound("unknown_sku", f"No product and no order has the SKU {sku}.")
        product = Product(sku=sku, name=name or sku, contents=[], tags=[])
        session.add(product)
    if wrong := facts.get("hs_code") and bad_form(facts["hs_code"]):
        raise Invalid("bad_code", f"{facts['hs_code']} is no customs code: {wrong}.")
    for name, value in facts.items():
        if value is not None:
            setattr(product, name, value)
    if sides_mm is not None:
        product.length_mm, product.width_mm, product.height_mm = sides_mm
    session.flush()
    return _follow(session, [sku], f"{product.name}: facts were changed", now)
