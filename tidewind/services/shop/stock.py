"""How many boxes of each kind are left: counted down as labels are bought, counted up as they are voided."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from tidewind.db.tables import Label, PackagingRow, Shipment
from tidewind.services.base import Invalid, NotFound

LOOKED_BACK = timedelta(days=28)
MOST = 1_000_000


@dataclass(frozen=True, slots=True)
class InStock:
    """Packaging whose pieces are counted: how many are left, from when on that is few, for how many days they last.

    ``days_left`` goes by the use of the last four weeks; None where none was used.
    """

    id: int
    code: str
    name: str
    carrier: str | None
    stock: int
    low_at: int
    days_left: int | None

    @property
    def low(self) -> bool:
        """Whether it is time to order more."""
        return self.stock <= self.low_at


def in_stock(session: Session, now: datetime) -> list[InStock]:
    """Return the packaging in use whose pieces are counted, what runs out first at the top."""
    rows = session.scalars(select(PackagingRow).where(PackagingRow.active, PackagingRow.stock.is_not(None))).all()
    used = _used(session, now) if rows else {}
    found = [
        InStock(r.id, r.code, r.name, r.carrier, r.stock or 0, r.low_at, _days(r.stock or 0, used.get(r.code, 0)))
        for r in rows
    ]
    return sorted(found, key=lambda one: (not one.low, one.days_left is None, one.days_left or 0, one.name))


def _used(session: Session, now: datetime) -> dict[str, int]:
    code = Label.parcel["packaging"].astext
    query = (
        select(code, func.count(Label.id))
        .join(Shipment, Shipment.id == Label.shipment_id)
        .where(Shipment.bought_at > now - LOOKED_BACK, code.is_not(None))
        .group_by(code)
    )
    return {str(name): count for name, count in session.execute(query)}


def _days(stock: int, used: int) -> int | None:
    return stock * LOOKED_BACK.days // used if used else None


def set_stock(session: Session, packaging_id: int, stock: int | None, low_at: int) -> PackagingRow:
    """Say how many pieces there are (None: they are not counted), and from when on that is few.

    Raises Invalid for a figure that cannot be, NotFound.
    """
    row = session.get(PackagingRow, packaging_id, with_for_update=True)
    if row is None:
        raise NotFound("unknown_packaging", "This packaging does not exist.")
    if not 0 <= (stock or 0) <= MOST or not 0 <= low_at <= MOST:
        raise Invalid("stock", "Count between none and a million.")
    row.stock, row.low_at = stock, low_at
    return row


def take_packaging(session: Session, used: Mapping[str, int]) -> None:
    """Take pieces out of the stock by their codes; a figure below zero puts them back.  What is not counted stays so.

    In the order of the codes, so that two purchases never wait for each other's boxes in a circle.
    """
    for code in sorted(used):
        if used[code]:
            session.execute(
                update(PackagingRow)
                .where(PackagingRow.code == code, PackagingRow.stock.is_not(None))
                .values(stock=func.greatest(PackagingRow.stock - used[code], 0))
                .execution_options(synchronize_session=False)
            )


def boxes_of(shipments: Sequence[Shipment]) -> Counter[str]:
    """Return how many of each packaging the parcels of shipments are packed in."""
    return Counter(
        label.parcel.packaging for shipment in shipments for label in shipment.labels if label.parcel.packaging
    )
