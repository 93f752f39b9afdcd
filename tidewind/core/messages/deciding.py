"""Whether something is told, by which way and when; and if it is not, why not."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import datetime, time, timedelta
from typing import Final, Literal

from tidewind.core.messages.triggers import BY_ITSELF, GOES_BY, Trigger, is_old_news

Way = Literal["mail", "sms"]
WAYS: Final[tuple[Way, ...]] = ("mail", "sms")


@dataclass(frozen=True, slots=True)
class Told:
    """What is told of one trigger: by mail, by SMS; ``store``: the store says it itself, so we never do."""

    mail: bool = False
    sms: bool = False
    store: bool = False


@dataclass(frozen=True, slots=True)
class QuietHours:
    """Between which times of the shop's clock nobody is written to; the same twice: there are none."""

    start: time = time(0)
    until: time = time(0)

    def after(self, local: datetime) -> datetime:
        """Return the first moment from ``local`` on that is not quiet; its zone stays."""
        now, start, until = local.timetz().replace(tzinfo=None), self.start, self.until
        quiet = start <= now < until if start <= until else now >= start or now < until
        if not quiet or start == until:
            return local
        ends = local.replace(hour=until.hour, minute=until.minute, second=0, microsecond=0)
        return ends if ends > local else ends + timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Rules:
    """What a channel tells its buyers, by trigger; what is not said here is as the shop has it, else as usual."""

    told: Mapping[Trigger, Told] = field(default_factory=dict)
    shop: Mapping[Trigger, Told] = field(default_factory=dict)
    quiet: QuietHours = QuietHours()

    def of(self, trigger: Trigger) -> Told:
        """Return what is told of a trigger."""
        found = self.told.get(trigger) or self.shop.get(trigger)
        if found is None and trigger in GOES_BY:
            return self.of(GOES_BY[trigger])
        return found or Told(mail=trigger in BY_ITSELF)


@dataclass(frozen=True, slots=True)
class Buyer:
    """Whom it would go to: their addresses, empty where there are none, which are blocked, and what was told before."""

    addresses: Mapping[Way, str]
    blocked: Mapping[str, str] = field(default_factory=dict)
    told_before: Collection[tuple[Trigger, Way]] = ()


@dataclass(frozen=True, slots=True)
class Decided:
    """One way of telling: to whom and when, or in ``not_sent`` why it is not.

    ``only_them``: it is the address that keeps it from going; whoever else is to be told is told.
    """

    way: Way
    to: str
    not_sent: str = ""
    at: datetime | None = None
    only_them: bool = False


def plain_address(address: str) -> str:
    """Return a mail address or phone number as it is compared: without spaces, in small letters."""
    return "".join(address.split()).lower()


def decide(
    trigger: Trigger, rules: Rules, buyer: Buyer, happened_at: datetime, local_now: datetime
) -> tuple[Decided, ...]:
    """Return what is told by each way that the rules want, and what is not and why (shop policy).

    ``local_now`` is in the shop's zone; blocked addresses are plain.  A way that nobody wants is no line.
    """
    told = rules.of(trigger)
    if told.store:
        return (Decided("mail", buyer.addresses.get("mail", ""), "the store tells its buyers of this itself"),)
    wanted = [way for way in WAYS if getattr(told, way)]
    return tuple(_by(way, trigger, rules, buyer, happened_at, local_now) for way in wanted)


def _by(way: Way, trigger: Trigger, rules: Rules, buyer: Buyer, happened_at: datetime, local_now: datetime) -> Decided:
    to = buyer.addresses.get(way, "")
    why = buyer.blocked.get(plain_address(to))
    if not to:
        what = "mail address" if way == "mail" else "phone number"
        return Decided(way, "", f"no {what} is known", only_them=True)
    if (trigger, way) in buyer.told_before:
        return Decided(way, to, "they were told of this already")
    if why:
        return Decided(way, to, f"nothing is sent to this address: {why}", only_them=True)
    if is_old_news(happened_at, local_now):
        return Decided(way, to, "it happened too long ago to be news")
    return Decided(way, to, at=rules.quiet.after(local_now))
