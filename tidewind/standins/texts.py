"""The gateway for text messages: keeps what it is handed, and shows it on a page."""

from __future__ import annotations

from html import escape
from typing import Any

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import HTMLResponse
from pydantic import BaseModel, Field

from tidewind.standins.page import page
from tidewind.standins.world import World

router = APIRouter(prefix="/texts")
KEY = "Bearer larkspur-texts-key"


class Text(BaseModel):
    """A message to a number."""

    to: str = Field(pattern=r"^\+[0-9]{6,15}$")
    message: str = Field(min_length=1, max_length=1_000)
    sender: str = Field("", alias="from")


@router.post("", status_code=202)
def send(text: Text, request: Request) -> dict[str, bool]:
    """Take a message."""
    world: World = request.app.state.world
    if request.headers.get("Authorization") != KEY:
        raise HTTPException(401, {"reason": "wrong_key", "detail": "the key is missing, or is not the shop's"})
    if world.take_fault("texts", "down"):
        raise HTTPException(503, {"reason": "down", "detail": "closed for maintenance"})
    with world.work() as db:
        values = (world.now().isoformat(), text.sender, text.to, text.message)
        db.execute("insert into text_message (at, sender, recipient, body) values (?, ?, ?, ?)", values)
    return {"taken": True}


@router.get("", response_class=HTMLResponse)
def shown(request: Request) -> str:
    """Show the messages, newest first."""
    world: World = request.app.state.world
    rows = world.rows("select * from text_message order by id desc limit 200")
    items = "".join(
        f"<p><b>{escape(r['recipient'])}</b> from {escape(r['sender'])} · {escape(r['at'][:16])}"
        f"<br>{escape(r['body'])}</p>"
        for r in rows
    )
    return page("Text messages", items or "<p>Nothing yet.</p>")


@router.get("/all")
def everything(request: Request) -> list[dict[str, Any]]:
    """Return the messages as data."""
    world: World = request.app.state.world
    return [dict(row) for row in world.rows("select * from text_message order by id")]
