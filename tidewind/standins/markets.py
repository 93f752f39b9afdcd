"""Two marketplaces, each with its own states, payments, paging and way of writing an order.

Tallyfair sets dispatch deadlines and pages with a token; Ovenbird Bazaar leaves the recipient's name out now and then
and pages with offsets.  Both ask for consent first and send signed notices when an order changes.
"""

from __future__ import annotations

import hashlib
import json
import secrets
from collections import Counter
from datetime import UTC, datetime
from html import escape
from typing import Annotated, Any

import httpx
from fastapi import APIRouter, Form, Header, HTTPException, Request, Response
from fastapi.responses import HTMLResponse, RedirectResponse

from tidewind.standins.faults import answer, strike
from tidewind.standins.market_orders import orders_for
from tidewind.standins.notices import signed
from tidewind.standins.page import page
from tidewind.standins.shelves import Levels, be_told, hand_out
from tidewind.standins.world import World

router = APIRouter()
MARKETS = {"tallyfair": "Tallyfair", "ovenbird": "Ovenbird Bazaar"}
DEMO_CODE = "demo-consent"
TALLYFAIR_PAGE, OVENBIRD_PAGE = 3, 3


def open_markets(world: World) -> None:
    """Fill both markets with their orders on the first day; the demo's consent is given already."""
    if world.rows("select 1 from market_order limit 1"):
        return
    with world.work() as db:
        for market in MARKETS:
            db.execute("insert into consent values (?, ?, '')", (f"{DEMO_CODE}-{market}", market))
            for number, at, body in orders_for(market, world.now()):
                db.execute("insert into market_order values (?, ?, ?, ?)", (market, number, at, json.dumps(body)))


def _world(request: Request, market: str, header: str | None = None) -> World:
    """Return the world, after asking for the token where a header is given."""
    world: World = request.app.state.world
    if market not in MARKETS:
        raise HTTPException(404, "no such market")
    if header is not None and token_of(market) not in header:
        raise HTTPException(401, "consent was not given, or taken back")
    return world


def token_of(market: str) -> str:
    """Return the token that a shop holds after consent."""
    return "t-" + hashlib.sha256(f"{market} stand-in".encode()).hexdigest()[:32]


@router.get("/{market}/consent", response_class=HTMLResponse)
def consent(request: Request, market: str, back: str) -> str:
    """Ask the seller whether a program may read their orders."""
    _world(request, market)
    form = (
        f'<form method="post"><input type="hidden" name="back" value="{escape(back)}">'
        "<p>Tidewind would like to read your orders and tell us when they are shipped.</p>"
        '<button name="answer" value="yes">Allow</button> <button name="answer" value="no">Do not allow</button></form>'
    )
    return page(f"{MARKETS[market]}: consent", form)


@router.post("/{market}/consent")
def consent_given(
    request: Request, market: str, back: Annotated[str, Form()], answer: Annotated[str, Form()] = "no"
) -> RedirectResponse:
    """Send the seller back with a code to be exchanged for the token, or without one."""
    world = _world(request, market)
    if answer != "yes":
        return RedirectResponse(f"{back}&refused=1", 303)
    code = secrets.token_urlsafe(12)
    with world.work() as db:
        db.execute("insert into consent values (?, ?, '')", (code, market))
    return RedirectResponse(f"{back}&code={code}", 303)


@router.post("/{market}/token")
def exchange(request: Request, market: str, code: Annotated[str, Form()], hook: Annotated[str, Form()] = "") -> Any:
    """Give the token for a code; notices of changes go to ``hook`` from then on."""
    world = _world(request, market)
    with world.work() as db:
        known = db.execute("update consent set hook = ? where code = ? and market = ?", (hook, code, market)).rowcount
    if not known:
        raise HTTPException(403, {"reason": "bad_code", "detail": "this code was never given"})
    return {"token": token_of(market)}


def _skewed(world: World, market: str, at: float) -> float:
    return at - 7200 if world.take_fault(market, "clock_skew") else at


@router.get("/tallyfair/v1/orders")
def tallyfair_orders(
    request: Request, authorization: Annotated[str, Header()] = "", since: str = "", page_token: str = ""
) -> Response:
    """Return orders changed since an instant, the oldest change first, page by page with a token."""
    world = _world(request, "tallyfair", authorization)
    strike(world, "tallyfair")
    start = datetime.fromisoformat(since).timestamp() if since else 0.0
    offset = int(page_token or 0)
    rows = world.rows(
        "select * from market_order where market = 'tallyfair' and changed_at >= ? "
        "order by changed_at, number limit ? offset ?",
        start,
        TALLYFAIR_PAGE,
        offset,
    )
    items = [{**json.loads(r["body"]), "changed_at": _iso(_skewed(world, "tallyfair", r["changed_at"]))} for r in rows]
    more = len(rows) == TALLYFAIR_PAGE
    return answer(world, "tallyfair", {"items": items, "next_page": str(offset + TALLYFAIR_PAGE) if more else None})


def _iso(at: float) -> str:
    return datetime.fromtimestamp(at, UTC).isoformat()


@router.get("/ovenbird/api/sales")
def ovenbird_sales(
    request: Request, authorization: Annotated[str, Header()] = "", updated_after: float = 0, offset: int = 0
) -> Response:
    """Return sales updated at or after an instant (seconds), page by page with an offset."""
    world = _world(request, "ovenbird", authorization)
    strike(world, "ovenbird")
    where = "from market_order where market = 'ovenbird' and changed_at >= ?"
    rows = world.rows(
        f"select * {where} order by changed_at, number limit ? offset ?", updated_after, OVENBIRD_PAGE, offset
    )
    count = world.rows(f"select count(*) as n {where}", updated_after)[0]["n"]
    results = [{**json.loads(r["body"]), "updated": _skewed(world, "ovenbird", r["changed_at"])} for r in rows]
    return answer(world, "ovenbird", {"count": count, "offset": offset, "results": results})


@router.get("/{market}/states")
def states(request: Request, market: str, authorization: Annotated[str, Header()] = "") -> dict[str, dict[str, int]]:
    """Return how many orders are in each state, and in each state of payment."""
    world = _world(request, market, authorization)
    bodies = [json.loads(r["body"]) for r in world.rows("select body from market_order where market = ?", market)]
    if market == "tallyfair":
        return {"states": Counter(b["stage"] for b in bodies), "payments": Counter(b["money"] for b in bodies)}
    return {"states": Counter(b["status"] for b in bodies), "payments": Counter(b["payment"]["state"] for b in bodies)}


@router.get("/{market}/stock")
def stock(request: Request, market: str, authorization: Annotated[str, Header()] = "") -> Any:
    """Return what is left to sell of each article."""
    world = _world(request, market, authorization)
    strike(world, market)
    return {"levels": hand_out(world, market)}


@router.put("/{market}/stock")
def stock_told(request: Request, market: str, told: Levels, authorization: Annotated[str, Header()] = "") -> Any:
    """Be told what is left to sell."""
    world = _world(request, market, authorization)
    strike(world, market)
    return be_told(world, market, told)


@router.post("/{market}/orders/{number}/news")
async def news(request: Request, market: str, number: str, authorization: Annotated[str, Header()] = "") -> Any:
    """Be told that an order was shipped, delivered or cancelled; the same news twice is kept once."""
    world = _world(request, market, authorization)
    strike(world, market)
    body = json.dumps(await request.json(), sort_keys=True)
    if not world.rows("select 1 from market_order where market = ? and number = ?", market, number):
        raise HTTPException(404, f"no order {number}")
    with world.work() as db:
        values = (f"{market}/{number}", body, world.now().isoformat())
        db.execute("insert or ignore into shop_told values (?, ?, ?)", values)
    return {"kept": True}


def change(world: World, market: str, number: str, **fields: Any) -> None:
    """Change fields of an order, as its buyer or the market would, and send the notice to whoever asked for it."""
    with world.work() as db:
        row = db.execute("select * from market_order where market = ? and number = ?", (market, number)).fetchone()
        body = json.dumps({**json.loads(row["body"]), **fields})
        values = (body, world.now().timestamp(), market, number)
        db.execute("update market_order set body = ?, changed_at = ? where market = ? and number = ?", values)
    for row in world.rows("select distinct hook from consent where market = ? and hook != ''", market):
        notify(world, market, row["hook"], number)


def notify(world: World, market: str, hook: str, number: str, notice_id: str | None = None) -> None:
    """Send a signed notice (Standard Webhooks 1.0); a shop that does not answer sees the change at its next pull."""
    body = json.dumps({"type": "order.changed", "number": number})
    times = 2 if world.take_fault(market, "duplicate_answer") else 1
    headers = signed(token_of(market), body, world.now(), notice_id)
    for _ in range(times):
        try:
            httpx.post(hook, content=body, headers=headers, timeout=3)
        except httpx.HTTPError:
            return


@router.post("/{market}/play")
def play(request: Request, market: str, what: Annotated[str, Form()]) -> RedirectResponse:
    """Let something happen: the newest order that can be is cancelled, changed, or placed anew."""
    world = _world(request, market)
    rows = world.rows("select * from market_order where market = ? order by changed_at desc, number desc", market)
    newest, number = json.loads(rows[0]["body"]), rows[0]["number"]
    tallyfair = market == "tallyfair"
    if what == "cancel":
        change(world, market, number, **({"stage": "revoked"} if tallyfair else {"status": "CANCELED"}))
    elif what == "move":
        part = "ship_to" if tallyfair else "buyer"
        (newest[part] if tallyfair else newest[part]["ship"]).update(
            {"lines": ["Rua das Flores 99"]} if tallyfair else {"street": "Rua das Flores"}
        )
        change(world, market, number, **{part: newest[part]})
    else:
        stem, _, last = number.rpartition("-")
        with world.work() as db:
            fresh = f"{stem}-{world.next_serial(db, market, int(last) + 100)}"
            newest.update({"order_ref" if tallyfair else "code": fresh, "placed_at": world.now().isoformat()})
            values = (market, fresh, world.now().timestamp(), json.dumps(newest))
            db.execute("insert into market_order values (?, ?, ?, ?)", values)
    return RedirectResponse("/", 303)
