"""What is kept as JSON, or said to a carrier as JSON, comes back as it went, whatever its fields say."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.run.length import examples
from tidewind.core.addresses.check import Address
from tidewind.core.consignments import Consignment, Goods, Parcel, Route, Size, read_consignment, write_consignment
from tidewind.core.customs.planned import Border
from tidewind.core.customs.said import NOTHING_SAID, CustomsSaid, ItemSaid, read_said, write_said
from tidewind.core.customs.written import read_border, write_border
from tidewind.core.order_facts import BillTo, Hand, HandParcel
from tidewind.core.printing import PrinterFacts, read_facts, write_facts
from tidewind.core.stored import (
    StoredParcel,
    StoredPlan,
    StoredQuote,
    read_address,
    read_bill_to,
    read_hand,
    read_parcel,
    read_plan,
    read_quote,
    write_address,
    write_bill_to,
    write_hand,
    write_parcel,
    write_plan,
    write_quote,
)

SIDES = st.tuples(*[st.integers(1, 3_000)] * 3).map(lambda sides: Size.of(*sides))
PARCELS = st.builds(Parcel, st.integers(1, 70_000), SIDES, st.sampled_from((None, "box-m")), st.booleans())
CONSIGNMENTS = st.builds(
    Consignment,
    st.from_type(Route),
    st.from_type(Goods),
    st.lists(PARCELS, min_size=1, max_size=3).map(tuple),
    st.frozensets(st.sampled_from(("signature", "saturday"))),
)
WORDS = st.text(max_size=8)
SAID = st.builds(
    CustomsSaid,
    papers=st.dictionaries(st.sampled_from(("cites", "licence")), WORDS, max_size=2),
    items=st.dictionaries(st.integers(1, 99).map(str), st.from_type(ItemSaid), max_size=2),
)
NUMBERS = st.text("0123456789A", min_size=1, max_size=9)
PAYERS = st.builds(BillTo, st.sampled_from(("recipient", "third_party")), NUMBERS)
OWN = st.builds(HandParcel, st.lists(st.tuples(st.integers(1, 99).map(str), st.integers(1, 9))).map(tuple))
HANDS = st.builds(
    Hand,
    parcels=st.lists(OWN, max_size=2).map(tuple),
    bill_to=st.one_of(st.none(), PAYERS),
    customs=st.one_of(st.none(), SAID.filter(lambda said: said != NOTHING_SAID)),  # to say nothing is kept as None
)
FORMS: dict[str, tuple[st.SearchStrategy[Any], Callable[[Any], Any], Callable[[Any], Any]]] = {
    "address": (st.from_type(Address), write_address, read_address),
    "parcel": (st.from_type(StoredParcel), write_parcel, read_parcel),
    "quote": (st.from_type(StoredQuote), write_quote, read_quote),
    "plan": (st.from_type(StoredPlan), write_plan, read_plan),
    "hand": (HANDS, write_hand, read_hand),
    "who pays": (st.one_of(PAYERS, st.just(BillTo())), write_bill_to, read_bill_to),
    "customs said": (SAID, write_said, read_said),
    "border": (st.from_type(Border), write_border, read_border),
    "printer": (st.from_type(PrinterFacts), write_facts, read_facts),
    "consignment": (CONSIGNMENTS, write_consignment, read_consignment),
}


@pytest.mark.parametrize("form", FORMS)
@settings(max_examples=examples(20), deadline=None)
@given(st.data())
def test_it_comes_back_as_it_went(form: str, data: st.DataObject) -> None:
    values, write, read = FORMS[form]
    value = data.draw(values)
    written = json.loads(json.dumps(write(value), allow_nan=False))
    assert read(written) == value
    assert json.loads(json.dumps(write(read(written)))) == written
