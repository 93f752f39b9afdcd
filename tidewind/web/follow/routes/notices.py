"""Where carriers tell events by themselves."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.concurrency import run_in_threadpool

from tidewind.services.follow import take_carrier_notice
from tidewind.web.access import wiring
from tidewind.web.files import read_body

router = APIRouter(prefix="/api", tags=["following"])
_LARGEST = 1_000_000


@router.post("/hooks/carriers/{code}")
async def carrier_notice(code: str, request: Request) -> dict[str, str]:
    """Take a carrier's signed notice of events (Standard Webhooks); the signature says who it is, nobody signs in."""
    body, parts = await read_body(request, _LARGEST, "A notice is at most 1 MB."), wiring(request)

    def take() -> str:
        with parts.single_statements() as connection:
            return take_carrier_notice(connection, parts.outside, code, dict(request.headers), body, parts.real_clock())

    return {"notice": await run_in_threadpool(take)}
