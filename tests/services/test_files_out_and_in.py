"""What goes out as a file comes in again as it was: contacts and products with anything that a name may hold."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from tests.conftest import MONDAY
from tests.run.length import examples
from tidewind.core.addresses.check import Address, tidy, tidy_address
from tidewind.core.bench.codes import collides
from tidewind.core.consignments import CONTENTS
from tidewind.db.tables import Contact, Product
from tidewind.services.shop import (
    bring_in_contacts,
    bring_in_products,
    contacts_as_csv,
    contacts_as_vcards,
    find_contacts,
    products_file,
    save_contact,
)

AWKWARD = [
    "aB9",
    "é",
    "ß",
    "Ł",
    "東",
    "ع",
    "ש",
    "😀",
    ",",
    ";",
    ":",
    "\\",
    '"',
    "'",
    "=",
    "+",
    "-",
    "@",
    "|",
    "#",
    "%",
    "&",
    "<",
    ">",
    "(",
    ")",
    "\t",
    "\n",
    ".",
    "/",
    "_",
    "~",
    "^",
    "`",
    "\xa0",
    "\u2028",
    "́",
]
"""Marks that parts of a file are told apart by, that a spreadsheet reckons with, and letters of several scripts."""


def words(most: int) -> st.SearchStrategy[str]:
    """Texts as a person might paste them, tidied as every field of ours is."""
    pieces = st.lists(
        st.sampled_from([*AWKWARD, " ", "x", "Ana", "\\n", '""', "=1+1", "'", "N/A", "1.5", "007"]), max_size=9
    )
    return pieces.map(lambda some: tidy("".join(some))[:most].strip())


ADDRESSES = st.builds(
    Address,
    name=words(120),
    company=words(120),
    street=words(120),
    extra=words(120),
    city=words(120),
    region=words(120),
    postcode=words(20),
    country=st.sampled_from(["PT", "GB", "JP", ""]),
    phone=words(40),
    email=words(60),
).map(tidy_address)


def told_apart(addresses: list[Address]) -> list[Address]:
    """Return addresses of somebody, of which the book would not take two for the same."""
    found = {
        (a.name.casefold(), a.company.casefold(), a.street.casefold()): a for a in addresses if a.name or a.company
    }
    return list(found.values())


@pytest.mark.parametrize("kind", ["csv", "vcf"])
def test_an_address_book_comes_back_as_it_was(session: Session, kind: str) -> None:
    @settings(suppress_health_check=list(HealthCheck), max_examples=examples(6), phases=[Phase.generate])
    @given(
        st.lists(ADDRESSES, min_size=12, max_size=40).map(told_apart).filter(bool),
        st.lists(words(30), min_size=40, max_size=40),
    )
    def each(addresses: list[Address], codes: list[str]) -> None:
        with session.begin_nested() as inner:
            session.execute(delete(Contact))
            session.expire_all()
            used: set[str] = set()
            for n, (address, code) in enumerate(zip(addresses, codes, strict=False)):
                save_contact(session, None, "" if tidy(code)[:30] in used else code, address, n % 2 == 0)
                used.add(tidy(code)[:30])
            before = in_the_book(session)
            rows = find_contacts(session, "", 99)
            text = contacts_as_csv(rows) if kind == "csv" else contacts_as_vcards(rows)
            session.execute(delete(Contact))
            session.expire_all()
            made, known, odd = bring_in_contacts(session, f"book.{kind}", text.encode())
            assert (made, known, odd) == (len(before), 0, [])
            assert in_the_book(session) == before
            assert bring_in_contacts(session, f"book.{kind}", text.encode())[:2] == (0, len(before))
            inner.rollback()

    each()


def in_the_book(session: Session) -> set[tuple[str | None, Address, bool]]:
    return {(row.code, row.address, row.home) for row in session.scalars(select(Contact))}


PRODUCTS = st.fixed_dictionaries({
    "name": words(200),
    "barcode": words(40).filter(lambda text: not collides(text)),
    "weight_g": st.none() | st.integers(1, 90_000),
    "length_mm": st.none() | st.integers(1, 9_999),
    "width_mm": st.none() | st.integers(1, 9_999),
    "height_mm": st.none() | st.integers(1, 9_999),
    "value_minor": st.integers(0, 9_999_999),
    "customs_text": words(200),
    "material": words(120),
    "used_for": words(120),
    "hs_code": st.sampled_from(["", "820130", "0602904990", "8201.30"]),
    "origin": st.sampled_from(["", "PT", "CN", "NO"]),
    "shelf": words(20),
    "own_box": st.booleans(),
    "upright": st.booleans(),
    "no_weekend": st.booleans(),
    "not_stackable": st.booleans(),
    "serial": st.booleans(),
    "contents": st.lists(st.sampled_from(CONTENTS), unique=True).map(sorted),
    "tags": st.lists(st.sampled_from(["heavy", "not today", "été", "x-1", "a:b", "№5"]), unique=True).map(sorted),
})  # fmt: skip


@pytest.mark.parametrize("kind", ["csv", "xlsx"])
def test_a_catalogue_comes_back_as_it_was(session: Session, kind: str) -> None:
    @settings(suppress_health_check=list(HealthCheck), max_examples=examples(6), phases=[Phase.generate])
    @given(st.lists(PRODUCTS, min_size=8, max_size=25), st.lists(words(60), min_size=25, max_size=25))
    def each(products: list[dict[str, object]], skus: list[str]) -> None:
        with session.begin_nested() as inner:
            session.execute(delete(Product))
            session.expire_all()
            for n, facts in enumerate(products):
                sku = tidy(f"{n} {skus[n]}")[:60].strip()
                session.add(Product(sku=sku, **{**facts, "name": facts["name"] or sku}))
            session.flush()
            before = in_the_catalogue(session)
            data = products_file(session, kind)
            session.execute(delete(Product))
            session.expire_all()
            made, changed, wrong = bring_in_products(session, f"goods.{kind}", data, MONDAY)
            assert (made, changed, wrong) == (len(products), 0, [])
            assert in_the_catalogue(session) == before
            assert products_file(session, kind) == data or kind == "xlsx"  # a workbook says when it was made
            inner.rollback()

    each()


def in_the_catalogue(session: Session) -> dict[str, dict[str, object]]:
    kept = ("sku", "name", "barcode", "weight_g", "length_mm", "width_mm", "height_mm", "value_minor", "customs_text",
            "material", "used_for", "hs_code", "origin", "shelf", "own_box", "upright", "no_weekend", "not_stackable",
            "serial", "contents", "tags")  # fmt: skip
    return {p.sku: {name: getattr(p, name) for name in kept} for p in session.scalars(select(Product))}


def test_one_address_that_holds_every_mark_at_once(session: Session) -> None:
    """The longest fields, each made of every mark: nothing is cut, doubled or taken for another field."""
    everything = tidy("".join(AWKWARD))
    one = Address(*(f"{everything} {n}"[-120:] for n in range(7)), country="PT", phone="+351 1", email="a@b.example")
    one = tidy_address(replace(one, name="Ana; Maria, of \\Sul", postcode=one.postcode[:20]))
    session.execute(delete(Contact))
    session.expire_all()
    save_contact(session, None, "", one, True)
    for name, text in (
        ("b.csv", contacts_as_csv(find_contacts(session, "", 9))),
        ("b.vcf", contacts_as_vcards(find_contacts(session, "", 9))),
    ):
        session.execute(delete(Contact))
        session.expire_all()
        assert bring_in_contacts(session, name, text.encode()) == (1, 0, [])
        assert in_the_book(session) == {(None, one, True)}
