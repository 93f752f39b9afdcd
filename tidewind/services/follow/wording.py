"""What each channel tells its buyers, and how: in its own words, else the shop's, else those that ship with us."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import time
from functools import lru_cache
from typing import Any, Final, cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.messages.deciding import QuietHours, Rules, Told
from tidewind.core.messages.filling import faults_in
from tidewind.core.messages.triggers import TRIGGERS, Trigger
from tidewind.core.written import Written
from tidewind.db.tables import Channel, MessageRules
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.follow.texts import languages
from tidewind.settings import DATA

SMS: Final = "{shop}: {subject}. {link}"
"""What an SMS says where nobody has written one; ``{subject}`` is the mail's."""
HOLD_OVER, MOST_HOLD = 1_000, 100_000
_COLOUR, _TIME = re.compile(r"#[0-9a-fA-F]{6}"), re.compile(r"([01]\d|2[0-3]):[0-5]\d")
LONGEST = {"subject": 200, "body": 4_000, "sms": 600}
Body = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Text:
    """Subject and text of a mail, and the text of an SMS, with their ``{fields}``."""

    subject: str
    body: str
    sms: str


@dataclass(frozen=True, slots=True)
class ChannelWords:
    """What a channel's buyers are told: rules, the language they are written to in (empty: theirs), the colour."""

    rules: Rules
    mine: Body
    shop: Body

    @property
    def language(self) -> str:
        """The one language of this channel, empty where each buyer is written to in their own."""
        return str(self.mine.get("language") or self.shop.get("language") or "")

    @property
    def colour(self) -> str:
        """The colour of its mails."""
        return str(self.mine.get("colour") or self.shop.get("colour") or "#7a2e54")

    def text(self, trigger: Trigger, language: str) -> Text:
        """Return the words of a trigger in a language, each from the first that has it."""
        subject, body = _shipped()[trigger][language]
        found = {"subject": subject, "body": body, "sms": ""}
        for said in (self.shop, self.mine):
            texts = said.get("triggers", {}).get(trigger, {}).get("texts", {}).get(language, {})
            found.update({name: words for name, words in texts.items() if words})
        return Text(found["subject"], found["body"], found["sms"] or SMS.replace("{subject}", found["subject"]))


@lru_cache(maxsize=1)
def _shipped() -> dict[str, dict[str, list[str]]]:
    return cast(dict[str, dict[str, list[str]]], json.loads((DATA / "messages.json").read_text("utf-8")))


def shipped_text(trigger: Trigger, language: str) -> Text:
    """Return the words that ship with us."""
    return ChannelWords(Rules(), {}, {}).text(trigger, language)


def words_by_channel(session: Session) -> Mapping[int | None, ChannelWords]:
    """Return what every channel's buyers are told, by the channel's id; None is the shop's own."""
    rows = {row.channel_id: row.body for row in session.scalars(select(MessageRules))}
    shop = rows.get(None, {})
    quiet = QuietHours(_clock(shop.get("quiet_from")), _clock(shop.get("quiet_until")))
    found: dict[int | None, ChannelWords] = {}
    for channel_id in (None, *session.scalars(select(Channel.id))):
        mine = rows.get(channel_id, {}) if channel_id is not None else {}
        found[channel_id] = ChannelWords(Rules(_told(mine), _told(shop), quiet), mine, shop)
    return found


def hold_over(session: Session) -> int:
    """Return how many messages may go at once before they wait for somebody's word."""
    body = session.scalar(select(MessageRules.body).where(MessageRules.channel_id.is_(None)))
    return int((body or {}).get("hold_over") or HOLD_OVER)


def _clock(text: object) -> time:
    return time.fromisoformat(str(text)) if text else time(0)


def _told(body: Body) -> dict[Trigger, Told]:
    ways = ("mail", "sms", "store")
    return {
        trigger: Told(*(said.get(way) is True for way in ways))
        for trigger, said in body.get("triggers", {}).items()
        if trigger in TRIGGERS and any(way in said for way in ways)
    }


def kept_rules(session: Session, channel: str) -> tuple[int, Body]:
    """Return a channel's rules as they were saved, with their version; 0 before the first.  Raises NotFound."""
    row = _row(session, _channel_id(session, channel))
    return (row.version, row.body) if row else (0, {})


def save_rules(session: Session, channel: str, body: Written, base_version: int) -> None:
    """Save what a channel's buyers are told; without a channel: the shop's.

    Raises NotFound, Invalid with everything that cannot be, Conflict where somebody else saved meanwhile.
    """
    channel_id = _channel_id(session, channel)
    faults = _faults(body)
    if faults:
        raise Invalid("bad_messages", " ".join(faults[:5]))
    row = _row(session, channel_id, lock=True)
    if (row.version if row else 0) != base_version:
        raise Conflict("saved_meanwhile", "Somebody else changed this meanwhile. Load it again; what you typed stays.")
    if row is None:
        session.add(MessageRules(channel_id=channel_id, body=body))
    else:
        row.body, row.version = body, row.version + 1


def _channel_id(session: Session, code: str) -> int | None:
    if not code:
        return None
    found = session.scalar(select(Channel.id).where(Channel.code == code))
    if found is None:
        raise NotFound("unknown_channel", "There is no such channel.")
    return found


def _row(session: Session, channel_id: int | None, *, lock: bool = False) -> MessageRules | None:
    same = MessageRules.channel_id.is_(None) if channel_id is None else MessageRules.channel_id == channel_id
    query = select(MessageRules).where(same)
    return session.scalar(query.with_for_update() if lock else query)


def _faults(body: Body) -> list[str]:
    """Return what cannot be: languages, times and colours that are none, texts with fields that no order fills."""
    faults = []
    if body.get("language") and body["language"] not in languages():
        faults.append(f"{body['language']} is no language that messages are written in.")
    if body.get("colour") and not _COLOUR.fullmatch(str(body["colour"])):
        faults.append("A colour is written #7a2e54.")
    faults += [
        f"{body[name]} is no time; write 21:00."
        for name in ("quiet_from", "quiet_until")
        if body.get(name) and not _TIME.fullmatch(str(body[name]))
    ]
    for trigger, said in body.get("triggers", {}).items():
        for language, texts in said.get("texts", {}).items():
            where = f"{trigger.replace('_', ' ')}, {language}"
            if language not in languages():
                faults.append(f"{language} is no language that messages are written in.")
            for name, words in texts.items():
                unknown = faults_in(words)
                if unknown:
                    faults.append(f"{where}: no order can fill {', '.join(unknown[:3])}.")
                if len(words) > LONGEST.get(name, 0):
                    faults.append(f"{where}: the {name} is longer than {LONGEST.get(name, 0)} letters.")
    return faults
