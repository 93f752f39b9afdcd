"""Opening hours, written as OpenStreetMap writes them: ``Mo-Fr 09:00-19:00; Sa 09:00-13:00; Su,PH off``.

The part of its grammar that shops need: days, spans of clock times, public holidays, ``off`` and ``24/7``.  A later
rule holds instead of an earlier one for the days it names (wiki.openstreetmap.org/wiki/Key:opening_hours).
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date, time

Spans = tuple[tuple[time, time], ...]
"""From when until when, one after the other."""
DAYS = ("Mo", "Tu", "We", "Th", "Fr", "Sa", "Su")
HOLIDAY = "PH"
_LAST = time(23, 59)
ALWAYS: Spans = ((time(0), _LAST),)
_RULE = re.compile(r"((?:[A-Z][a-zH](?:-[A-Z][a-z])?,? ?)*)(off|closed|24/7|\d.*)?$")
_SPAN = re.compile(r"(\d{1,2}):(\d{2})-(\d{1,2}):(\d{2})")


@dataclass(frozen=True, slots=True)
class Hours:
    """When something is open: spans by weekday (Monday first), and on public holidays where that is said."""

    week: tuple[Spans, ...]
    holidays: Spans | None = None

    def on(self, day: date, holiday: bool) -> Spans:
        """Return when it is open on a day."""
        return self.holidays if holiday and self.holidays is not None else self.week[day.weekday()]

    def runs(self) -> tuple[tuple[int, int, Spans], ...]:
        """Return the week in runs of days that are alike: first and last weekday (Monday is 0), and when it is open."""
        starts = [day for day in range(len(DAYS)) if day == 0 or self.week[day] != self.week[day - 1]]
        ends = [start - 1 for start in starts[1:]] + [len(DAYS) - 1]
        return tuple((start, end, self.week[start]) for start, end in zip(starts, ends, strict=True))


def read_hours(text: str) -> Hours | None:
    """Return written opening hours, None where nothing is written.  Raises ValueError with what is wrong."""
    if not text.strip():
        return None
    week: list[Spans] = [()] * len(DAYS)
    holidays: Spans | None = None
    for rule in filter(None, (part.strip() for part in text.split(";"))):
        match = _RULE.fullmatch(rule)
        if match is None or not (match[1] or match[2]):
            raise ValueError(f"“{rule[:40]}” are no opening hours; write Mo-Fr 09:00-19:00")
        days, on_holidays = _days(match[1].strip() or "Mo-Su")
        spans = _spans(match[2] or "24/7")
        for day in days:
            week[day] = spans
        holidays = spans if on_holidays else holidays
    return Hours(tuple(week), holidays)


def _days(text: str) -> tuple[set[int], bool]:
    found, holidays = set[int](), False
    for word in filter(None, re.split(r"[ ,]+", text)):
        first, _, last = word.partition("-")
        if word == HOLIDAY:
            holidays = True
            continue
        if first not in DAYS or (last or first) not in DAYS:
            raise ValueError(f"“{word}” is no day of the week; write Mo, Tu, We, Th, Fr, Sa, Su or PH")
        start, end = DAYS.index(first), DAYS.index(last or first)
        found |= set(range(start, end + 1)) if start <= end else {*range(start, len(DAYS)), *range(end + 1)}
    return found, holidays


def _spans(text: str) -> Spans:
    if text in ("off", "closed"):
        return ()
    if text == "24/7":
        return ALWAYS
    made = []
    for span in text.split(","):
        match = _SPAN.fullmatch(span.strip())
        if match is None:
            raise ValueError(f"“{span.strip()[:20]}” is no span of hours; write 09:00-19:00")
        start, end = _clock(match[1], match[2]), _clock(match[3], match[4])
        made.append((start, end if end > start else _LAST))  # what is open beyond midnight, is so until midnight
    return tuple(sorted(made))


def _clock(hour: str, minute: str) -> time:
    if hour == "24" and minute == "00":
        return _LAST
    try:
        return time(int(hour), int(minute))
    except ValueError as error:
        raise ValueError(f"{hour}:{minute} is no time of day") from error
