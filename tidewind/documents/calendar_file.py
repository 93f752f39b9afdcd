"""Pickups as a calendar file (RFC 5545), for one or as a feed that a calendar subscribes to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import vobject
from vobject.icalendar import utc

from tidewind.core.folded_lines import folded

_NEVER = 10**9


@dataclass(frozen=True, slots=True)
class CalendarEntry:
    """One appointment: an id that stays the same, its instants (aware), what and where it is.

    ``tentative``: it is asked for and not confirmed.
    """

    uid: str
    stamped_at: datetime
    starts_at: datetime
    ends_at: datetime
    title: str
    where: str
    words: str
    cancelled: bool = False
    tentative: bool = False


def calendar_file(entries: Sequence[CalendarEntry], name: str) -> bytes:
    """Return the appointments as one file; a calendar knows a changed one again by its uid."""
    made = vobject.iCalendar()
    made.add("prodid").value = "-//Tidewind//pickups//EN"
    made.add("x-wr-calname").value = name
    made.add("method").value = "PUBLISH"
    for entry in entries:
        event = made.add("vevent")
        event.add("uid").value = entry.uid
        event.add("dtstamp").value = entry.stamped_at.astimezone(utc)
        event.add("dtstart").value = entry.starts_at.astimezone(utc)
        event.add("dtend").value = entry.ends_at.astimezone(utc)
        event.add("summary").value = entry.title
        event.add("location").value = entry.where
        event.add("description").value = entry.words
        settled = "TENTATIVE" if entry.tentative else "CONFIRMED"
        event.add("status").value = "CANCELLED" if entry.cancelled else settled
    # The library counts letters where the standard counts octets: it is left to fold nothing.
    whole = made.serialize(lineLength=_NEVER).removesuffix("\r\n").split("\r\n")
    return "".join(f"{folded(line)}\r\n" for line in whole).encode()
