"""The outermost layer: whom we answer to, how much and how slowly may be sent, and safe headers on every answer."""

from __future__ import annotations

import asyncio
from collections.abc import Collection, Sequence

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from tidewind.web.problems import problem

_POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; object-src 'none'; "
    # The scale of a bench is a program beside the browser (docs/protocols/scale.md).
    "connect-src 'self' ws://127.0.0.1:* ws://localhost:*; "
    "frame-ancestors 'none'; base-uri 'self'; form-action 'self'"
)
HEADERS = (
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"same-origin"),
    (b"content-security-policy", _POLICY.encode()),
)
TLS_ALONE = (b"strict-transport-security", b"max-age=31536000")
"""Said where the shop is public over https (RFC 6797); other hosts of its domain are their owners' affair."""
NOT_KEPT = (b"cache-control", b"no-store")
"""What the API says is about people: no browser and no proxy keeps it, unless a route says otherwise."""
ENVELOPE = 100_000
"""What a form adds around a file, in bytes."""
STRANGERS_LIMIT, JSON_LIMIT = 64_000, 2_000_000
"""So many bytes are read of somebody who brings no session and no key, and of a body that is no file."""
PICTURE_LIMIT, NOTICE_LIMIT = 8_000_000 + ENVELOPE, 1_000_000
"""What a buyer may send with a return, and what a carrier or a store tells by itself; neither signs in."""
PATIENCE_S, SLOWEST_BYTES_A_SECOND = 15.0, 20_000
"""A body has this long to come, and longer by its length at this pace."""


class Shield:
    """ASGI middleware around the whole application; ``hosts`` are the names that people may call us by."""

    def __init__(self, app: ASGIApp, limit_bytes: int, hosts: Collection[str], over_tls: bool = False) -> None:
        self.app, self.file_limit, self.hosts = app, limit_bytes + ENVELOPE, frozenset(hosts)
        self.headers = (*HEADERS, TLS_ALONE) if over_tls else HEADERS

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Serve one request."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = dict(scope["headers"])
        under_way = _Exchange(scope, receive, send, self._limit(headers, scope["path"]), self.headers)
        if not self._is_for_us(headers):
            await under_way.refuse(421, "unknown_host", "This shop is not reached by that name.")
        elif under_way.declared(headers) > under_way.limit:
            await under_way.refuse_size()
        else:
            await self.app(scope, under_way.receive, under_way.send)

    def _is_for_us(self, headers: dict[bytes, bytes]) -> bool:
        """Tell whether a request names us: a page elsewhere could else have a name of its own point to this machine."""
        host = headers.get(b"host", b"").decode("latin-1")
        name = host.rsplit(":", 1)[0] if host.rsplit(":", 1)[-1].isdigit() else host
        return name.strip("[]").lower() in self.hosts

    def _limit(self, headers: dict[bytes, bytes], path: str) -> int:
        is_file = headers.get(b"content-type", b"").startswith(b"multipart/")
        if b"authorization" not in headers and b"tidewind_session=" not in headers.get(b"cookie", b""):
            if path.startswith("/t/") and is_file:
                return PICTURE_LIMIT
            return NOTICE_LIMIT if path.startswith("/api/hooks/") else STRANGERS_LIMIT
        return self.file_limit if is_file else JSON_LIMIT


class _Exchange:
    """One request and its answer, watched."""

    def __init__(
        self, scope: Scope, receive: Receive, send: Send, limit: int, headers: Sequence[tuple[bytes, bytes]]
    ) -> None:
        self._scope, self._receive, self._send, self.limit, self._headers = scope, receive, send, limit, headers
        self._read, self._answered, self._body_read = 0, False, False
        self._loop = asyncio.get_running_loop()
        self._began = self._loop.time()

    @staticmethod
    def declared(headers: dict[bytes, bytes]) -> int:
        """Return how long the body is said to be, in bytes."""
        length = headers.get(b"content-length", b"0")
        return int(length) if length.isdigit() else 0

    async def send(self, message: Message) -> None:
        """Pass the answer on, with safe headers; nothing follows a refusal that has gone out."""
        if self._answered:
            return
        if message["type"] == "http.response.start":
            given = list(message.get("headers", []))
            private = self._scope["path"].startswith("/api/") and not any(name == NOT_KEPT[0] for name, _ in given)
            message["headers"] = [*given, *self._headers, *([NOT_KEPT] if private else [])]
        await self._send(message)

    async def receive(self) -> Message:
        """Pass the body on as it comes, while it is neither too long nor too slow."""
        if self._answered:
            return {"type": "http.disconnect"}
        if self._body_read:  # what is waited for now is the end of the connection, for as long as it takes
            return await self._receive()
        left = self._began + PATIENCE_S + self._read / SLOWEST_BYTES_A_SECOND - self._loop.time()
        try:
            message = await asyncio.wait_for(self._receive(), max(left, 0.01))
        except TimeoutError:
            await self.refuse(408, "too_slow", "What was sent came too slowly. Nothing was changed; send it again.")
            return {"type": "http.disconnect"}
        self._read += len(message.get("body", b""))
        self._body_read = not message.get("more_body", False)
        if self._read > self.limit:
            await self.refuse_size()
            return {"type": "http.disconnect"}
        return message

    async def refuse_size(self) -> None:
        """Say how much can be sent."""
        shown = f"{self.limit // 1_000_000} MB" if self.limit >= 1_000_000 else f"{self.limit // 1_000} kB"
        await self.refuse(413, "too_large", f"At most {shown} can be sent here. Split what you send.")

    async def refuse(self, status: int, code: str, words: str) -> None:
        """Answer instead of the application, and close the connection."""
        told = problem(status, code, words)
        told.headers["Connection"] = "close"
        await told(self._scope, self._receive, self.send)
        self._answered = True
