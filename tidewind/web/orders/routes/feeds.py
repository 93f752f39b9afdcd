"""Orders in from files that are fetched: an address, a folder, a folder by SFTP."""

from __future__ import annotations

from fastapi import APIRouter, Response

from tidewind.core.order_rows.columns import NEEDED
from tidewind.core.order_rows.headings import FIELDS
from tidewind.db.tables import Feed
from tidewind.services.orders import (
    FeedSettings,
    all_feeds,
    fetch_feed,
    get_feed,
    remove_feed,
    save_feed,
    try_feed,
)
from tidewind.web.access import Now, Owner, Parts, Shipper, Tx
from tidewind.web.orders.presenting import preview_order
from tidewind.web.orders.schemas.feeds import FeedIn, FeedOut, FeedsOut, FeedTriedOut, FetchedOut
from tidewind.web.orders.schemas.imports import FaultOut

router = APIRouter(prefix="/api", tags=["orders in"])


def _present(row: Feed) -> FeedOut:
    plain = {name: getattr(row, name) for name in _PLAIN}
    return FeedOut(name=row.channel.name, has_secret=bool(row.secret_sealed), **row.mapping, **plain)


_PLAIN = (
    "id", "kind", "address", "header", "weight_unit", "every_minutes", "active", "looked_at", "failure", "host_key",
)  # fmt: skip


@router.get("/feeds")
def feeds(_who: Shipper, session: Tx, parts: Parts) -> FeedsOut:
    """Return the feeds, and the fields that JSON can be mapped to."""
    return FeedsOut(
        feeds=[_present(row) for row in all_feeds(session)],
        known_fields=list(FIELDS),
        needed=list(NEEDED),
        folders_below=str(parts.settings.incoming_dir.resolve()),
    )


@router.post("/feeds", status_code=201)
def add(body: FeedIn, who: Owner, session: Tx, parts: Parts) -> FeedOut:
    """Add a feed with a channel of its own."""
    return _present(save_feed(session, None, FeedSettings(**body.model_dump()), parts.outside.sealer, who.id))


@router.put("/feeds/{feed_id}")
def change(feed_id: int, body: FeedIn, who: Owner, session: Tx, parts: Parts) -> FeedOut:
    """Change how a feed is reached or read."""
    return _present(save_feed(session, feed_id, FeedSettings(**body.model_dump()), parts.outside.sealer, who.id))


@router.delete("/feeds/{feed_id}", status_code=204)
def remove(feed_id: int, _who: Owner, session: Tx) -> Response:
    """Look there no more; what it brought stays."""
    remove_feed(session, feed_id)
    return Response(status_code=204)


@router.post("/feeds/try")
def try_new(body: FeedIn, who: Owner, parts: Parts, now: Now) -> FeedTriedOut:
    """Look there once and read the first file, keeping nothing."""
    return _tried(parts, None, body, who.id, now)


@router.post("/feeds/{feed_id}/try")
def try_changed(feed_id: int, body: FeedIn, who: Owner, parts: Parts, now: Now) -> FeedTriedOut:
    """Look once with other settings for a feed that is there, keeping nothing."""
    return _tried(parts, feed_id, body, who.id, now)


def _tried(parts: Parts, feed_id: int | None, body: FeedIn, person_id: int, now: Now) -> FeedTriedOut:
    found = try_feed(parts.sessions, parts.outside, feed_id, FeedSettings(**body.model_dump()), person_id, now)
    return FeedTriedOut(
        files=found.files,
        beginning=found.beginning,
        orders=[preview_order(order) for order in found.orders],
        faults=[FaultOut.model_validate(fault) for fault in found.faults],
        wrong=found.wrong,
        host_key=found.host_key,
    )


@router.post("/feeds/{feed_id}/fetch")
def fetch(feed_id: int, _who: Shipper, parts: Parts, now: Now) -> FetchedOut:
    """Look there now and import what is new."""
    made = fetch_feed(parts.sessions, parts.outside, feed_id, now)
    with parts.sessions() as session:
        return FetchedOut(imports=made, failure=get_feed(session, feed_id).failure)
