"""Several shops' files under one roof: a number that is here with another buyer belongs to another shop's order."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.buyers import same_buyer
from tidewind.core.order_rows.reading import RowOrder
from tidewind.core.stored import read_address
from tidewind.core.written import Written
from tidewind.db.among import among
from tidewind.db.tables import Channel, Import, Order
from tidewind.services.base import Conflict

SHEET_CHANNEL = "sheet"
MOST_CHANNELS = 9


def by_channel(session: Session, row: Import, orders: list[RowOrder]) -> Iterator[tuple[Channel, list[RowOrder]]]:
    """Yield the orders of a file with the channel that each belongs to.

    A number that is here with another buyer is another shop's: its order goes to the next spreadsheet channel that has
    the number free, or has it with this buyer.
    """
    for n in range(1, MOST_CHANNELS + 1):
        channel = channel_of(session, row) if n == 1 else sheet_channel(session, n)
        strange = other_buyers(session, channel, orders)
        yield channel, [order for order in orders if order.number not in strange]
        orders = [order for order in orders if order.number in strange]
        if not orders:
            return
    numbers = ", ".join(order.number for order in orders[:5])
    raise Conflict("too_many_shops", f"More than {MOST_CHANNELS} shops have used these numbers: {numbers}.")


def other_buyers(session: Session, channel: Channel, orders: Sequence[RowOrder]) -> set[str]:
    """Return the numbers of a file's orders that the channel has with other buyers."""
    prints = {order.number: order.fingerprint() for order in orders}
    ids = otherwise(session, channel, prints)
    to = {order.number: order.address for order in orders}
    here = select(Order.number, Order.address, Order.imported).where(among(Order.id, ids))
    return {
        number
        for number, address, imported in session.execute(here)
        if not any(same_buyer(to[number], known) for known in (address, _as_imported(imported)))
    }


def _as_imported(imported: Written) -> Address:
    """Return where an order was to go when it came; people may have corrected it since."""
    said = imported.get("said") or imported
    return read_address(said.get("address") or {})


def otherwise(session: Session, channel: Channel, prints: Mapping[str, str]) -> list[int]:
    """Return the imported orders whose contents are not what a file says now, oldest first.

    Read as columns: a file of ten thousand rows that is sent again must not load as many orders.
    """
    here = (
        select(Order.id, Order.number, Order.fingerprint)
        .where(Order.channel_id == channel.id, Order.number.in_(prints))
        .order_by(Order.id)
    )
    return [id_ for id_, number, print_ in session.execute(here) if print_ != prints[number]]


def strange_numbers(session: Session, row: Import, orders: Sequence[RowOrder]) -> list[str]:
    """Return the numbers of a file that are here with other buyers: they become orders of another shop."""
    return sorted(other_buyers(session, channel_of(session, row), orders))


def channel_of(session: Session, row: Import) -> Channel:
    """Return the channel whose orders a file has: the one that was named for it, else the spreadsheets' first."""
    return session.get_one(Channel, row.channel_id) if row.channel_id is not None else sheet_channel(session, 1)


def sheet_channel(session: Session, number: int) -> Channel:
    """Return the n-th channel that spreadsheets have, made where there is none yet."""
    code = SHEET_CHANNEL if number == 1 else f"{SHEET_CHANNEL}-{number}"
    found = session.scalar(select(Channel).where(Channel.code == code))
    if found is None:
        name = "Spreadsheet" if number == 1 else f"Spreadsheet {number}"
        found = Channel(code=code, name=name, kind="sheet", last_pull={})
        session.add(found)
        session.flush()
    return found
