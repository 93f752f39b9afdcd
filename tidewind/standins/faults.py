"""Faults of a channel: down, slow, failing, asked too often, or breaking off in the middle of a page."""

from __future__ import annotations

import json
import time
from typing import Any

from fastapi import HTTPException, Response

from tidewind.standins.world import World

SLOW_SECONDS = 2.0


def strike(world: World, party: str) -> None:
    """Let the faults that are switched on for a party strike this request."""
    if world.take_fault(party, "down"):
        raise HTTPException(503, "closed for maintenance")
    if world.take_fault(party, "rate_limit"):
        raise HTTPException(429, "asked too often", {"Retry-After": "1"})
    if world.take_fault(party, "error"):
        raise HTTPException(500, "something broke")
    if world.take_fault(party, "slow"):
        time.sleep(SLOW_SECONDS)


def answer(world: World, party: str, body: Any) -> Response:
    """Return a JSON answer; cut off in the middle where that fault is on."""
    text = json.dumps(body).encode()
    if world.take_fault(party, "half_page"):
        text = text[: len(text) // 2]
    return Response(text, media_type="application/json")
