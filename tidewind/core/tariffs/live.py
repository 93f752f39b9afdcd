"""Prices that a carrier tells on asking, instead of a list: what it answered, and until when that holds."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime

from tidewind.core.consignments import Consignment
from tidewind.core.frozen import frozen
from tidewind.core.quantities import Refused
from tidewind.core.tariffs.quote import Line, Quote

NOT_KNOWN = frozenset({"not_asked", "stale", "no_answer"})
"""Reasons for which a price is not known now: the carrier would have to be asked."""
NOT_ASKED = Refused("not_asked", "its price is asked from the carrier, and has not been asked yet")


@frozen
class Question:
    """What a carrier is asked: what a consignment costs that it takes along on a day."""

    consignment: Consignment
    ship_date: date

    @property
    def key(self) -> str:
        """A hash that is the same for questions whose answer must be the same."""
        c = self.consignment
        parcels = sorted((p.gross_g, p.size, p.packaging or "", p.not_stackable) for p in c.parcels)
        facts = (c.route.ends, c.route.home, c.route.po_box, c.route.point, c.goods.value, sorted(c.goods.contents),
                 sorted(c.extras), parcels, self.ship_date.isoformat())  # fmt: skip
        return hashlib.sha256(repr(facts).encode()).hexdigest()


Find = Callable[[Question], "LiveAnswer | None"]
"""Gives the answer to a question, None where it was not asked yet."""


class Answers:
    """What a live carrier has answered so far, as of one moment, about what leaves on ``day``."""

    def __init__(self, find: Find, now: datetime, day: date, *, none: bool = False) -> None:
        self._find, self._now, self.day, self._none = find, now, day, none
        self._last: tuple[Consignment | None, LiveAnswer | None] = (None, None)

    @property
    def none(self) -> bool:
        """Whether nobody has answered anything."""
        return self._none

    def with_newer(self, find: Find, now: datetime) -> Answers:
        """Return these answers as of now, with others before them, which are newer where there are such."""
        return Answers(lambda question: find(question) or self._find(question), now, self.day)

    def on(self, day: date) -> Answers:
        """Return what was answered about what leaves on another day."""
        return self if day == self.day else Answers(self._find, self._now, day, none=self._none)

    def _to(self, c: Consignment) -> LiveAnswer | None:
        seen = self._last  # several threads may ask at once, each about its own
        if seen[0] is not c:  # each of a carrier's services asks about the same one
            seen = self._last = (c, self._find(Question(c, self.day)))
        return seen[1]

    def quote(self, c: Consignment, service: str, zone: str, currency: str, account: str = "") -> Quote | Refused:
        """Return the price of a consignment as answered, or why there is none."""
        answer = self._to(c)
        quoted = NOT_ASKED if answer is None else answer.quote(service, zone, currency, self._now)
        return quoted if isinstance(quoted, Refused) else quoted._replace(account=account)

    def published_net(self, c: Consignment, service: str) -> int | None:
        """Return the carrier's own list price for a service, where it answered."""
        answer = self._to(c)
        price = answer.prices.get(service) if answer else None
        return price.published_net if price else None

    def stale_net(self, c: Consignment, service: str) -> int | None:
        """Return a price that was true until it expired, None where there is none."""
        answer = self._to(c)
        return None if answer is None else answer.stale_net(service, self._now)


@dataclass(frozen=True, slots=True)
class LivePrice:
    """One service's price as the carrier told it: its lines (code, name, minor units), tax, and its list price."""

    lines: tuple[tuple[str, str, int], ...]
    billable_g: int
    tax: int
    published_net: int


@dataclass(frozen=True, slots=True)
class LiveAnswer:
    """A carrier's answer for one consignment: prices and refusals by service; after ``expires`` it is stale.

    ``failure`` says in words why there is no answer, where the carrier was asked and gave none.
    """

    asked_at: datetime
    expires: datetime
    prices: Mapping[str, LivePrice]
    refusals: Mapping[str, str]
    failure: str = ""

    def quote(self, service: str, zone: str, currency: str, now: datetime) -> Quote | Refused:
        """Return a service's price, or the refusal; a price past its time is never returned."""
        if self.failure:
            return Refused("no_answer", self.failure)
        if service in self.refusals:
            return Refused("live", self.refusals[service])
        price = self.prices.get(service)
        if price is None:
            return Refused("live", "the carrier offers no price for it")
        if now >= self.expires:
            return Refused("stale", f"its price of {self.asked_at:%H:%M} UTC is too old to go by; ask again")
        lines = tuple(
            Line(code, name, amount, 0, ("told", "as the carrier told it")) for code, name, amount in price.lines
        )
        return Quote(service, zone, lines, price.billable_g, sum(line.amount for line in lines), price.tax, currency)

    def stale_net(self, service: str, now: datetime) -> int | None:
        """Return the price that was true until it expired, for showing it struck out; None while it is true."""
        price = self.prices.get(service)
        if price is None or now < self.expires:
            return None
        return sum(amount for _, _, amount in price.lines)


NO_ANSWERS = Answers(lambda _: None, datetime.max.replace(tzinfo=UTC), date.max, none=True)
"""For carriers with a list, and before anybody was asked."""
