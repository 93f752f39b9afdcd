"""Sales channels: consent, mapping, test, pause, pull, log, and the notices they send."""

from __future__ import annotations

from fastapi import APIRouter, Request
from starlette.concurrency import run_in_threadpool

from tidewind.services import orders as orders_room
from tidewind.services import shop as service
from tidewind.services.follow import stock_seen
from tidewind.services.shop import (
    all_channels,
    channel_log,
    connect_channel,
    consent_url,
    set_channel_paused,
    take_notice,
    try_connection,
    upstream_counts,
)
from tidewind.web.access import Anyone, Now, Owner, Parts, Shipper, Tx, wiring
from tidewind.web.files import read_body
from tidewind.web.shop.schemas.channels import (
    AsideOut,
    ChannelMapping,
    ChannelOut,
    ConnectIn,
    ConnectStoreIn,
    ConsentOut,
    LogOut,
    MappingOut,
    OrderAside,
    PausedIn,
    PullOut,
    StockSeenOut,
    TestOut,
    UpstreamCounts,
)

router = APIRouter(prefix="/api", tags=["channels"])
_LARGEST_NOTICE = 100_000


@router.get("/channels")
def channels(_who: Anyone, session: Tx) -> list[ChannelOut]:
    """Return where orders come from, with their mapping and what the last pull brought."""
    return [ChannelOut.model_validate(c) for c in all_channels(session)]


@router.post("/channels", status_code=201)
def connect_store(body: ConnectStoreIn, _who: Owner, parts: Parts, now: Now) -> ChannelOut:
    """Ask which store is at an address, by the open channel protocol, and take it on, or begin with another."""
    if body.speaks != "protocol":
        with parts.sessions.begin() as session:
            begun = service.begin_store(session, parts.outside, body.speaks, body.name, body.address)
            return ChannelOut.model_validate(begun)
    row = service.connect_store(parts.sessions, parts.outside, body.address, body.key, now)
    return ChannelOut.model_validate(row)


@router.get("/channels/{code}/counts")
def counts(code: str, _who: Shipper, session: Tx, parts: Parts) -> UpstreamCounts:
    """Return how many orders the channel has in each of its states, before a mapping is saved."""
    found = upstream_counts(session, parts.outside, code)
    return UpstreamCounts(states=dict(found.states), payments=dict(found.payments))


@router.put("/channels/{code}")
def save_mapping(code: str, body: ChannelMapping, _who: Owner, session: Tx, now: Now) -> MappingOut:
    """Say what the channel's states and payments mean, what it is told, and how often it is pulled.

    Orders that the channel keeps back follow at once; those not fetched before come with the next pull.
    """
    row = service.save_mapping(session, code, **body.model_dump())
    return MappingOut(coming=orders_room.after_mapping(session, row, now))


@router.get("/channels/{code}/stock")
def stock_of_channel(code: str, _who: Anyone, session: Tx) -> StockSeenOut:
    """Return what a channel has been told of the pieces left to sell, or has told us."""
    return StockSeenOut.model_validate(stock_seen(session, service.get_channel(session, code).id))


@router.get("/channels/{code}/aside")
def aside(code: str, _who: Anyone, session: Tx) -> AsideOut:
    """Return the orders that could not be read, whole and with the reason, and what waits for a mapping."""
    row = service.get_channel(session, code)
    count, newest = orders_room.orders_aside(session, row.id)
    unreadable = [OrderAside.model_validate(one) for one in newest]
    return AsideOut(not_mapped=orders_room.not_mapped(session, row), unreadable=count, orders=unreadable)


@router.get("/channels/{code}/consent")
def consent(code: str, _who: Owner, session: Tx, parts: Parts) -> ConsentOut:
    """Return the address where the seller allows us in; it comes back with a code."""
    return ConsentOut(url=consent_url(session, parts.outside, code))


@router.post("/channels/{code}/connect", status_code=204)
def connect(code: str, body: ConnectIn, _who: Owner, parts: Parts) -> None:
    """Exchange the code of the consent step; the secret is kept sealed."""
    connect_channel(parts.sessions, parts.outside, code, body.code, parts.clock())


@router.post("/channels/{code}/test")
def test(code: str, _who: Shipper, parts: Parts) -> TestOut:
    """Try whether the channel answers."""
    ok, words = try_connection(parts.sessions, parts.outside, code, parts.clock())
    return TestOut(ok=ok, words=words)


@router.post("/channels/{code}/paused")
def set_paused(code: str, body: PausedIn, _who: Owner, session: Tx, now: Now) -> ChannelOut:
    """Pause a channel, or go on with it."""
    return ChannelOut.model_validate(set_channel_paused(session, code, body.paused, now))


@router.post("/channels/{code}/pull")
def pull(code: str, _who: Shipper, parts: Parts) -> PullOut:
    """Pull the channel's new orders and changes now."""
    return PullOut(**orders_room.pull(parts.sessions, parts.outside, code, parts.clock()))


@router.get("/channels/{code}/log")
def log(code: str, _who: Anyone, session: Tx) -> list[LogOut]:
    """Return what came, what was left out and why, newest first."""
    return [LogOut.model_validate(line) for line in channel_log(session, code)]


@router.post("/hooks/{code}", tags=["channels"])
async def notice(code: str, request: Request) -> dict[str, str]:
    """Take a signed notice of a channel (Standard Webhooks); needs no sign-in, the signature says who it is."""
    body, parts = await read_body(request, _LARGEST_NOTICE, "A notice is at most 100 kB."), wiring(request)

    def take() -> str:
        with parts.sessions.begin() as session:
            return take_notice(session, parts.outside, code, dict(request.headers), body, parts.real_clock())

    return {"notice": await run_in_threadpool(take)}
