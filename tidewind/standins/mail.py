"""The mail stand-in: takes mails by SMTP and shows them on a page."""

from __future__ import annotations

import email
import email.policy
from html import escape
from typing import Any

from aiosmtpd.controller import Controller
from fastapi import APIRouter, HTTPException, Request, Response
from fastapi.responses import HTMLResponse

from tidewind.standins.page import page
from tidewind.standins.world import World

router = APIRouter(prefix="/mail")
GONE = "gone@"
"""Mailboxes that begin so are not there."""


class _Inbox:
    """Keeps every mail it is handed."""

    def __init__(self, world: World) -> None:
        self.world = world

    async def handle_RCPT(  # noqa: N802 - aiosmtpd's name
        self, _server: Any, _session: Any, envelope: Any, address: str, _options: list[str]
    ) -> str:
        """Refuse the mailboxes that are gone, for good (RFC 5321, 4.2.3)."""
        if address.startswith(GONE):
            return "550 5.1.1 no such mailbox"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, _server: Any, _session: Any, envelope: Any) -> str:  # noqa: N802 - aiosmtpd's name
        message = email.message_from_bytes(envelope.content, policy=email.policy.default)
        body = message.get_body(("plain",))
        with self.world.work() as db:
            made = db.execute(
                "insert into mail (at, sender, recipient, subject, body) values (?, ?, ?, ?, ?)",
                (
                    self.world.now().isoformat(),
                    envelope.mail_from,
                    ", ".join(envelope.rcpt_tos),
                    str(message["subject"]),
                    body.get_content() if body else "",
                ),
            )
            for paper in message.iter_attachments():
                db.execute(
                    "insert into mail_paper values (?, ?, ?)",
                    (made.lastrowid, str(paper.get_filename()), paper.get_payload(decode=True)),
                )
        return "250 kept"


def start_mail(world: World, port: int) -> Controller:
    """Start the SMTP server on 127.0.0.1; the caller stops it."""
    controller = Controller(_Inbox(world), hostname="127.0.0.1", port=port)
    controller.start()
    return controller


@router.get("", response_class=HTMLResponse)
def inbox(request: Request) -> str:
    """Show the mails, newest first."""
    world: World = request.app.state.world
    rows = world.rows("select * from mail order by id desc limit 200")
    papers = {r["mail_id"]: r["name"] for r in world.rows("select mail_id, name from mail_paper")}
    items = "".join(
        f"<article><h2>{escape(r['subject'])}</h2><p>to {escape(r['recipient'])} · {escape(r['at'][:16])}</p>"
        + (f'<p><a href="/mail/{r["id"]}/paper">{escape(papers[r["id"]])}</a></p>' if r["id"] in papers else "")
        + f"<pre>{escape(r['body'])}</pre></article>"
        for r in rows
    )
    return page("Mails that the shop has sent", items or "<p>No mail yet. Buy a label and the buyer gets one.</p>")


@router.get("/all")
def everything(request: Request) -> list[dict[str, Any]]:
    """Return the mails as data."""
    world: World = request.app.state.world
    papers = {r["mail_id"]: r["name"] for r in world.rows("select mail_id, name from mail_paper")}
    return [{**dict(row), "paper": papers.get(row["id"])} for row in world.rows("select * from mail order by id")]


@router.get("/{mail_id}/paper")
def paper(mail_id: int, request: Request) -> Response:
    """Return what was attached to a mail."""
    world: World = request.app.state.world
    found = world.rows("select name, body from mail_paper where mail_id = ?", mail_id)
    if not found:
        raise HTTPException(404, "nothing was attached")
    return Response(found[0]["body"], media_type="application/octet-stream")
