"""Claims for parcels that were lost or damaged: opened, read before they go, sent, settled."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from fastapi import APIRouter
from pydantic import Field

from tidewind.core.states.claims import ClaimMove
from tidewind.db.tables import Claim
from tidewind.services.follow import all_claims, claim_letter, open_claim, send_claim, settle_claim
from tidewind.web.access import Anyone, Care, Now, Parts, Tx
from tidewind.web.base.schemas import In, MailTo, Out
from tidewind.web.follow.following_schemas import LetterOut

router = APIRouter(prefix="/api", tags=["claims"])
MOVES = {"paid": ClaimMove.PAY, "refused": ClaimMove.REFUSE, "dropped": ClaimMove.DROP}


class ClaimIn(In):
    """A claim for a shipment."""

    shipment_id: int
    kind: Literal["lost", "damaged"]


class SendClaimIn(In):
    """To whom a claim goes."""

    mail_to: MailTo


class SettleClaimIn(In):
    """What became of a claim; an amount where it was paid."""

    outcome: Literal["paid", "refused", "dropped"]
    paid_minor: Annotated[int, Field(ge=0, le=100_000_000)] = 0
    words: Annotated[str, Field(max_length=500)] = ""


class ClaimOut(Out):
    """A claim and where it stands."""

    id: int
    shipment_id: int
    order_id: int
    order_number: str
    carrier: str
    kind: str
    state: str
    amount_minor: int
    claim_by: date
    opened_by: str
    mail_to: str
    sent_at: datetime | None
    paid_minor: int
    words: str


@router.get("/claims")
def claims(_who: Anyone, session: Tx) -> list[ClaimOut]:
    """Return the claims, those that wait first, by their deadline."""
    return [_out(row) for row in all_claims(session)]


@router.post("/claims", status_code=201)
def open_one(body: ClaimIn, who: Care, session: Tx, now: Now) -> ClaimOut:
    """Open a claim: what is asked for and until when."""
    return _out(open_claim(session, body.shipment_id, body.kind, who.name, now))


@router.get("/claims/{claim_id}/letter")
def letter(claim_id: int, _who: Care, session: Tx) -> LetterOut:
    """Return a claim as it would go by mail."""
    found = claim_letter(session, claim_id)
    return LetterOut(to=found.to, language="en", subject=found.subject, body=found.body)


@router.post("/claims/{claim_id}/send")
def send(claim_id: int, body: SendClaimIn, who: Care, session: Tx, parts: Parts, now: Now) -> ClaimOut:
    """Send a claim by mail, with its label."""
    return _out(send_claim(session, parts.outside, claim_id, body.mail_to, who.name, now))


@router.post("/claims/{claim_id}/settle")
def settle(claim_id: int, body: SettleClaimIn, who: Care, session: Tx, now: Now) -> ClaimOut:
    """Write down what became of a claim; what was paid goes into the ledger."""
    move = MOVES[body.outcome]
    return _out(settle_claim(session, claim_id, move, body.paid_minor, body.words, who.name, now))


def _out(row: Claim) -> ClaimOut:
    order, names = row.shipment.order, ("id", "shipment_id", "kind", "state", "amount_minor", "claim_by")
    said = {name: getattr(row, name) for name in (*names, "opened_by", "mail_to", "sent_at", "paid_minor", "words")}
    return ClaimOut(order_id=order.id, order_number=order.number, carrier=row.shipment.carrier, **said)
