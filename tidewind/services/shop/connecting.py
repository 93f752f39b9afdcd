"""Carriers and stores that speak the open protocols: asked who they are, and taken on."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from typing import TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.tariffs.asked import asked_card
from tidewind.db.tables import CarrierRow, Channel, ChannelLog
from tidewind.outside.carrier import Introduction
from tidewind.outside.channels.dialects import DIALECTS
from tidewind.outside.channels.store import StoreIntroduction
from tidewind.outside.errors import OutsideError, RefusedOutside
from tidewind.services.base import Conflict, Invalid, Outside, ServiceError
from tidewind.services.planning import shop_settings
from tidewind.services.shop.cards import around, save_card
from tidewind.services.shop.carriers import add_carrier, free_code
from tidewind.services.shop.channels import FATES, PAYMENTS

Who = TypeVar("Who", Introduction, StoreIntroduction)


@dataclass(slots=True)
class TakenOn:
    """A carrier that was taken on: how many of its cards hold here, and why others do not."""

    carrier: CarrierRow
    cards: int = 0
    left_out: list[str] = field(default_factory=list)


def connect_carrier(
    sessions: sessionmaker[Session], outside: Outside, address: str, key: str, account: str, payer: str, now: datetime
) -> TakenOn:
    """Ask who is at an address and take that carrier on.

    Raises OutsideError where nobody answers, Conflict where the carrier is here already, Invalid where the key is
    refused, the address must not be asked, or none of its cards can be used.
    """
    introduced = _asked(outside.introduce, address, key)
    with sessions.begin() as session:
        taken = take_on(session, introduced, address, outside.sealer.seal(key), account, payer, now)
        if not taken.cards:
            words = " · ".join(taken.left_out) or _NOTHING_TO_PRICE
            raise Invalid("no_card", f"{introduced.name} was not added. {words}"[:2_000])
    return taken


_NOTHING_TO_PRICE = (
    "It offers neither a rate card nor services that it can be asked for; or it does, and the shop has no place yet "
    "where parcels leave from."
)


def _asked(introduce: Callable[[str, str], Who], address: str, key: str) -> Who:
    """Ask who is at an address; a refusal is about what the owner typed, and is said so."""
    try:
        return introduce(address, key)
    except RefusedOutside as refusal:
        raise _nothing_added(refusal) from refusal


def _nothing_added(refusal: RefusedOutside) -> Invalid:
    words = str(refusal)
    return Invalid(refusal.reason, f"{words[:1].upper()}{words[1:]}. Nothing was added.")


def take_on(
    session: Session, who: Introduction, address: str, key_sealed: str, account: str, payer: str, now: datetime
) -> TakenOn:
    """Write a carrier down as it introduced itself, with those of its cards that can be used.  Raises Conflict."""
    row = add_carrier(session, who.name, "protocol", account, payer, address)
    known = select(CarrierRow.id).where(CarrierRow.code == who.code)
    if session.scalar(known) is None:  # its packaging and services go by it; what another one had is not taken
        row.code = who.code
    row.monogram, row.latin_only = who.monogram, who.latin_only
    row.states, row.can, row.key_sealed = dict(who.states), sorted(who.can), key_sealed
    session.flush()
    taken = TakenOn(row)
    beside = around(session, row.code, row.name, now)
    asked = [asked_card(who.services, beside)] if who.services and not who.cards and beside else []
    for card in (*who.cards, *asked):
        named = {**card, "carrier": row.code}
        services = card.get("services", [])
        row.asks_prices |= any(isinstance(s, dict) and s.get("kind") == "live" for s in services)
        try:
            with session.begin_nested():
                save_card(session, row.code, json.dumps(named).encode(), f"from {who.name}", now)
            taken.cards += 1
        except (Conflict, Invalid) as error:
            taken.left_out.append(f"Its card from {card.get('valid_from', 'an unknown day')}: {_words(error)}")
    return taken


def _words(error: ServiceError) -> str:
    return str(error).removeprefix("Nothing was stored. ")


PROTOCOL = "protocol"
"""The adapter of a channel that speaks the open protocol itself."""


def connect_store(sessions: sessionmaker[Session], outside: Outside, address: str, key: str, now: datetime) -> Channel:
    """Ask which store is at an address and take it on with the meanings that it suggests for its words.

    What it suggests and we do not know holds its orders until somebody maps it.  Raises OutsideError where nobody
    answers, Invalid where the key is refused or the address must not be asked, Conflict for a store that is here
    already, or whose prices are in another currency.
    """
    who = _asked(outside.introduce_store, address, key)
    with sessions.begin() as session:
        currency = shop_settings(session).currency
        if who.currency != currency:
            words = f"{who.name} sells in {who.currency}, the shop's books are in {currency}. Nothing was added."
            raise Conflict("other_currency", words)
        known = select(Channel.name).where((Channel.base_url == address) | (Channel.name == who.name))
        if session.scalar(known.where(Channel.kind == "webshop")) is not None:
            raise Conflict("channel_there", f"{who.name} is connected already.")
        row = _new_channel(session, PROTOCOL, who.name, address, "connected")
        row.secret_sealed = outside.sealer.seal(key)
        row.states = {word: meant for word, meant in who.states.items() if meant in FATES}
        row.payments = {word: meant for word, meant in who.payments.items() if meant in PAYMENTS}
        session.add(ChannelLog(channel_id=row.id, at=now, kind="connected", counts={}, entries=[], failure=""))
    if "hook" in who.can:
        _tell_hook(sessions, outside, row, now)
    return row


def _tell_hook(sessions: sessionmaker[Session], outside: Outside, row: Channel, now: datetime) -> None:
    """Tell a store where its notices go; without them changes come with the next pull, so a failure is only logged."""
    try:
        outside.channel(row).exchange("", f"{outside.base_url}/api/hooks/{row.code}")
    except OutsideError as error:
        failure = f"it was not told where to send notices: {error}"[:300]
        with sessions.begin() as session:
            session.add(ChannelLog(channel_id=row.id, at=now, kind="hook", counts={}, entries=[], failure=failure))


def begin_store(session: Session, outside: Outside, dialect: str, name: str, address: str, code: str = "") -> Channel:
    """Write down a store that speaks a language of its own; most of them ask for consent before anything is pulled.

    Raises Invalid for a language that we do not speak or a store without a name, Conflict for one that is here.
    """
    if dialect not in DIALECTS:
        raise Invalid("unknown_language", f"Stores that we know to talk to: {', '.join(DIALECTS)}.")
    if not name.strip():
        raise Invalid("no_name", "Give the store a name by which people know it.")
    same = select(Channel.name).where((Channel.base_url == address) | (Channel.name == name.strip()))
    if session.scalar(same.where(Channel.kind == "webshop")) is not None:
        raise Conflict("channel_there", f"{name.strip()} is here already.")
    row = _new_channel(session, dialect, name.strip(), address, "asked", code)
    try:
        client = outside.channel(row)
    except RefusedOutside as refusal:
        raise _nothing_added(refusal) from refusal
    if not client.consent_url(outside.base_url):
        row.state = "connected"
    return row


def _new_channel(session: Session, adapter: str, name: str, address: str, state: str, code: str = "") -> Channel:
    row = Channel(
        code=code or free_code(session, Channel, name),
        name=name[:80],
        kind="webshop",
        adapter=adapter,
        base_url=address,
        state=state,
        states={},
        payments={},
        write_back={"shipped": True, "cancelled": True},
        last_pull={},
        secret_sealed="",
    )
    session.add(row)
    session.flush()
    return row
