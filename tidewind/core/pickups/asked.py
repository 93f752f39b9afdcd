"""The window that is asked for: which one the rules suggest, and what stands against the one a person names."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time
from zoneinfo import ZoneInfo

from tidewind.core.pickups.rules import PickupRules
from tidewind.core.pickups.when import Where, refusal_for, window_refusal
from tidewind.core.quantities import Refused

QUARTER_MIN = 15
_DAY_MIN = 24 * 60


@dataclass(frozen=True, slots=True)
class Window:
    """The hours between which a van comes, on its carrier's clock; an exact hour begins and ends at one time."""

    start: time
    until: time

    @property
    def exact(self) -> bool:
        """Whether it is an exact hour."""
        return self.start == self.until


def usual_window(cutoff: time, day: date, asked_at: datetime, rules: PickupRules, where: Where) -> Window:
    """Return the window to suggest: as late as the rules let it begin, and not after the cut-off.

    What is bought until it begins goes along, so a later one takes more along (shop policy).  A regular round has the
    van's own hours.  On the day itself it begins no sooner than the next quarter of an hour.
    """
    if not rules.least_span_min:
        return Window(rules.opens, rules.closes)
    start = min(_minutes(cutoff), _minutes(rules.closes) - rules.least_span_min)
    local = asked_at.astimezone(ZoneInfo(where.zone))
    if local.date() == day:
        start = max(start, -(-(_minutes(local.time()) + 1) // QUARTER_MIN) * QUARTER_MIN)
    start = max(start, _minutes(rules.opens))
    return Window(_clock(start), _clock(start + rules.least_span_min))


def wish_refusal(day: date, window: Window, asked_at: datetime, rules: PickupRules, where: Where) -> Refused | None:
    """Return None where a pickup can be asked for at a moment (aware), else the first reason why not."""
    why = refusal_for(day, asked_at, rules, where) or window_refusal(window.start, window.until, rules)
    if why is not None or not rules.least_span_min:
        return why
    begins = datetime.combine(day, window.start, ZoneInfo(where.zone))
    if begins.astimezone(ZoneInfo("UTC")) < asked_at.astimezone(ZoneInfo("UTC")):
        return Refused("begun", f"{window.start:%H:%M} is over")
    return None


def leaves_by(cutoff: time, window: Window | None, rules: PickupRules) -> time:
    """Return until when a label of a day still goes along: its cut-off, or the asked window where that begins sooner.

    A regular round comes when it comes, so its hours take nothing away from the card's cut-off.
    """
    return cutoff if window is None or not rules.least_span_min else min(cutoff, window.start)


def _minutes(at: time) -> int:
    return at.hour * 60 + at.minute


def _clock(minutes: int) -> time:
    at = min(max(minutes, 0), _DAY_MIN - 1)
    return time(at // 60, at % 60)
