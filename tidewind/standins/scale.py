"""A scale that speaks the small protocol of docs/protocols/scale.md over WebSocket; its page sets what lies on it."""

from __future__ import annotations

import asyncio
from contextlib import suppress
from typing import Annotated

from fastapi import APIRouter, Form, Request, WebSocket, WebSocketDisconnect
from fastapi.responses import HTMLResponse, RedirectResponse

from tidewind.standins.page import page
from tidewind.standins.world import World

router = APIRouter(prefix="/scale")
OVERLOAD_G, EVERY_S = 30_000, 0.2


def _shown(world: World) -> dict[str, object]:
    kept = {row["name"]: row["value"] for row in world.rows("select name, value from setting")}
    grams = int(kept.get("scale_grams", "0"))
    return {"grams": grams, "stable": kept.get("scale_stable", "1") == "1", "overload": grams > OVERLOAD_G}


@router.websocket("/read")
async def read(line: WebSocket) -> None:
    """Tell what the scale shows, several times a second, as long as somebody listens."""
    await line.accept()
    with suppress(WebSocketDisconnect, RuntimeError):
        while True:
            await line.send_json(_shown(line.app.state.world))
            await asyncio.sleep(EVERY_S)


@router.get("", response_class=HTMLResponse)
def tray(request: Request) -> str:
    """Show what lies on the scale, and let it be changed."""
    shown = _shown(request.app.state.world)
    form = (
        f'<form method="post" action="/scale"><label>Grams <input name="grams" value="{shown["grams"]}"></label> '
        '<button name="stable" value="1">At rest</button> <button name="stable" value="0">Still moving</button></form>'
    )
    return page("Scale", f"<p>{shown['grams']} g, {'at rest' if shown['stable'] else 'moving'}.</p>{form}")


@router.post("")
def put(request: Request, grams: Annotated[int, Form()], stable: Annotated[str, Form()] = "1") -> RedirectResponse:
    """Put something on the scale."""
    with request.app.state.world.work() as db:
        for name, value in (("scale_grams", str(grams)), ("scale_stable", "1" if stable == "1" else "0")):
            written = "insert into setting values (?, ?) on conflict (name) do update set value = excluded.value"
            db.execute(written, (name, value))
    return RedirectResponse("/scale", 303)
