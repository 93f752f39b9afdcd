"""An application asked within this process: no port, no thread, whatever the address says."""

from __future__ import annotations

import asyncio

import httpx
from starlette.types import ASGIApp


class InProcess(httpx.BaseTransport):
    """Answers each request by the application, in a loop of its own."""

    def __init__(self, app: ASGIApp) -> None:
        self._inner = httpx.ASGITransport(app=app)

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        async def answer() -> httpx.Response:
            response = await self._inner.handle_async_request(request)
            body = b"".join([part async for part in response.stream])  # type: ignore[union-attr]
            return httpx.Response(response.status_code, headers=response.headers, content=body)

        return asyncio.run(answer())


def client_of(app: ASGIApp, address: str) -> httpx.Client:
    """Return a client for an application, reached by an address of its own."""
    return httpx.Client(transport=InProcess(app), base_url=address)
