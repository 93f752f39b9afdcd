"""The outside world as services reach it: one client per carrier, channel, printer and mail server."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from tidewind.db.tables import CarrierRow, Channel, Printer
from tidewind.outside.carrier import CarrierClient, Introduction
from tidewind.outside.channels.store import StoreIntroduction
from tidewind.outside.channels.upstream import ChannelClient
from tidewind.outside.feeds import Feeds
from tidewind.outside.mailer import Mailer
from tidewind.outside.printer import PrinterClient
from tidewind.outside.sms import SmsGateway
from tidewind.services.base.sealing import Sealer


@dataclass(frozen=True)
class Outside:
    """Ways to make clients, to ask who is at an address (with a key), and the address under which buyers reach us."""

    carrier: Callable[[CarrierRow], CarrierClient]
    introduce: Callable[[str, str], Introduction]
    channel: Callable[[Channel], ChannelClient]
    introduce_store: Callable[[str, str], StoreIntroduction]
    printer: Callable[[Printer], PrinterClient]
    feeds: Feeds
    mailer: Mailer
    has_mail: bool
    """Whether the program was started with a mail server of its own; without one mails wait for the shop's."""
    text: Callable[[SmsGateway, str, str], str]
    base_url: str
    close: Callable[[], None]
    sealer: Sealer
