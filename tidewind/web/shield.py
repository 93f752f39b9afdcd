"""The outermost layer: too large bodies are turned away while they are read, and safe headers go on answers."""

from __future__ import annotations

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from tidewind.web.problems import problem

_POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; object-src 'none'; "
    "frame-ancestors 'none'; base-uri 'self'; form-action 'self'"
)
HEADERS = (
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"same-origin"),
    (b"content-security-policy", _POLICY.encode()),
)
ENVELOPE = 100_000
"""What a form adds around a file, in bytes."""


class Shield:
    """ASGI middleware around the whole application."""

    def __init__(self, app: ASGIApp, limit_bytes: int) -> None:
        self.app, self.limit = app, limit_bytes + ENVELOPE

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Serve one request."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        answered = False

        async def guarded_send(message: Message) -> None:
            if answered:
                return  # the refusal has gone out already; nothing may follow it
            if message["type"] == "http.response.start":
                message["headers"] = [*message.get("headers", []), *HEADERS]
            await send(message)

        async def refuse() -> None:
            nonlocal answered
            words = f"At most {self.limit // 1_000_000} MB can be sent. Split the file."
            await problem(413, "too_large", words)(scope, receive, guarded_send)
            answered = True

        read = 0

        async def guarded_receive() -> Message:
            nonlocal read
            message = await receive()
            read += len(message.get("body", b""))
            if read > self.limit and not answered:
                await refuse()
            return {"type": "http.disconnect"} if answered else message

        if self._declared(scope) > self.limit:
            await refuse()
            return
        await self.app(scope, guarded_receive, guarded_send)

    @staticmethod
    def _declared(scope: Scope) -> int:
        length = next((value for name, value in scope["headers"] if name == b"content-length"), b"0")
        return int(length) if length.isdigit() else 0
