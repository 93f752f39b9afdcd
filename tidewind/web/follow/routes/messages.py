"""What buyers are told: rules and words by channel, a look before it goes, the log, blocked addresses."""

from __future__ import annotations

from dataclasses import asdict
from typing import get_args

from fastapi import APIRouter
from sqlalchemy.orm import Session

from tidewind.core.messages.filling import FIELDS
from tidewind.core.messages.triggers import BY_ITSELF, GOES_BY, TRIGGERS, Trigger
from tidewind.services import follow as service
from tidewind.services.follow import languages
from tidewind.services.shop import all_channels
from tidewind.web.access import Anyone, Care, Now, Owner, Parts, Tx
from tidewind.web.base.schemas import CountOut
from tidewind.web.follow.message_schemas import (
    BlockedOut,
    BlockedWhyOut,
    BlockIn,
    HeldIn,
    LoggedOut,
    MessageRulesBody,
    MessageRulesIn,
    MessageRulesOut,
    MessageTextOut,
    SampleIn,
    SampleOut,
    TellingIn,
    TellingOut,
    TestMessageIn,
    WriteBackOut,
)

router = APIRouter(tags=["messages"])


@router.get("/api/messages/rules")
def rules(_who: Anyone, session: Tx, channel: str = "") -> MessageRulesOut:
    """Return what a channel's buyers are told; without a channel, what those of the shop are."""
    version, body = service.kept_rules(session, channel)
    shop = service.kept_rules(session, "")[1]
    return MessageRulesOut(
        version=version,
        body=MessageRulesBody.model_validate(body),
        shop=MessageRulesBody.model_validate(shop),
        usual={trigger: trigger in BY_ITSELF for trigger in TRIGGERS},
        goes_by=GOES_BY,
        shipped={trigger: _shipped(trigger) for trigger in get_args(Trigger)},
        channels={one.code: one.name for one in all_channels(session)},
        languages=list(languages()),
        fields=list(FIELDS),
        held=service.held_messages(session),
    )


def _shipped(trigger: Trigger) -> dict[str, MessageTextOut]:
    return {one: MessageTextOut.model_validate(service.shipped_text(trigger, one)) for one in languages()}


@router.put("/api/messages/rules")
def save(body: MessageRulesIn, who: Owner, session: Tx) -> MessageRulesOut:
    """Save what a channel's buyers are told from now on."""
    service.save_rules(session, body.channel, body.body.plain(), body.base_version)
    session.flush()
    return rules(who, session, body.channel)


@router.post("/api/messages/sample")
def sample(body: SampleIn, _who: Care, session: Tx, parts: Parts, now: Now) -> SampleOut:
    """Return a message as it would go, by rules that are not saved."""
    return SampleOut.model_validate(_sample(body, session, parts, now))


def _sample(body: SampleIn, session: Session, parts: Parts, now: Now) -> service.Sample:
    draft = body.body.plain()
    asked = service.SampleAsked(body.channel, draft, body.trigger, body.language, body.order_number)
    return service.sample(session, asked, parts.outside.base_url, now)


@router.post("/api/messages/test", status_code=204)
def test(body: TestMessageIn, _who: Care, session: Tx, parts: Parts, now: Now) -> None:
    """Mail a message to oneself."""
    service.send_sample(parts.outside, session, _sample(body, session, parts, now), body.recipient)


@router.get("/api/messages/log")
def log(_who: Anyone, session: Tx, search: str = "") -> list[LoggedOut]:
    """Return the newest messages: who was sent what, when and why, and what was not sent, and why not."""
    return [LoggedOut.model_validate(one) for one in service.message_log(session, search[:100])]


@router.post("/api/messages/held")
def held(body: HeldIn, who: Care, session: Tx) -> CountOut:
    """Send the messages that are held, since too many would have gone at once, or drop them."""
    return CountOut(count=service.let_go(session, who.name, send=body.send))


@router.get("/api/messages/blocked")
def blocked(_who: Anyone, session: Tx) -> list[BlockedOut]:
    """Return the addresses to which nothing is sent, the newest first."""
    return [BlockedOut.model_validate(one) for one in service.blocked_addresses(session)]


@router.post("/api/messages/blocked", status_code=204)
def block(body: BlockIn, _who: Care, session: Tx, now: Now) -> None:
    """Send nothing to an address any more."""
    service.block_address(session, body.address, body.why, body.words, now)


@router.delete("/api/messages/blocked/{address_id}", status_code=204)
def unblock(address_id: int, _who: Care, session: Tx) -> None:
    """Send to an address again."""
    service.unblock_address(session, address_id)


@router.get("/api/orders/{order_id}/telling")
def telling(order_id: int, _who: Anyone, session: Tx) -> TellingOut:
    """Return who is told of an order, and what they were told."""
    return _telling(session, order_id, service.telling_of(session, order_id))


@router.put("/api/orders/{order_id}/telling")
def set_telling(order_id: int, body: TellingIn, who: Care, session: Tx, now: Now) -> TellingOut:
    """Say who else is told of an order, and a personal line in its mails."""
    found = service.set_telling(session, order_id, body.also_tell, body.own_line, who.name, now)
    return _telling(session, order_id, found)


def _telling(session: Session, order_id: int, found: service.Telling) -> TellingOut:
    logged = service.message_log(session, order_id=order_id)
    return TellingOut(
        also_tell=list(found.also_tell),
        own_line=found.own_line,
        blocked=[BlockedWhyOut(address=address, why=why) for address, why in found.blocked],
        messages=[LoggedOut(**asdict(one)) for one in logged],
    )


@router.get("/api/write-backs")
def write_backs(_who: Anyone, session: Tx, stuck: bool = True) -> list[WriteBackOut]:
    """Return what channels are told of their orders; only what was tried and did not get through, if ``stuck``."""
    return [WriteBackOut.model_validate(one) for one in service.write_backs(session, stuck=stuck)]


@router.post("/api/write-backs/{notice_id}/again", status_code=204)
def tell_again(notice_id: int, _who: Care, session: Tx, now: Now) -> None:
    """Tell a channel again at once."""
    service.tell_again(session, notice_id, now)
