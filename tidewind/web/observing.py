"""Each request has an id: in the answer, in every line of the log about it, and in the problem told where it failed."""

from __future__ import annotations

import secrets
import time
from http import HTTPStatus

import structlog
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from tidewind.metrics import REQUEST_SECONDS, REQUESTS

log = structlog.get_logger(__name__)
QUIET = frozenset({"/api/health", "/metrics", "/api/presence", "/api/checkout/v1/offers"})
"""Routes that are asked every few seconds, or by every shopper: counted, and written down only where they fail."""


class Observed:
    """ASGI middleware that names, counts and writes down requests by their route, never by what stands in the URL."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Serve one request."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request_id = secrets.token_hex(8)
        state = scope.setdefault("state", {})
        state["request_id"] = request_id
        start, status = time.perf_counter(), 500
        first_byte = 0.0

        async def noted(message: Message) -> None:
            nonlocal status, first_byte
            if message["type"] == "http.response.start":
                status, first_byte = message["status"], time.perf_counter() - start
                message["headers"] = [*message.get("headers", []), (b"x-request-id", request_id.encode())]
            await send(message)

        with structlog.contextvars.bound_contextvars(request_id=request_id):
            try:
                await self.app(scope, receive, noted)
            finally:
                route = getattr(scope.get("route"), "path", "") or "none"
                REQUESTS.labels(scope["method"], route, str(status)).inc()
                REQUEST_SECONDS.labels(route).observe(first_byte or time.perf_counter() - start)
                if route not in QUIET or status >= HTTPStatus.BAD_REQUEST:
                    log.info(
                        "request",
                        method=scope["method"],
                        route=route,
                        status=status,
                        ms=round((time.perf_counter() - start) * 1000),
                        person=state.get("person_id"),
                    )
