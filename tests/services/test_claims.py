"""Claims from the loss to the books: the deadline, the letter, the money; what cannot be claimed."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from datetime import date, timedelta
from typing import get_args

import httpx
import pytest
from sqlalchemy import select

from tests.conftest import Clock
from tests.services.steps import books
from tests.services.test_after_the_purchase import bought
from tests.services.test_messages import hear
from tidewind.core.claiming import ClaimKind, claim_by, claimed, share_of_price
from tidewind.core.states.claims import CLAIM_MOVES, ClaimMove, ClaimState
from tidewind.core.tracking.states import TrackingState
from tidewind.core.tracking.troubles import ORDER
from tidewind.db.tables import CarrierRow, Claim, Label, Shipment
from tidewind.outside.carrier import CarrierEvent
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.follow import all_claims, claim_letter, open_claim, send_claim, settle_claim, take_events
from tidewind.services.follow.texts import languages
from tidewind.settings import DATA
from tidewind.standins.world import World
from tidewind.web.access import Wiring


@pytest.mark.parametrize(
    ("kind", "own", "last"),
    [
        ("lost", None, date(2026, 12, 1)),
        ("damaged", None, date(2026, 11, 8)),
        ("lost", 60, date(2026, 12, 31)),
        ("damaged", 0, date(2026, 11, 1)),
    ],
)
def test_the_last_day_for_a_claim(kind: str, own: int | None, last: date) -> None:
    assert claim_by(kind, date(2026, 11, 1), own) == last  # type: ignore[arg-type]
    assert claimed([(2, 1_890), (1, 0)], 540) == 4_320


@pytest.mark.parametrize(("price", "parcels", "of", "share"), [(540, 2, 2, 540), (541, 1, 2, 271), (100, 1, 3, 33)])
def test_a_share_of_a_label_is_rounded_half_up(price: int, parcels: int, of: int, share: int) -> None:
    assert share_of_price(price, parcels, of) == share


def test_a_claim_names_the_parcel_that_was_lost_and_what_lay_in_it(wiring: Wiring, clock: Clock) -> None:
    (one,) = bought(wiring, 1)
    with wiring.sessions.begin() as session:
        shipment = session.get_one(Shipment, one)
        (first,) = shipment.labels
        line, *_ = shipment.order.lines
        empty = replace(first.parcel, contents=())
        second = Label(
            shipment_id=one,
            parcel_no=2,
            parcel=empty,
            gross_g=400,
            tracking_number="NP-SECOND",
            departure_id=first.departure_id,
        )
        session.add(second)
        session.flush()
        session.refresh(shipment)
        for label, states in ((first, ("moving", "delivered")), (second, ("moving", "lost"))):
            events = [
                CarrierEvent(clock(), TrackingState(s), f"scan {s}", "Évora", id=f"{label.id}{s}") for s in states
            ]
            take_events(session, shipment, {label.id: events}, "http://shop", clock())
        made = open_claim(session, one, "lost", "Rute", clock())
        assert (made.label_ids, made.amount_minor) == ([second.id], share_of_price(shipment.price_minor, 1, 2))
        body = claim_letter(session, made.id).body
        assert "NP-SECOND" in body
        assert (first.tracking_number or "") not in body
        assert line.name not in body  # it lay in the parcel that has come
        assert body.index("scan moving") < body.index("scan lost")


def test_a_claim_can_only_go_forward() -> None:
    assert {s for s in ClaimState if CLAIM_MOVES.final(s)} == {ClaimState.PAID, ClaimState.DROPPED}
    assert not CLAIM_MOVES.may(ClaimState.OPEN, ClaimMove.PAY)


def test_from_the_loss_to_the_books(wiring: Wiring, world: World, clock: Clock) -> None:
    lost, announced, there = bought(wiring, 3)
    hear(wiring, lost, "moving")
    hear(wiring, there, "moving", "delivered")
    with wiring.sessions.begin() as session:
        with pytest.raises(NotFound):
            open_claim(session, 10**9, "lost", "Rute", clock())
        with pytest.raises(Conflict, match="taken over"):
            open_claim(session, announced, "lost", "Rute", clock())
        with pytest.raises(Conflict, match="not lost"):
            open_claim(session, there, "lost", "Rute", clock())
        session.scalars(select(CarrierRow).where(CarrierRow.code == "norvia")).one().claim_days = 45
        shipment = session.get_one(Shipment, lost)
        made = open_claim(session, lost, "lost", "Rute", clock())
        goods = sum(line.quantity * line.unit_price_minor for line in shipment.order.lines)
        assert made.amount_minor == goods + shipment.price_minor
        assert shipment.arrives
        assert made.claim_by == shipment.arrives + timedelta(days=45)
        damaged = open_claim(session, there, "damaged", "Rute", clock())
        assert damaged.claim_by == clock().date() + timedelta(days=45)
        body = claim_letter(session, made.id).body
        assert all(str(line.name) in body for line in shipment.order.lines)
        assert shipment.labels[0].tracking_number in body
        assert "perdeu-se" in body  # Norvia is at home in Portugal; English stands beneath
        assert body.index("Reclamamos") < body.index("— English —") < body.index("We claim")
        assert claim_letter(session, made.id).subject.startswith("Reclamação")
    with wiring.sessions.begin() as session, pytest.raises(Conflict, match="already"):
        open_claim(session, lost, "damaged", "Tomé", clock())
    with wiring.sessions.begin() as session:
        with pytest.raises(Invalid):
            send_claim(session, wiring.outside, made.id, "nobody", "Rute", clock())
        with pytest.raises(Conflict):
            settle_claim(session, made.id, ClaimMove.PAY, 100, "", "Rute", clock())  # it was never sent
    with wiring.sessions.begin() as session:
        send_claim(session, wiring.outside, made.id, "claims@norvia.example", "Rute", clock())
        settle_claim(session, made.id, ClaimMove.REFUSE, 0, "No proof", "Rute", clock())
        send_claim(session, wiring.outside, made.id, "claims@norvia.example", "Rute", clock())
        assert claim_letter(session, damaged.id).to == "claims@norvia.example"  # of the same carrier
        for move, paid in ((ClaimMove.PAY, 0), (ClaimMove.REFUSE, 100)):
            with pytest.raises(Invalid):
                settle_claim(session, made.id, move, paid, "", "Rute", clock())
        settle_claim(session, made.id, ClaimMove.PAY, 2_000, "As agreed", "Rute", clock())
    mails = [m for m in httpx.get(f"{wiring.settings.standins_url}/mail/all").json() if m["paper"]]
    assert [m["recipient"] for m in mails] == ["claims@norvia.example"] * 2
    assert books(wiring)["claims"] == -2_000
    with wiring.sessions.begin() as session:
        assert [c.state for c in all_claims(session)] == ["open", "paid"]
        with pytest.raises(Conflict):
            settle_claim(session, made.id, ClaimMove.PAY, 2_000, "", "Rute", clock())
        assert session.get_one(Claim, made.id).paid_minor == 2_000


def test_every_line_of_a_letter_is_there_in_every_language_with_the_same_fields() -> None:
    lines = json.loads((DATA / "letters.json").read_text("utf-8"))
    for what, by_language in lines.items():
        assert tuple(by_language) == languages(), what
        fields = {language: set(re.findall(r"\{(\w+)\}", text)) for language, text in by_language.items()}
        assert all(found == fields["en"] for found in fields.values()), what
        assert len(set(by_language.values())) >= 4, what
    assert {f"sees_{kind}" for kind in ORDER} <= lines.keys()
    assert {f"claim_{kind}" for kind in get_args(ClaimKind)} <= lines.keys()
