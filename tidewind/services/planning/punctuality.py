"""The shop's own record: how many parcels of each service came, and how many of them late."""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy import text
from sqlalchemy.orm import Session

from tidewind.core.punctuality import Record

LOOKED_BACK = timedelta(days=180)

_COUNT = text("""
    select s.service, s.carrier, count(*) as parcels,
           count(*) filter (where (e.at at time zone :zone)::date > s.arrives) as late
    from shipment s
    join label l on l.shipment_id = s.id
    join lateral (select min(at) as at from tracking_event where label_id = l.id and state = 'delivered') e
      on e.at is not null
    where s.arrives is not null and s.bought_at > :since
    group by s.service, s.carrier
""")


def own_record(session: Session, now: datetime, zone: str) -> dict[str, Record]:
    """Return delivered and late parcels by service over the last 180 days; late is after the latest day told.

    ``zone`` is the shop's, in which the day of delivery is read.
    """
    found = session.execute(_COUNT, {"since": now - LOOKED_BACK, "zone": zone})
    return {row.service: Record(row.carrier, row.parcels, row.late) for row in found}
