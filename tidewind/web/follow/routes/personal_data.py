"""What is kept of a person: all of it in one file, and erased where the books allow."""

from __future__ import annotations

import json
from typing import Annotated

from fastapi import APIRouter, Query, Response

from tidewind.services import follow as service
from tidewind.web.access import Now, Owner, Tx
from tidewind.web.files import answers_with, download
from tidewind.web.follow.schemas import ErasedOut, MailIn

router = APIRouter(prefix="/api", tags=["people"])


@router.get("/personal-data", **answers_with("application/json"))
def personal_data(_who: Owner, session: Tx, mail: Annotated[str, Query(max_length=254)]) -> Response:
    """Return everything kept about the person with a mail address, as a file."""
    found = service.personal_data(session, mail)
    data = json.dumps(found, ensure_ascii=False, indent=1, default=str).encode()
    return download(data, "personal-data.json", "application/json")


@router.post("/personal-data/erase")
def erase(body: MailIn, who: Owner, session: Tx, now: Now) -> ErasedOut:
    """Erase whom orders were for, but for those that are not done; numbers, prices and the ledger stay."""
    done = service.erase_person(session, body.mail, who.name, now)
    return ErasedOut(erased=done.erased, kept=list(done.kept))
