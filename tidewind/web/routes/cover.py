"""Cover from an insurer: the terms of the open policy, and the shipments to declare."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from typing import Annotated

from fastapi import APIRouter, Query, Response

from tidewind.outside.sheets_out import to_csv
from tidewind.services import cover
from tidewind.services.live import tell
from tidewind.services.shop_facts import shop_settings
from tidewind.web.access import Anyone, Now, Owner, Shipper, Tx
from tidewind.web.files import download
from tidewind.web.schemas.carriers import CoverIO
from tidewind.web.schemas.layers import WorkOut

router = APIRouter(prefix="/api", tags=["money"])


@router.get("/cover")
def get_cover(_who: Anyone, session: Tx) -> CoverIO | None:
    """Return the terms of the open policy, null where there is none."""
    kept = shop_settings(session).cover
    return CoverIO.model_validate(kept) if kept else None


@router.put("/cover")
def set_cover(body: CoverIO | None, _who: Owner, session: Tx, now: Now) -> WorkOut:
    """Set the terms, or end the policy with null."""
    work = cover.set_terms(session, body.model_dump() if body else None, now)
    tell(session, "orders")
    return WorkOut.model_validate(work)


@router.get("/cover/declarations", response_class=Response)
def declarations(
    _who: Shipper, session: Tx, since: date, until: Annotated[date, Query(description="The last day")]
) -> Response:
    """Return the covered shipments bought from one day to another as CSV; amounts in minor units."""
    first = datetime(since.year, since.month, since.day, tzinfo=UTC)
    end = datetime(until.year, until.month, until.day, tzinfo=UTC) + timedelta(days=1)
    rows = to_csv(cover.FILE_HEADS, cover.declarations(session, first, end))
    return download(rows, f"declarations-{since}-{until}.csv", "text/csv; charset=utf-8")
