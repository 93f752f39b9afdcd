"""The checks that the migrations left in the database name the states that the core knows, no more and no less."""

from __future__ import annotations

import re

import pytest
from sqlalchemy import text
from sqlalchemy.orm import Session

from tidewind.core.states.departures import DepartureState
from tidewind.core.states.imports import ImportState
from tidewind.core.states.labels import LabelState
from tidewind.core.states.orders import OrderStanding, OrderState
from tidewind.core.states.prints import PrintState
from tidewind.core.states.returns import ReturnState


def words_in(session: Session, name: str) -> list[str]:
    query = "select coalesce((select pg_get_constraintdef(oid) from pg_constraint where conname = :n), (select indexdef from pg_indexes where indexname = :n))"
    return re.findall(r"'([a-z_]*)'", session.execute(text(query), {"n": name}).scalar_one())


@pytest.mark.parametrize(
    ("name", "states"),
    [
        ("ck_customer_order_state", OrderState),
        ("ck_shipment_state", LabelState),
        ("ck_departure_state", DepartureState),
        ("ck_parcel_return_state", ReturnState),
        ("ck_import_file_state", ImportState),
        ("ck_print_job_state", PrintState),
        ("uq_shipment_live", LabelState.COUNTS),
        ("uq_parcel_return_live", ReturnState.COUNTS),
    ],
)
def test_checks_name_the_states(session: Session, name: str, states: object) -> None:
    assert sorted(words_in(session, name)) == sorted(map(str, states))  # type: ignore[call-overload]


def test_an_order_stands_where_the_core_says(session: Session) -> None:
    found = words_in(session, "ck_customer_order_standing")
    assert sorted(zip(found[::2], found[1::2], strict=True)) == sorted(
        (s.value[0].value, s.value[1]) for s in OrderStanding
    )
