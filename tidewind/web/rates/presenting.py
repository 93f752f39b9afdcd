"""Comparisons and the matrix, from values to what goes over HTTP."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy.orm import Session

from tidewind.core.choosing import FORMULAS, Choosable, value_hundredths
from tidewind.core.comparing import Cell, Column, consequences
from tidewind.core.insuring import INSURED
from tidewind.core.options import carrier_of, in_parcels, with_extras
from tidewind.core.parcels import parcels_text
from tidewind.core.punctuality import lateness
from tidewind.core.quantities import Refused
from tidewind.core.tariffs.live import NOT_KNOWN
from tidewind.core.tariffs.quote import Line
from tidewind.db.tables import CarrierRow
from tidewind.services.planning import stored_quote
from tidewind.services.rates import Comparison, Matrix
from tidewind.services.shop import carriers_by_code
from tidewind.web.orders.schemas.order import QuoteOut
from tidewind.web.rates.schemas import (
    CellOut,
    ColumnOut,
    ComparedOut,
    ExtraOut,
    LatenessOut,
    MatrixOut,
    MatrixRowOut,
    MatrixService,
    ServiceOut,
)


def nothing_compared() -> ComparedOut:
    """Return an empty comparison, for an order that cannot be packed or sent yet."""
    return ComparedOut(columns=[], services=[], cells=[], extras=[], promise=None, chosen=None, live=[])


def compared_out(session: Session, comparison: Comparison, chosen: str | None) -> ComparedOut:
    """Return a comparison with everything that is shown of each service."""
    known = carriers_by_code(session)
    compared = comparison.compared
    services = [_service(known, comparison, cells) for cells in _by_service(compared.cells)]
    unasked = {c.option.carrier for c in compared.cells if c.option.refused and c.option.refused.reason in NOT_KNOWN}
    return ComparedOut(
        columns=[_column(column) for column in compared.columns],
        services=services,
        cells=[_cell(cell) for cell in compared.cells],
        extras=_extras(comparison, chosen),
        promise=comparison.facts.promise,
        chosen=chosen,
        live=sorted(unasked),
    )


def _by_service(cells: Sequence[Cell]) -> list[list[Cell]]:
    found: dict[str, list[Cell]] = {}
    for cell in cells:
        found.setdefault(cell.option.service, []).append(cell)
    return sorted(found.values(), key=_cheapest_first)


def _cheapest_first(cells: list[Cell]) -> tuple[int, str]:
    nets = [cell.option.quote.net for cell in cells if cell.option.quote]
    return (min(nets) if nets else 1 << 60, cells[0].option.name)


def _column(column: Column) -> ColumnOut:
    gross = sum(p.gross_g for p in column.parcels)
    return ColumnOut(
        code=column.code, name=column.name, cost_minor=column.cost, parcel_count=len(column.parcels), gross_g=gross
    )


def _cell(cell: Cell) -> CellOut:
    option = cell.option
    return CellOut(
        service=option.service,
        box=cell.box,
        box_name=parcels_text(option.parcels),
        quote=QuoteOut.model_validate(stored_quote(option)) if option.quote else None,
        refused=option.refused.detail if option.refused else None,
        waits=bool(option.refused and option.refused.reason in NOT_KNOWN),
        stale_minor=cell.stale_net,
        ship_date=option.arrival.ship_date if option.arrival else None,
        arrives_earliest=option.arrival.earliest if option.arrival else None,
        arrives=option.arrival.latest if option.arrival else None,
    )


def _service(known: dict[str, CarrierRow], comparison: Comparison, cells: list[Cell]) -> ServiceOut:
    compared, shop = comparison.compared, comparison.shop
    code = cells[0].option.service
    best = next((c for c in cells if c.box == compared.best.get(code)), cells[0])
    carrier = carrier_of(shop, best.option)
    service = carrier.own.services[code].service
    network = next(n for n in carrier.own.card.networks if n.id == service.network)
    late = lateness(code, carrier.code, shop.record)
    return ServiceOut(
        code=code,
        name=service.name,
        carrier=carrier.code,
        carrier_name=carrier.name,
        monogram=known[carrier.code].monogram,
        network_id=network.id,
        network=network.name,
        cutoff=network.cutoff,
        tracking=service.tracking,
        handover=list(service.handover),
        by_time=service.by_time,
        to_point=service.to_point,
        duties_paid=service.duties_paid,
        approval=service.approval,
        live=service.kind == "live",
        included=list(service.included),
        lateness=LatenessOut(late_bp=late.late_bp, parcels=late.parcels, of=late.of),
        marks=list(compared.marks.get(code, ())),
        on_frontier=code in compared.frontier,
        best_box=compared.best.get(code),
        consequences=consequences(comparison.facts, shop, best.option, comparison.settled.extras),
        value_hundredths=_value(comparison, best, late.late_bp),
    )


def _value(comparison: Comparison, cell: Cell, late_bp: int) -> int | None:
    option = cell.option
    days = [c.option.arrival.latest for c in comparison.compared.cells if c.option.quote and c.option.arrival]
    if not (option.quote and option.arrival):
        return None
    choosable = Choosable(option.service, option.quote.net, option.arrival.latest, late_bp)
    return value_hundredths(choosable, min(days), comparison.shop.values)


def _extras(comparison: Comparison, chosen: str | None) -> list[ExtraOut]:
    """Return the extras to be had, with what switching each one on or off changes on the chosen or cheapest option."""
    priced = [c for c in comparison.compared.cells if c.option.quote]
    at = next((c for c in priced if c.option.service == chosen), None)
    at = at or min(priced, key=lambda c: c.option.quote.net if c.option.quote else 0, default=None)
    names: dict[str, str] = {}
    for carrier in comparison.shop.carriers:
        for extra in carrier.own.card.extras:
            names.setdefault(extra.code, extra.name)
    if comparison.shop.cover:
        names[INSURED] = f"Cover by {comparison.shop.cover.insurer}"
    on = comparison.settled.extras
    return [
        ExtraOut(code=code, name=name, on=code in on, adds_minor=_adds(comparison, at, code) if at else None)
        for code, name in names.items()
    ]


def _adds(comparison: Comparison, cell: Cell, code: str) -> int | None:
    """Return what an extra adds to an option (or what leaving it off saves); None where the service has it not."""
    shop, settled, option = comparison.shop, comparison.settled, cell.option
    with_it = with_extras(settled, shop, settled.extras | {code})
    if code == INSURED:
        return with_it.premium.amount if isinstance(with_it.premium, Line) else None
    carrier = carrier_of(shop, option)
    prices = []
    for asked in (with_extras(settled, shop, settled.extras - {code}), with_it):
        quoted = carrier.own.quote(option.service, in_parcels(asked, option.parcels))
        prices.append(None if isinstance(quoted, Refused) else quoted.net)
    before, after = prices
    return None if before is None or after is None else after - before


def matrix_out(session: Session, matrix: Matrix) -> MatrixOut:
    """Return orders × services."""
    known = carriers_by_code(session)
    services = [
        MatrixService(
            code=s.code, name=s.name, monogram=known[c.code].monogram, carrier_name=c.name, live=s.kind == "live"
        )
        for c, s in matrix.services
    ]
    rows = [
        MatrixRowOut(
            id=r.order.id,
            number=r.order.number,
            recipient=r.order.address.name or r.order.address.company,
            country=r.order.address.country,
            city=r.order.address.city,
            packaging=r.order.plan.packaging,
            promise=r.order.promise_date,
            chosen=r.chosen,
            by_hand=r.by_hand,
            prices=r.prices,
            arrives=r.arrives,
            picks=r.picks,
        )
        for r in matrix.rows
    ]
    used = {policy for row in matrix.rows for policy in row.picks}
    formulas = {policy.value: words for policy, words in FORMULAS.items() if policy in used}
    return MatrixOut(services=services, rows=rows, policy=matrix.policy.value, formulas=formulas)
