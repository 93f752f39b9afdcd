"""Messages from end to end: who is told what, once, by which way and when; what does not go, and why; mails as such."""

from __future__ import annotations

import email
import email.policy
import json
import re
from dataclasses import replace
from datetime import timedelta
from html.parser import HTMLParser
from typing import Any

import httpx
import pytest
from sqlalchemy import select

from tests.conftest import Clock
from tests.services.test_after_the_purchase import bought
from tidewind.core.tracking.states import TrackingState
from tidewind.db.tables import BlockedAddress, Channel, Departure, Label, Message, Shipment
from tidewind.outside.carrier import CarrierEvent
from tidewind.outside.errors import RefusedOutside
from tidewind.outside.mailer import Dress, write_mail
from tidewind.services.base import Conflict, Invalid
from tidewind.services.follow import (
    SampleAsked,
    block_address,
    held_messages,
    let_go,
    message_log,
    sample,
    save_rules,
    send_due_news,
    set_telling,
    stop_messages,
    take_events,
    tell_buyer,
    tell_what_happened,
)
from tidewind.services.follow.dressing import Look, dressed
from tidewind.web.access import Wiring

ON = {"mail": True, "sms": True}
EVERY = {
    "triggers": dict.fromkeys(("moving", "out_for_delivery", "awaiting_collection", "delivered", "handed_over"), ON)
}


def rules(wiring: Wiring, body: dict[str, Any], channel: str = "", base: int = 0) -> None:
    with wiring.sessions.begin() as session:
        save_rules(session, channel, body, base)


def hear(wiring: Wiring, shipment_id: int, *states: str, hours_ago: float = 1) -> None:
    """Let the carrier tell states of a shipment's parcels, ten minutes apart, the newest first."""
    now = wiring.clock()
    with wiring.sessions.begin() as session:
        shipment = session.get_one(Shipment, shipment_id)
        events = [
            CarrierEvent(
                now - timedelta(hours=hours_ago, minutes=-10 * n), TrackingState(s), s, "Évora", id=f"{s}{hours_ago}"
            )
            for n, s in enumerate(states)
        ]
        take_events(session, shipment, {label.id: events[::-1] for label in shipment.labels}, "http://shop", now)


def told(wiring: Wiring, shipment_id: int) -> dict[str, tuple[str, str]]:
    """Return what is written to a buyer, by kind: to whom, and why it is not sent."""
    with wiring.sessions() as session:
        rows = session.scalars(select(Message).where(Message.shipment_id == shipment_id))
        return {m.kind: (m.recipient, m.not_sent) for m in rows}


def address(wiring: Wiring, shipment_id: int, **change: str) -> None:
    with wiring.sessions.begin() as session:
        shipment = session.get_one(Shipment, shipment_id)
        shipment.address = replace(shipment.address, **change)


def heard_by_mail(wiring: Wiring) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = httpx.get(f"{wiring.settings.standins_url}/mail/all").json()
    return found


def test_a_buyer_is_told_once_of_each_thing_by_the_ways_that_are_wanted(wiring: Wiring, clock: Clock) -> None:
    first, second = bought(wiring, 2)
    rules(wiring, EVERY)
    address(wiring, first, email="ana@buyers.example", phone="+351912000111", name="Ana {link}", country="PT")
    address(wiring, second, email="", phone="", country="DE")
    for _ in range(2):  # told twice and in any order, they are the same events
        hear(wiring, first, "moving")
        hear(wiring, first, "accepted", "moving", "out_for_delivery")
        hear(wiring, first, "delivered", hours_ago=0.5)
    hear(wiring, second, "moving")
    found = told(wiring, first)
    assert {kind for kind in found if kind != "label"} == {
        "moving", "moving:sms", "out_for_delivery", "out_for_delivery:sms", "delivered", "delivered:sms",
    }  # fmt: skip
    assert told(wiring, second)["moving"] == ("", "no mail address is known")
    send_due_news(wiring.sessions, wiring.outside, clock)
    assert send_due_news(wiring.sessions, wiring.outside, clock) == 0
    mails = [m for m in heard_by_mail(wiring) if m["recipient"] == "ana@buyers.example"]
    assert [m["subject"].split(" ")[-1] for m in mails] == ["chegou"]  # what it has overtaken is not told any more
    assert all("Olá Ana {link}," in m["body"] and "Évora" in m["body"] for m in mails)
    texts = httpx.get(f"{wiring.settings.standins_url}/texts/all").json()
    assert sum(t["recipient"] == "+351912000111" for t in texts) == 1
    with wiring.sessions() as session:
        log = [m for m in message_log(session, "ANA@buyers") if m.trigger != "label"]
        assert [(m.state, m.by) for m in log].count(("sent", "mail")) == 1
        assert all(m.reason.startswith("the carrier says") for m in log)
        assert not message_log(session, "%")


def test_why_something_is_not_told_stands_in_the_log(wiring: Wiring, clock: Clock) -> None:
    ids = bought(wiring, 4)
    rules(wiring, EVERY | {"quiet_from": "21:00", "quiet_until": "08:00"})
    with wiring.sessions.begin() as session:
        key = session.get_one(Shipment, ids[0]).tracking_key
        stop_messages(session, key, clock())
        block_address(session, "+351 912 000 222", "complained", "", clock())
    with pytest.raises(Invalid), wiring.sessions.begin() as session:
        block_address(session, "somebody", "by_hand", "", clock())
    address(wiring, ids[1], phone="+351912000222", email="eva@buyers.example")
    for shipment_id in ids[:2]:
        hear(wiring, shipment_id, "moving")
    hear(wiring, ids[2], "moving", hours_ago=40)
    assert "wants no more" in told(wiring, ids[0])["moving"][1]
    assert told(wiring, ids[1])["moving"] == ("eva@buyers.example", "")
    assert "complained" in told(wiring, ids[1])["moving:sms"][1]
    assert "too long ago" in told(wiring, ids[2])["moving"][1]
    with wiring.sessions() as session:
        code = session.get_one(Shipment, ids[3]).order.channel.code
    rules(wiring, {"triggers": {"moving": {"store": True}}}, code)
    hear(wiring, ids[3], "moving")
    assert "store" in told(wiring, ids[3])["moving"][1]
    clock.move(hours=12.5)  # half past ten in the evening
    hear(wiring, ids[1], "delivered", hours_ago=0)
    sent = len(heard_by_mail(wiring))
    send_due_news(wiring.sessions, wiring.outside, clock)
    quiet = [m["subject"] for m in heard_by_mail(wiring)[sent:] if m["recipient"] == "eva@buyers.example"]
    assert quiet == []  # what was to go in the morning is overtaken, and what happened in the night waits
    with wiring.sessions.begin() as session:  # and who asks for no more until then gets none
        waiting = session.scalars(select(Message).where(Message.kind == "delivered")).one()
        assert waiting.next_at == clock.at.replace(hour=8, minute=0) + timedelta(days=1)
        block_address(session, "EVA@buyers.example", "asked", "", clock())
    clock.move(hours=10)
    send_due_news(wiring.sessions, wiring.outside, clock)
    assert "wants no more" in told(wiring, ids[1])["delivered"][1]


def test_a_mailbox_that_is_gone_gets_nothing_more_and_too_many_wait_for_a_word(wiring: Wiring, clock: Clock) -> None:
    ids = bought(wiring, 4)
    rules(wiring, EVERY | {"hold_over": 2})
    send_due_news(wiring.sessions, wiring.outside, clock)
    with wiring.sessions.begin() as session:
        assert held_messages(session) == 4  # one for each label
        assert let_go(session, "Inês", send=False) == 4
    address(wiring, ids[0], email="gone@buyers.example", phone="")
    hear(wiring, ids[0], "moving")
    send_due_news(wiring.sessions, wiring.outside, clock)
    assert "refused the address" in told(wiring, ids[0])["moving"][1]
    with wiring.sessions() as session:
        assert session.scalars(select(BlockedAddress.address)).all() == ["gone@buyers.example"]
    hear(wiring, ids[0], "delivered", hours_ago=0.1)
    assert "came back" in told(wiring, ids[0])["delivered"][1]
    for shipment_id in ids[1:]:
        hear(wiring, shipment_id, "moving")
    assert send_due_news(wiring.sessions, wiring.outside, clock) == 0
    with wiring.sessions.begin() as session:
        assert let_go(session, "Inês", send=True) == held_messages(session) + 6 == 6
    assert send_due_news(wiring.sessions, wiring.outside, clock) >= 3


def test_others_are_told_too_with_a_personal_line_and_what_no_carrier_says_is_told_by_the_clock(
    wiring: Wiring, clock: Clock
) -> None:
    (one,) = bought(wiring, 1)
    with wiring.sessions.begin() as session:
        order_id = session.get_one(Shipment, one).order_id
        for wrong in (["somebody"], ["a@b.example, c@d.example"], [f"p{n}@b.example" for n in range(6)]):
            with pytest.raises(Invalid):
                set_telling(session, order_id, wrong, "", "Rute", clock())
        set_telling(session, order_id, ["lia@buyers.example"], "A gift:\n\nfrom {name}", "Rute", clock())
    rules(wiring, EVERY | {"triggers": {**EVERY["triggers"], "late": ON}})
    with wiring.sessions.begin() as session:
        label = session.scalars(select(Label).where(Label.shipment_id == one)).first()
        assert label
        departure = session.get_one(Departure, label.departure_id)
        departure.state, departure.handed_over_at = "handed_over", clock()
    for _ in range(2):
        tell_what_happened(wiring.sessions, wiring.outside, clock)
    found = told(wiring, one)
    assert "handed_over" in found and found["handed_over:also1"] == ("lia@buyers.example", "")  # noqa: PT018
    with wiring.sessions() as session:
        body = session.scalars(select(Message.body).where(Message.kind == "handed_over")).one()
        assert "\n\nA gift: from {name}\n\n" in body
    hear(wiring, one, "moving")
    clock.move(days=9)
    tell_what_happened(wiring.sessions, wiring.outside, clock)
    with wiring.sessions.begin() as session:
        shipment = session.get_one(Shipment, one)
        shipment.arrives = clock().date() - timedelta(days=1)
    for _ in range(2):
        tell_what_happened(wiring.sessions, wiring.outside, clock)
    assert "late" in told(wiring, one)


@pytest.mark.parametrize(
    ("body", "why"),
    [
        ({"triggers": {"label": {"texts": {"en": {"body": "Dear {nmae}"}}}}}, "{nmae}"),
        ({"triggers": {"label": {"texts": {"en": {"sms": "{__class__}"}}}}}, "{__class__}"),
        ({"triggers": {"label": {"texts": {"xx": {"body": "Dear"}}}}}, "xx is no language"),
        ({"triggers": {"label": {"texts": {"en": {"subject": "x" * 201}}}}}, "longer"),
        ({"language": "tlh"}, "no language"),
        ({"colour": "red;background:url(//x)"}, "colour"),
        ({"quiet_from": "24:00"}, "no time"),
    ],
)
def test_words_that_cannot_be_are_refused(wiring: Wiring, body: dict[str, Any], why: str) -> None:
    with pytest.raises(Invalid, match=re.escape(why)):
        rules(wiring, body)


def test_of_two_who_save_at_once_the_second_is_told_and_a_sample_shows_what_would_go(
    wiring: Wiring, clock: Clock
) -> None:
    (one,) = bought(wiring, 1)
    rules(wiring, EVERY)
    with pytest.raises(Conflict):
        rules(wiring, {"language": "pt"})
    rules(wiring, {"language": "pt", "colour": "#123456"}, base=1)
    draft = {"triggers": {"delivered": {"texts": {"nl": {"body": "Dag {name} {what}", "sms": "ã" * 71}}}}}
    with wiring.sessions() as session:
        made = sample(session, SampleAsked("", draft, "delivered", "nl"), "http://shop", clock())
        name = session.get_one(Shipment, one).address.name
        assert (made.text, made.faults) == (f"Dag {name} ⟨what⟩", ("{what}",))
        assert (made.sms_length.parts, made.sms_length.basic) == (2, False)
        code = session.scalars(select(Channel.code).join(Shipment.order.property.mapper.class_)).first()
        assert sample(session, SampleAsked(code or "", {}, "label"), "http://shop", clock()).language == "pt"


class Elements(HTMLParser):
    """What a mail program would make of a page: its elements and the texts in them."""

    def __init__(self) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.scripts: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append(tag)
        assert not [name for name, _ in attrs if name.startswith("on")]

    def handle_data(self, data: str) -> None:
        if self.tags and self.tags[-1] == "script":
            self.scripts.append(data)


EVIL = "</script><script>alert(1)</script><img src=x onerror=alert(1)>\"'&"


@pytest.mark.parametrize(
    "name",
    ["Ana Vale", EVIL, "Ana\r\nBcc: eve@d.example", "שרה כהן", "\u202eevil", "🌱 Loja", "A" * 1_000_000, "", "=?utf-8?b?QQ==?="],
    ids=["plain", "script", "header", "hebrew", "reversed", "emoji", "a megabyte", "empty", "encoded"],
)  # fmt: skip
def test_a_mail_is_whole_whatever_somebody_is_called(wiring: Wiring, name: str) -> None:
    (one,) = bought(wiring, 1, key=f"k{len(name)}{name[:2].encode().hex()}")
    with wiring.sessions() as session:
        shipment = session.get_one(Shipment, one)
        shipment.address = replace(shipment.address, city=name[:2_000] or "Évora")
        look = Look(name, "#7a2e54", "pt", "http://shop/t/k", "http://shop/t/k/stop", name, has_logo=True)
        html = dressed(f"Olá {name},\n\nSiga-a aqui: http://shop/t/k\n\n{name}\n", look, shipment)
        number = shipment.order.number
    dress = Dress(html, "key.1", look.stop, b"\x89PNG\r\n")
    mail = write_mail((name[:300], "shop@larkspur.example"), "ana@buyers.example", name[:300], name, None, dress)
    read = email.message_from_bytes(mail.as_bytes(policy=email.policy.SMTP), policy=email.policy.strict)
    assert read["To"] == "ana@buyers.example"
    assert read["Bcc"] is None
    assert read["Message-ID"] == "<key.1@larkspur.example>"
    assert read["List-Unsubscribe"] == "<http://shop/t/k/stop>"
    assert not read.defects
    page = read.get_body(("related", "html"))
    plain = read.get_body(("plain",))
    assert page is not None
    assert plain is not None
    assert plain.get_content().split() == name.split()
    seen = Elements()
    seen.feed(html)
    assert seen.tags.count("script") == 1
    assert seen.tags.count("img") == 1
    told_to_programs = json.loads("".join(seen.scripts))
    assert told_to_programs["@type"] == "ParcelDelivery"
    assert told_to_programs["partOfOrder"]["orderNumber"] == number


def test_an_address_that_would_be_two_is_none() -> None:
    for wrong in ("a@b.example,c@d.example", "a@b.example\nBcc: e@d.example", "<a@b.example>", ""):
        with pytest.raises(RefusedOutside):
            write_mail(("Shop", "shop@larkspur.example"), wrong, "S", "B", None, None)


def test_what_was_told_by_hand_is_not_told_by_itself_nor_the_other_way_round(wiring: Wiring, clock: Clock) -> None:
    waits, late = bought(wiring, 2)
    rules(wiring, {"triggers": {"awaiting_collection": ON, "late": ON}})
    for shipment_id in (waits, late):
        address(wiring, shipment_id, email=f"b{shipment_id}@buyers.example")
    hear(wiring, waits, "moving", "awaiting_collection")
    hear(wiring, late, "moving")
    with wiring.sessions.begin() as session:
        session.get_one(Shipment, late).arrives = clock().date() + timedelta(days=1)
    clock.move(days=3)
    hear(wiring, late, "out_for_delivery")  # it is not silent, and late
    with wiring.sessions.begin() as session:
        tell_buyer(session, wiring.outside, late, "Rute", clock())
    tell_what_happened(wiring.sessions, wiring.outside, clock)
    assert set(told(wiring, late)) - {"label"} <= {"told:late", "late:sms"}
    clock.move(days=3)
    with wiring.sessions.begin() as session, pytest.raises(Conflict, match="told of this already"):
        tell_buyer(session, wiring.outside, waits, "Rute", clock())
