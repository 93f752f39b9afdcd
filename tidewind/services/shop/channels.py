"""Connecting sales channels: consent, mapping of states and payments, what is written back, test, pause, notices."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.mail import is_mail_address
from tidewind.db.tables import Channel, ChannelLevel, ChannelLog
from tidewind.outside.channels.upstream import NEWS, Counts
from tidewind.outside.errors import OutsideError
from tidewind.services.base import Conflict, Invalid, NotAllowed, NotFound, Outside, defer, is_signed

FATES = ("fetch", "hold", "leave_out", "cancelled", "ignore")
PAYMENTS = ("paid", "pay_on_delivery", "unpaid")
STATES = ("asked", "connected", "paused")


def get_channel(session: Session, code: str) -> Channel:
    """Return a channel.  Raises NotFound."""
    row = session.scalar(select(Channel).where(Channel.code == code))
    if row is None or row.kind != "webshop":
        raise NotFound("unknown_channel", f"There is no channel {code}.")
    return row


def consent_url(session: Session, outside: Outside, code: str) -> str:
    """Return the address where the seller allows us in; it comes back to Set-up, Channels."""
    back = f"{outside.base_url}/set-up/channels?channel={code}"
    return outside.channel(get_channel(session, code)).consent_url(back)


def connect_channel(
    sessions: sessionmaker[Session], outside: Outside, channel_code: str, code: str, now: datetime
) -> None:
    """Exchange the code of the consent step for the channel's secret, and keep that sealed.

    Raises OutsideError where the channel refuses the code or does not answer.
    """
    with sessions() as session:
        client = outside.channel(get_channel(session, channel_code))
    secret = client.exchange(code, f"{outside.base_url}/api/hooks/{channel_code}")
    with sessions.begin() as session:
        row = get_channel(session, channel_code)
        row.secret_sealed, row.state = outside.sealer.seal(secret), "connected"
        _log(session, row, "consent", now)


def _log(
    session: Session, row: Channel, kind: str, now: datetime, counts: Mapping[str, int] | None = None, failure: str = ""
) -> None:
    session.add(
        ChannelLog(channel_id=row.id, at=now, kind=kind, counts=dict(counts or {}), entries=[], failure=failure[:300])
    )


def upstream_counts(session: Session, outside: Outside, code: str) -> Counts:
    """Return how many orders the channel has in each of its states, to see before a mapping is saved.

    Raises OutsideError where the channel does not answer.
    """
    return outside.channel(get_channel(session, code)).counts()


def try_connection(sessions: sessionmaker[Session], outside: Outside, code: str, now: datetime) -> tuple[bool, str]:
    """Try whether the channel answers; return whether, and words.  The log keeps it."""
    with sessions() as session:
        client = outside.channel(get_channel(session, code))
    failure = ""
    try:
        counts = client.counts()
        words = f"It answers: {sum(counts.states.values())} orders in {len(counts.states)} states."
    except OutsideError as error:
        failure = words = f"It does not answer: {error}. Nothing was changed."
    with sessions.begin() as session:
        _log(session, get_channel(session, code), "test", now, failure=failure)
    return not failure, words


def save_mapping(
    session: Session,
    code: str,
    states: Mapping[str, str],
    payments: Mapping[str, str],
    write_back: Mapping[str, bool],
    every_minutes: int,
    brand: str,
    mail_from: str = "",
    stock: str = "",
) -> Channel:
    """Store how a channel's states and payments are understood, what it is told, and who its mails come from.

    ``stock``: whose levels of stock hold, see ``Channel``.  Raises Invalid; Conflict for a second one that counts.
    """
    row = get_channel(session, code)
    counts = select(Channel.name).where(Channel.stock == "theirs", Channel.id != row.id)
    if stock == "theirs" and (other := session.scalar(counts)):
        raise Conflict("counted_there", f"{other} counts the stock already. Two that count would undo each other.")
    if stock != row.stock:
        session.execute(delete(ChannelLevel).where(ChannelLevel.channel_id == row.id))
        row.stock = stock
    if set(states.values()) - set(FATES) or set(payments.values()) - set(PAYMENTS):
        raise Invalid("bad_mapping", f"States become {', '.join(FATES)}; payments {', '.join(PAYMENTS)}.")
    if set(write_back) - set(NEWS):
        raise Invalid("bad_mapping", f"A channel can be told of {', '.join(NEWS)}.")
    row.states, row.payments, row.write_back = dict(states), dict(payments), dict(write_back)
    if mail_from and not is_mail_address(mail_from):
        raise Invalid("bad_sender", f"{mail_from} is no mail address that mails can come from.")
    row.every_minutes, row.brand, row.mail_from = every_minutes, brand.strip()[:80], mail_from
    return row


def set_channel_paused(session: Session, code: str, paused: bool, now: datetime) -> Channel:
    """Pause a channel, or go on with it; what came stays.  Raises Conflict before consent was given."""
    row = get_channel(session, code)
    if row.state == "asked":
        raise Conflict("no_consent", f"{row.name} has not allowed us in yet. Give consent first.")
    row.state = "paused" if paused else "connected"
    _log(session, row, "paused" if paused else "resumed", now)
    return row


def channel_log(session: Session, code: str, limit: int = 50) -> Sequence[ChannelLog]:
    """Return a channel's log, newest first."""
    row = get_channel(session, code)
    query = (
        select(ChannelLog).where(ChannelLog.channel_id == row.id).order_by(ChannelLog.at.desc(), ChannelLog.id.desc())
    )
    return session.scalars(query.limit(limit)).all()


def signed_by(
    session: Session, outside: Outside, code: str, headers: Mapping[str, str], body: bytes, now: datetime
) -> Channel:
    """Return the channel that signed something with the secret it shares with us (Standard Webhooks 1.0).

    Raises NotFound for an unknown channel, NotAllowed for a wrong signature or one older than ten minutes.
    """
    row = get_channel(session, code)
    if not is_signed(outside.sealer.open(row.secret_sealed), headers, body, now):
        raise NotAllowed("bad_signature", "This is not signed by the channel, or too old.")
    return row


def take_notice(
    session: Session, outside: Outside, code: str, headers: Mapping[str, str], body: bytes, now: datetime
) -> str:
    """Take a signed notice that something changed, and pull in the background; return what became of it.

    A notice heard twice, or one that is late, changes nothing: a pull brings every change once.  Raises NotAllowed
    for a wrong signature or one older than ten minutes (Standard Webhooks 1.0, verification).
    """
    row = signed_by(session, outside, code, headers, body, now)
    given = headers.get("webhook-id", "")
    heard = session.scalar(
        select(ChannelLog.id).where(
            ChannelLog.channel_id == row.id, ChannelLog.kind == "notice", ChannelLog.counts["id"].astext == given
        )
    )
    session.add(
        ChannelLog(
            channel_id=row.id,
            at=now,
            kind="notice again" if heard else "notice",
            counts={"id": given[:100]},
            entries=[],
            failure="",
        )
    )
    if heard or row.state != "connected":
        return "heard before" if heard else "paused"
    defer(session, "pull_channel", lock=f"pull:{code}", code=code)
    return "taken"


def all_channels(session: Session) -> Sequence[Channel]:
    """Return where orders come from, in the order in which it was set up."""
    return session.scalars(select(Channel).order_by(Channel.id)).all()
