"""Pickups as a calendar file, read by a reader of our own that knows RFC 5545 and nothing else."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta, timezone

from hypothesis import example, given
from hypothesis import strategies as st

from tidewind.documents.calendar_file import CalendarEntry, calendar_file

KNOWN = {"BEGIN", "END", "UID", "DTSTAMP", "DTSTART", "DTEND", "SUMMARY", "LOCATION", "DESCRIPTION", "STATUS"}
TEXTS = st.lists(
    st.one_of(
        st.sampled_from(
            ["\r\n", "\n", ";", ",", ":", "\\", "\\n", '"', "BEGIN:VEVENT", "\nEND:VEVENT\n", "é", "東京", "😀" * 9]
        ),
        st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=40),
    ),
    max_size=6,
).map("".join)
FROM, TO = datetime(2026, 1, 1), datetime(2027, 12, 31)  # noqa: DTZ001 - their zone is drawn
MOMENTS = st.datetimes(FROM, TO, timezones=st.sampled_from([UTC, timezone(timedelta(hours=9))]))
ENTRIES = st.builds(
    CalendarEntry, st.from_regex(r"[a-z0-9-]{3,20}@[a-z]{3,9}", fullmatch=True), MOMENTS, MOMENTS, MOMENTS,
    TEXTS, TEXTS, TEXTS, st.booleans(), st.booleans(),
)  # fmt: skip


def read(data: bytes) -> list[dict[str, str]]:
    """Return the appointments of a file, each property by its name; what is no calendar fails here."""
    text = data.decode()
    assert text.endswith("\r\n")
    lines = text.split("\r\n")[:-1]
    assert all(len(line.encode()) <= 75 for line in lines), "lines are folded after 75 octets (3.1)"
    whole = re.sub(r"\r\n[ \t]", "", text).split("\r\n")[:-1]
    assert "\n" not in "".join(whole)
    assert (whole[0], whole[-1]) == ("BEGIN:VCALENDAR", "END:VCALENDAR")
    found: list[dict[str, str]] = []
    inside = False
    for line in whole[1:-1]:
        name, sign, value = line.partition(":")
        assert sign, f"no property: {line!r}"
        if line == "BEGIN:VEVENT":
            assert not inside
            inside = True
            found.append({})
        elif line == "END:VEVENT":
            inside = False
        elif inside:
            name = name.partition(";")[0]
            assert name in KNOWN, f"nobody wrote {name}"
            assert name not in found[-1], f"{name} twice"
            found[-1][name] = re.sub(r"\\(.)", lambda m: "\n" if m[1] in "nN" else m[1], value)
    assert not inside
    return found


def plain(text: str) -> str:
    """A text as a calendar keeps it: with line feeds alone, since that is the only break that it knows (3.3.11)."""
    return text.replace("\r\n", "\n")


def instant(moment: datetime) -> str:
    return f"{moment.astimezone(UTC):%Y%m%dT%H%M%SZ}"


@given(st.lists(ENTRIES, max_size=4, unique_by=lambda e: e.uid), TEXTS)
@example([], "Larkspur")
def test_what_is_read_is_what_was_written(entries: list[CalendarEntry], name: str) -> None:
    found = read(calendar_file(entries, name))
    assert len(found) == len(entries)
    for mine, entry in zip(found, entries, strict=True):
        assert mine["UID"] == entry.uid
        assert (mine["DTSTART"], mine["DTEND"]) == (instant(entry.starts_at), instant(entry.ends_at))
        settled = "TENTATIVE" if entry.tentative else "CONFIRMED"
        assert mine["STATUS"] == ("CANCELLED" if entry.cancelled else settled)
        assert mine["SUMMARY"] == plain(entry.title)
        assert mine["LOCATION"] == plain(entry.where)
        assert mine["DESCRIPTION"] == plain(entry.words)
