"""Lists of restricted parties."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, UploadFile

from tidewind.services import shop as service
from tidewind.services.shop import read_restricted_list, replace_restricted_list, restricted_lists, try_restricted_name
from tidewind.web.access import Anyone, Now, Owner, Parts, Tx
from tidewind.web.files import uploaded
from tidewind.web.planning.schemas import WorkOut
from tidewind.web.shop.schemas.products import ClearanceOut, ListOut, MatchOut

router = APIRouter(prefix="/api")
Text = Annotated[str, Query(max_length=120)]


@router.get("/restricted", tags=["restricted parties"])
def lists(_who: Anyone, session: Tx) -> list[ListOut]:
    """Return the lists of restricted parties in use."""
    return [ListOut(source=source, entries=count) for source, count in restricted_lists(session).items()]


@router.post("/restricted", tags=["restricted parties"])
def bring_list(file: UploadFile, source: Text, _who: Owner, session: Tx, parts: Parts, now: Now) -> WorkOut:
    """Bring a list in (columns key, names, country), in the place of the one with the same name."""
    name, data = uploaded(file, parts.settings.upload_limit_bytes)
    work = replace_restricted_list(session, source, read_restricted_list(data, name), now)
    return WorkOut.model_validate(work)


@router.get("/restricted/try", tags=["restricted parties"])
def try_name(
    _who: Anyone, session: Tx, name: Text, country: Annotated[str, Query(max_length=2)] = ""
) -> list[MatchOut]:
    """Say which entries a name is like, with the score explained."""
    return [
        MatchOut(
            key=m.entry.key,
            source=m.entry.source,
            names=list(m.entry.names),
            country=m.entry.country,
            score=m.score,
            words=m.words,
        )
        for m in try_restricted_name(session, name, country)
    ]


@router.get("/clearances", tags=["restricted parties"])
def clearances(_who: Anyone, session: Tx) -> list[ClearanceOut]:
    """Return who cleared which order of which near match, and why."""
    return [
        ClearanceOut(
            order_id=c.order_id, order_number=number, party=c.party, words=c.words, reason=c.reason, who=name, at=c.at
        )
        for c, number, name in service.clearances(session)
    ]
