"""Printers that keep what they are sent, with a page that shows what lies in their trays."""

from __future__ import annotations

from html import escape

from fastapi import APIRouter, HTTPException, Request, Response
from fastapi.responses import HTMLResponse

from tidewind.standins.page import page
from tidewind.standins.world import World

router = APIRouter(prefix="/printers")
PRINTERS = {"bench-label": "Label printer at the bench", "office-a4": "Office printer, A4"}
BIGGEST = 60_000_000


@router.post("/{printer}/jobs", status_code=201)
async def take(printer: str, request: Request, title: str = "", copies: int = 1) -> dict[str, bool]:
    """Print a PDF; the header ``Idempotency-Key`` makes a repeated request print nothing more."""
    world: World = request.app.state.world
    if printer not in PRINTERS:
        raise HTTPException(404, {"reason": "unknown_printer", "detail": printer})
    if world.take_fault(printer, "down"):
        raise HTTPException(503, {"reason": "down", "detail": "no paper"})
    body = await request.body()
    if not body.startswith(b"%PDF") or len(body) > BIGGEST:
        raise HTTPException(422, {"reason": "not_pdf", "detail": "only PDF can be printed"})
    with world.work() as db:
        db.execute(
            "insert or ignore into printed values (?, ?, ?, ?, ?, ?)",
            (request.headers["Idempotency-Key"], printer, title[:120], copies, world.now().isoformat(), body),
        )
    return {"printed": True}


@router.get("/{printer}/jobs")
def jobs(printer: str, request: Request) -> list[dict[str, object]]:
    """Return what this printer has printed."""
    world: World = request.app.state.world
    if printer not in PRINTERS:
        raise HTTPException(404, {"reason": "unknown_printer", "detail": printer})
    found = world.rows("select key, title, copies, at from printed where printer = ? order by at", printer)
    return [dict(row) for row in found]


@router.get("/{printer}/jobs/{key}.pdf")
def paper(printer: str, key: str, request: Request) -> Response:
    """Return what was printed."""
    world: World = request.app.state.world
    found = world.rows("select body from printed where key = ? and printer = ?", key, printer)
    if not found:
        raise HTTPException(404, "nothing was printed under this key")
    return Response(found[0]["body"], media_type="application/pdf")


@router.get("", response_class=HTMLResponse)
def trays(request: Request) -> str:
    """Show what lies in the trays, newest first."""
    world: World = request.app.state.world
    rows = world.rows("select key, printer, title, copies, at from printed order by at desc limit 200")
    items = "".join(
        f'<p><a href="/printers/{r["printer"]}/jobs/{escape(r["key"])}.pdf">{escape(r["title"])}</a> '
        f"× {r['copies']} · {PRINTERS.get(r['printer'], '')} · {escape(r['at'][:16])}</p>"
        for r in rows
    )
    return page("What the printers have printed", items or "<p>Nothing yet.</p>")


@router.get("/all")
def everything(request: Request) -> list[dict[str, object]]:
    """Return what was printed as data."""
    world: World = request.app.state.world
    query = "select key, printer, title, copies, at, length(body) as bytes from printed order by at"
    return [dict(row) for row in world.rows(query)]
