"""Carriers: accounts, services on and off, and the versions of their rate cards."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query, Response, UploadFile

from tidewind.core.tariffs.written import card_schema, write_card
from tidewind.db.tables import CarrierAccount
from tidewind.services import carriers as service
from tidewind.services.live import tell
from tidewind.web.access import Anyone, Now, Owner, Parts, Shipper, Tx
from tidewind.web.files import download, uploaded
from tidewind.web.schemas.carriers import (
    AccountIn,
    AccountOut,
    CardOut,
    ChangedOut,
    ProposalOut,
    ServiceOnCard,
    VersionOut,
)
from tidewind.web.schemas.layers import RehearsalOut, WorkOut

router = APIRouter(prefix="/api", tags=["carriers and rate cards"])
Past = Annotated[bool, Query(description="Over the orders of the last 90 days instead of those waiting")]
_KINDS = {"xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "csv": "text/csv; charset=utf-8",
          "json": "application/json"}  # fmt: skip


def _account(session: Any, row: CarrierAccount, now: Any) -> AccountOut:
    today = service.today_of(session, now)
    versions = service.versions(session, row.code)
    begun = [v for v in versions if v.valid_from <= today]
    shown = begun[0] if begun else versions[0] if versions else None
    card = service.card_of(shown) if shown else None
    zones = {z.id: z.name for z in card.zones} if card else {}
    return AccountOut(
        code=row.code, name=row.name, monogram=row.monogram, account_number=row.account_number, active=row.active,
        asks_prices=row.asks_prices, latin_only=row.latin_only, payer=row.payer, discounts_bp=row.discounts_bp,
        services=[
            ServiceOnCard(code=s.code, name=s.name, kind=s.kind, on=s.code not in row.services_off,
                          zones=[name for z, name in zones.items() if z in s.transit])
            for s in (card.services if card else ())
        ],
        versions=[
            VersionOut(id=v.id, valid_from=v.valid_from, valid_until=v.valid_until, source=v.source,
                       state="in_force" if v is shown and begun else "to_come" if v.valid_from > today else "past")
            for v in versions
        ],
    )  # fmt: skip


def _change(body: AccountIn) -> service.AccountChange:
    return service.AccountChange(**body.model_dump(exclude_unset=True))


@router.get("/carriers")
def all_carriers(_who: Anyone, session: Tx, now: Now) -> list[AccountOut]:
    """Return the carriers with their services and card versions."""
    return [_account(session, row, now) for row in service.accounts(session)]


@router.patch("/carriers/{code}")
def change_carrier(code: str, body: AccountIn, _who: Owner, session: Tx, now: Now) -> WorkOut:
    """Switch services on and off, or set the contract's discounts (basis points by service, zone, or all: `*`)."""
    work = service.change_account(session, code, _change(body), now)
    tell(session, "orders")
    return WorkOut.model_validate(work)


@router.post("/carriers/{code}/rehearse")
def rehearse_carrier(
    code: str, body: AccountIn, _who: Shipper, session: Tx, now: Now, past: Past = False
) -> RehearsalOut:
    """Say what such a change would do to orders; nothing is stored."""
    return RehearsalOut.model_validate(service.rehearse_account(session, code, _change(body), now, past=past))


@router.get("/rate-card/schema")
def schema(_who: Anyone) -> dict[str, Any]:
    """Return the JSON Schema of a rate card."""
    return card_schema()


@router.get("/carriers/{code}/cards/{card_id}")
def get_card(code: str, card_id: int, _who: Anyone, session: Tx) -> CardOut:
    """Return one version of a rate card, as written and as tables."""
    row = service.version(session, code, card_id)
    return CardOut(id=row.id, written=write_card(service.card_of(row)), tables=service.tables(row))


@router.get("/carriers/{code}/cards/{card_id}/file")
def card_file(
    code: str, card_id: int, _who: Shipper, session: Tx, kind: Literal["xlsx", "csv", "json"] = "xlsx"
) -> Response:
    """Return one version as a file; bringing it in again gives the same card."""
    row = service.version(session, code, card_id)
    return download(service.file_of(row, kind), f"{code}-{row.valid_from}.{kind}", _KINDS[kind])


@router.post("/carriers/{code}/cards/check")
def check_card(code: str, file: UploadFile, _who: Shipper, session: Tx, parts: Parts) -> ProposalOut:
    """Say what a card (JSON, XLSX or CSV) would change, or everything that is wrong with it; nothing is stored."""
    name, data = uploaded(file, parts.settings.upload_limit_bytes)
    found = service.propose(session, code, data, name)
    return ProposalOut(
        errors=list(found.errors), changes=[ChangedOut.model_validate(c) for c in found.changes[:500]],
        total_changes=len(found.changes), valid_from=found.card.valid_from if found.card else None,
        against=found.against, ends=found.ends,
    )  # fmt: skip


@router.post("/carriers/{code}/cards/rehearse")
def rehearse_card(
    code: str, file: UploadFile, _who: Shipper, session: Tx, parts: Parts, now: Now, past: Past = False
) -> RehearsalOut:
    """Say what a card would do to orders if it were in force now; nothing is stored."""
    name, data = uploaded(file, parts.settings.upload_limit_bytes)
    return RehearsalOut.model_validate(service.rehearse_card(session, code, data, name, now, past=past))


@router.post("/carriers/{code}/cards", status_code=201)
def bring_in_card(code: str, file: UploadFile, _who: Owner, session: Tx, parts: Parts, now: Now) -> WorkOut:
    """Bring a card in as a new version; refused whole where anything is wrong with it."""
    name, data = uploaded(file, parts.settings.upload_limit_bytes)
    _, work = service.save(session, code, data, name, now)
    tell(session, "orders")
    return WorkOut.model_validate(work)


@router.delete("/carriers/{code}/cards/{card_id}", status_code=204)
def remove_card(code: str, card_id: int, _who: Owner, session: Tx, now: Now) -> None:
    """Take away a version that has not begun."""
    service.remove(session, code, card_id, now)
