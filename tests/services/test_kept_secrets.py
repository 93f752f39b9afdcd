"""A secret that is kept goes to the place that it was typed for, and to no other: that needs it to be typed again."""

from __future__ import annotations

from dataclasses import replace

import pytest
from sqlalchemy.orm import Session

from tests.services.test_feeds import feed
from tidewind.db.tables import Feed
from tidewind.services.base import Invalid
from tidewind.services.orders import save_feed
from tidewind.services.planning import shop_settings
from tidewind.services.shop import MailSettings, SmsSettings, save_mail_settings, save_sms_settings
from tidewind.web.access import Wiring

MAIL = MailSettings("mail.shop.example", 587, "starttls", "ada", "shop@shop.example", "spade")
SMS = SmsSettings("https://sms.shop.example/send", secret="spade")
FEED = "https://files.shop.example/orders.json"


@pytest.mark.parametrize(
    ("change", "stays"),
    [
        ({"sender": "other@shop.example"}, True),
        ({"user": "eva"}, True),
        ({"port": 465, "tls": "tls"}, False),
        ({"host": "mail.elsewhere.example"}, False),
        ({"host": "MAIL.shop.example"}, True),
        ({"tls": "tls"}, False),  # another way in: whoever answers there may be another
    ],
)
def test_a_mail_servers_password(wiring: Wiring, session: Session, change: dict[str, object], stays: bool) -> None:
    sealer, row = wiring.outside.sealer, shop_settings(session)
    save_mail_settings(session, MAIL, sealer)
    later = replace(MAIL, password=None, **change)  # type: ignore[arg-type]
    if stays:
        save_mail_settings(session, later, sealer)
    else:
        with pytest.raises(Invalid, match="type it again"):
            save_mail_settings(session, later, sealer)
        assert row.mail_server["host"] == MAIL.host
        save_mail_settings(session, replace(later, password="trowel"), sealer)
    assert sealer.open(row.mail_server["password"]) == ("spade" if stays else "trowel")


@pytest.mark.parametrize(
    ("url", "stays"),
    [
        ("https://sms.shop.example/v2/send?x=1", True),
        ("https://sms.shop.example:443/send", True),
        ("http://sms.shop.example/send", False),
        ("https://sms.shop.example:8443/send", False),
        ("https://sms.shop.example.evil.example/send", False),
        ("https://sms.shop.example@evil.example/send", False),
    ],
)
def test_a_gateways_and_a_feeds_key(wiring: Wiring, session: Session, url: str, stays: bool) -> None:
    sealer, row = wiring.outside.sealer, shop_settings(session)
    save_sms_settings(session, SMS, sealer)
    fed = save_feed(session, None, feed(address=FEED, secret="spade"), sealer, 1).id
    there = url.replace("sms.", "files.")
    if stays:
        save_sms_settings(session, replace(SMS, url=url, secret=None), sealer)
        save_feed(session, fed, feed(address=there, secret=None), sealer, 1)
    else:
        with pytest.raises(Invalid, match="type it again"):
            save_sms_settings(session, replace(SMS, url=url, secret=None), sealer)
        with pytest.raises(Invalid):
            save_feed(session, fed, feed(address=there, secret=None), sealer, 1)
    assert sealer.open(row.sms_gateway["secret"]) == "spade"
    assert row.sms_gateway["url"] == (url if stays else SMS.url)
    session.refresh(kept := session.get_one(Feed, fed))
    assert kept.address == (there if stays else FEED)


def test_where_none_is_kept_none_is_asked_for(wiring: Wiring, session: Session) -> None:
    sealer = wiring.outside.sealer
    save_mail_settings(session, replace(MAIL, password="", user=""), sealer)
    save_mail_settings(session, replace(MAIL, password=None, user="", host="mail.elsewhere.example"), sealer)
    save_sms_settings(session, replace(SMS, secret=""), sealer)
    save_sms_settings(session, replace(SMS, secret=None, url="https://elsewhere.example/send"), sealer)
