"""Pull orders from the web shop: page by page, from where the last pull ended, with reasons for what is left out."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.check import Address, tidy, tidy_address
from tidewind.db.tables import Channel
from tidewind.services.errors import NotFound
from tidewind.services.storing import NewLine, NewOrder, store_orders
from tidewind.services.world import Outside

_MOST_PAGES = 2_000


def pull(sessions: sessionmaker[Session], outside: Outside, channel_code: str, now: datetime) -> dict[str, int]:
    """Pull everything new from a channel; each page is one transaction, so a broken pull goes on where it stopped.

    Returns counts: made, already, kept_back, unreadable.  Raises OutsideError where the channel does not answer.
    """
    counts = {"made": 0, "already": 0, "kept_back": 0, "unreadable": 0}
    with sessions() as session:
        channel = session.scalar(select(Channel).where(Channel.code == channel_code))
        if channel is None:
            raise NotFound("unknown_channel", f"There is no channel {channel_code}.")
        client = outside.channel(channel)
        cursor = channel.cursor
    for _ in range(_MOST_PAGES):
        page = client.orders_after(cursor)
        with sessions.begin() as session:
            channel = session.scalars(select(Channel).where(Channel.code == channel_code).with_for_update()).one()
            incoming = [read for read in (_read(written) for written in page.orders) if read is not None]
            made, there = store_orders(session, channel, incoming, now)
            counts["made"] += len(made)
            counts["already"] += len(there)
            counts["kept_back"] += sum(1 for order in made if order.state != "open")
            counts["unreadable"] += len(page.orders) - len(incoming)
            channel.cursor, channel.last_pull_at, channel.last_pull = page.cursor, now, dict(counts)
        cursor = page.cursor
        if not page.more:
            break
    return counts


def _read(written: Mapping[str, Any]) -> NewOrder | None:
    """Return an order of the web shop in our words, or None where it cannot be understood."""
    try:
        to = written["shipping"]
        state, why = _state(str(written["status"]), str(written["payment"]))
        promised = written["delivery"].get("promised")
        return NewOrder(
            number=str(written["number"])[:60],
            address=tidy_address(
                Address(
                    name=to["name"], street=to["line1"], city=to["city"], region=to["region"],
                    postcode=to["postcode"], country=to["country"], phone=to["phone"], email=to["email"],
                )
            ),
            lines=tuple(
                NewLine(str(ln["sku"])[:60], tidy(str(ln["title"]))[:200], int(ln["quantity"]), int(ln["price_cents"]))
                for ln in written["lines"]
            ),
            ordered_at=datetime.fromisoformat(written["placed_at"]),
            home=not to["business"],
            promise=tidy(str(written["delivery"]["title"]))[:120],
            promise_date=date.fromisoformat(promised) if promised else None,
            paid_shipping_minor=int(written["delivery"]["paid_cents"]),
            note=tidy(str(written["note"]))[:500],
            state=state,
            state_why=why,
            imported=dict(written),
        )  # fmt: skip
    except (KeyError, TypeError, ValueError, AttributeError):
        return None


def _state(status: str, payment: str) -> tuple[str, str]:
    if status == "collected":
        return "left_out", "collected in the shop"
    if status == "on_hold":
        return "held", "held in the web shop"
    if payment != "paid":
        return "held", f"payment {payment}"
    return "open", ""
