"""The own record: how long each service usually takes to each group of destinations, and how long it is silent."""

from __future__ import annotations

from collections import defaultdict
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import text
from sqlalchemy.orm import Session

from tidewind.core.tracking.usual import Record, usual, working_days_since, working_tenths

LOOKED_BACK = timedelta(days=90)
_WAYS = text("""
    select s.service, o.destination, s.sender->>'country' as origin, s.address->>'country' as country,
           min(e.at) filter (where e.state in ('accepted', 'moving')) as left_at,
           min(e.at) filter (where e.state = 'delivered') as there_at,
           array_agg(e.at order by e.at) filter (where e.state not in ('', 'announced')) as heard
    from shipment s
    join customer_order o on o.id = s.order_id
    join label l on l.shipment_id = s.id and l.tracking_state = 'delivered'
    join tracking_event e on e.label_id = l.id
    where s.bought_at > :since
    group by l.id, s.service, o.destination, s.sender->>'country', s.address->>'country'
""")
_kept: dict[str, tuple[object, Record]] = {}


def usual_days(session: Session, now: datetime, zone: ZoneInfo) -> Record:
    """Return what is usual by service and destination group, from the parcels delivered in the last 90 days.

    It is worked out once an hour; too few parcels say nothing (see ``core.tracking.usual``).
    """
    where, hour = str(session.get_bind().engine.url), int(now.timestamp()) // 3600
    known = _kept.get(where)
    if known is not None and known[0] == hour:
        return known[1]
    record = work_out(session, now, zone)
    _kept.clear()
    _kept[where] = hour, record
    return record


def work_out(session: Session, now: datetime, zone: ZoneInfo) -> Record:
    """Return the record as it is now."""
    took: defaultdict[tuple[str, str], list[int]] = defaultdict(list)
    gaps: defaultdict[tuple[str, str], list[int]] = defaultdict(list)
    for row in session.execute(_WAYS, {"since": now - LOOKED_BACK}):
        if row.left_at is None or row.there_at is None:
            continue
        key, ends = (row.service, row.destination), tuple(sorted({row.origin, row.country}))
        took[key].append(working_tenths(row.left_at, row.there_at, zone, ends))
        gaps[key] += [
            working_days_since(before, after, zone, ends)
            for before, after in zip(row.heard, row.heard[1:], strict=False)
        ]
    found = {key: usual(took[key], gaps[key]) for key in took}
    return {key: one for key, one in found.items() if one is not None}


def forget_record() -> None:
    """Forget what was worked out: another database has another record."""
    _kept.clear()
