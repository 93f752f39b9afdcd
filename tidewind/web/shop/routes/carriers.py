"""Carriers: accounts, services on and off, and the versions of their rate cards."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Form, Query, Response, UploadFile

from tidewind.core.numbering import NumberRange
from tidewind.core.tariffs.card import RateCard
from tidewind.core.tariffs.written import card_schema, write_card
from tidewind.db.tables import CarrierAccount, CarrierRow, NumberRangeRow
from tidewind.services import shop as service
from tidewind.services.planning import shop_day
from tidewind.services.shop import (
    AccountChange,
    card_of,
    card_tables,
    card_versions,
    get_card_version,
    propose_card,
    save_card,
)
from tidewind.web.access import MONEY_ROLES, Anyone, Bench, Now, Owner, Parts, Shipper, Tx
from tidewind.web.files import CSV, XLSX, answers_with, download, uploaded
from tidewind.web.planning.schemas import RehearsalOut, WorkOut
from tidewind.web.shop.schemas.carriers import (
    AccountIn,
    AccountOut,
    CardOut,
    CardVersionOut,
    CarrierIn,
    CarrierOut,
    ChangedOut,
    ClaimDaysIn,
    ConnectCarrierIn,
    NumberIn,
    ProposalOut,
    RangeIn,
    RangeOut,
    RehearseAccountIn,
    ServiceOnCard,
    TakenOnOut,
)

router = APIRouter(prefix="/api", tags=["carriers and rate cards"])
Past = Annotated[bool, Query(description="Over the orders of the last 90 days instead of those waiting")]
_KINDS = {
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "csv": "text/csv; charset=utf-8",
    "json": "application/json",
}


def _services(row: CarrierRow, card: RateCard) -> list[ServiceOnCard]:
    zones = {z.id: z.name for z in card.zones}
    used = [set(a.services_off) for a in row.accounts if a.active]
    return [
        ServiceOnCard(
            code=s.code,
            name=s.name,
            kind=s.kind,
            on=any(s.code not in off for off in used),
            zones=[name for z, name in zones.items() if z in s.transit],
        )
        for s in card.services
    ]


def _carrier(session: Any, row: CarrierRow, now: Any, sees_money: bool = True) -> CarrierOut:
    today = shop_day(session, now)
    versions = card_versions(session, row.code)
    begun = [v for v in versions if v.valid_from <= today]
    shown = begun[0] if begun else versions[0] if versions else None
    card = card_of(shown) if shown else None
    ranges = service.ranges_of(session, row.id)
    return CarrierOut(
        code=row.code,
        name=row.name,
        monogram=row.monogram,
        kind="list" if row.kind == "list" else "protocol",
        active=row.active,
        ranges=[_range(one) for one in ranges],
        numbers_left=service.numbers_left(ranges),
        asks_prices=row.asks_prices,
        latin_only=row.latin_only,
        claim_days=row.claim_days,
        accounts=[_account(a, sees_money) for a in row.accounts],
        services=_services(row, card) if card else [],
        versions=[
            CardVersionOut(
                id=v.id,
                valid_from=v.valid_from,
                valid_until=v.valid_until,
                source=v.source,
                state="in_force" if v is shown and begun else "to_come" if v.valid_from > today else "past",
            )
            for v in versions
        ],
    )


def _range(row: NumberRangeRow) -> RangeOut:
    numbers, left = row.to_core(), row.last + 1 - row.next
    return RangeOut(
        id=row.id,
        first=numbers.number(row.first),
        last=numbers.number(row.last),
        next=numbers.number(row.next) if left else "",
        left=left,
        used=row.next - row.first,
        low=left <= row.warn_at,
    )


def _account(row: CarrierAccount, sees_money: bool) -> AccountOut:
    """Return an account; what a contract takes off is for who may see money."""
    shown = AccountOut.model_validate(row)
    return shown if sees_money else shown.model_copy(update={"discounts_bp": {}})


def _change(body: AccountIn) -> AccountChange:
    return AccountChange(**body.model_dump(exclude_unset=True, exclude={"id"}))


@router.get("/carriers")
def all_carriers(who: Anyone, session: Tx, now: Now) -> list[CarrierOut]:
    """Return the carriers with their accounts, services and card versions."""
    return [_carrier(session, row, now, who.role in MONEY_ROLES) for row in service.all_carriers(session)]


@router.post("/carriers", status_code=201)
def add_carrier(
    name: Annotated[str, Form(max_length=80)],
    file: UploadFile,
    _who: Owner,
    session: Tx,
    parts: Parts,
    now: Now,
    account: Annotated[str, Form(max_length=40)] = "",
) -> CarrierOut:
    """Add a carrier by its price list alone: a card (JSON or tables), or one table of zones and weight steps."""
    file_name, data = uploaded(file, parts.settings.upload_limit_bytes)
    row, _ = service.begin_with_card(session, name, account, data, file_name, now)
    return _carrier(session, row, now)


@router.post("/carriers/connect", status_code=201)
def connect_carrier(body: ConnectCarrierIn, _who: Owner, parts: Parts, now: Now) -> TakenOnOut:
    """Ask who is at an address, by the open carrier protocol, and take that carrier on with its services and cards."""
    taken = service.connect_carrier(
        parts.sessions, parts.outside, body.address, body.key, body.account, body.payer, now
    )
    with parts.sessions() as session:
        shown = _carrier(session, service.get_carrier(session, taken.carrier.code), now)
    return TakenOnOut(carrier=shown, cards=taken.cards, left_out=taken.left_out)


@router.post("/carriers/{code}/without")
def rehearse_without(code: str, _who: Shipper, session: Tx, now: Now, past: Past = False) -> RehearsalOut:
    """Say what would become of orders without this carrier; nothing is stored."""
    return RehearsalOut.model_validate(service.rehearse_without(session, code, now, past=past))


@router.delete("/carriers/{code}")
def remove_carrier(code: str, _who: Owner, session: Tx, now: Now) -> WorkOut:
    """Take a carrier away; what was bought from it stays, waiting orders are planned without it."""
    return WorkOut.model_validate(service.remove_carrier(session, code, now))


@router.post("/carriers/{code}/ranges", status_code=201)
def add_range(code: str, body: RangeIn, _who: Owner, session: Tx) -> RangeOut:
    """Add a range of numbers behind those there are; no two ranges overlap."""
    said = body.model_dump(exclude={"warn_at"})
    return _range(service.add_range(session, code, NumberRange(**said), body.warn_at))


@router.delete("/carriers/{code}/ranges/{range_id}", status_code=204)
def remove_range(code: str, range_id: int, _who: Owner, session: Tx) -> None:
    """Take away a range that no number was drawn from."""
    service.remove_range(session, code, range_id)


@router.put("/labels/{label_id}/number", status_code=204)
def type_number(label_id: int, body: NumberIn, _who: Bench, session: Tx) -> None:
    """Write down the number that a carrier put on a parcel whose label had none."""
    service.type_number(session, label_id, body.number)


@router.get("/rate-card/example", **answers_with(CSV, XLSX))
def example(_who: Anyone, kind: Literal["xlsx", "csv"] = "xlsx") -> Response:
    """Return a simple price list to fill in: one table of zones and weight steps."""
    return download(service.simple_example(kind), f"price-list.{kind}", _KINDS[kind])


@router.patch("/carriers/{code}")
def switch_carrier(code: str, body: CarrierIn, _who: Owner, session: Tx, now: Now) -> WorkOut:
    """Use a carrier, or do so no longer."""
    return WorkOut.model_validate(service.switch_carrier(session, code, body.active, now))


@router.put("/carriers/{code}/claim-days", status_code=204)
def set_claim_days(code: str, body: ClaimDaysIn, _who: Owner, session: Tx) -> None:
    """Say for how many days a carrier takes claims; claims that are open keep their day."""
    service.set_claim_days(session, code, body.days)


@router.post("/carriers/{code}/accounts", status_code=201)
def add_account(code: str, body: AccountIn, _who: Owner, session: Tx, now: Now) -> WorkOut:
    """Add an account; each order then goes on the account on which it is cheapest."""
    return WorkOut.model_validate(service.add_account(session, code, _change(body), now)[1])


@router.patch("/carriers/{code}/accounts/{account_id}")
def change_account(code: str, account_id: int, body: AccountIn, _who: Owner, session: Tx, now: Now) -> WorkOut:
    """Switch services on and off, or set the contract's discounts (basis points by service, zone, or all: `*`)."""
    return WorkOut.model_validate(service.change_account(session, code, account_id, _change(body), now))


@router.delete("/carriers/{code}/accounts/{account_id}")
def remove_account(code: str, account_id: int, _who: Owner, session: Tx, now: Now) -> WorkOut:
    """Take an account away; the last one with a carrier stays."""
    return WorkOut.model_validate(service.remove_account(session, code, account_id, now))


@router.post("/carriers/{code}/accounts/rehearse")
def rehearse_account(
    code: str, body: RehearseAccountIn, _who: Shipper, session: Tx, now: Now, past: Past = False
) -> RehearsalOut:
    """Say what such a change, or such a new account, would do to orders; nothing is stored."""
    found = service.rehearse_account(session, code, body.id, _change(body), now, past=past)
    return RehearsalOut.model_validate(found)


@router.get("/rate-card/schema")
def schema(_who: Anyone) -> dict[str, Any]:
    """Return the JSON Schema of a rate card."""
    return card_schema()


@router.get("/carriers/{code}/cards/{card_id}")
def get_card(code: str, card_id: int, _who: Anyone, session: Tx) -> CardOut:
    """Return one version of a rate card, as written and as tables."""
    row = get_card_version(session, code, card_id)
    return CardOut(id=row.id, written=write_card(card_of(row)), tables=card_tables(row))


@router.get("/carriers/{code}/cards/{card_id}/file", **answers_with("application/json", CSV, XLSX))
def card_file(
    code: str, card_id: int, _who: Shipper, session: Tx, kind: Literal["xlsx", "csv", "json"] = "xlsx"
) -> Response:
    """Return one version as a file; bringing it in again gives the same card."""
    row = get_card_version(session, code, card_id)
    return download(service.card_file(row, kind), f"{code}-{row.valid_from}.{kind}", _KINDS[kind])


@router.post("/carriers/{code}/cards/check")
def check_card(code: str, file: UploadFile, _who: Shipper, session: Tx, parts: Parts, now: Now) -> ProposalOut:
    """Say what a card (JSON, XLSX or CSV) would change, or everything that is wrong with it; nothing is stored."""
    name, data = uploaded(file, parts.settings.upload_limit_bytes)
    found = propose_card(session, code, data, name, now)
    return ProposalOut(
        errors=list(found.errors),
        changes=[ChangedOut.model_validate(c) for c in found.changes[:500]],
        total_changes=len(found.changes),
        valid_from=found.card.valid_from if found.card else None,
        against=found.against,
        ends=found.ends,
    )


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
    _, work = save_card(session, code, data, name, now)
    return WorkOut.model_validate(work)


@router.delete("/carriers/{code}/cards/{card_id}", status_code=204)
def remove_card(code: str, card_id: int, _who: Owner, session: Tx, now: Now) -> None:
    """Take away a version that has not begun."""
    service.remove_card(session, code, card_id, now)
