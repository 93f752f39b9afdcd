"""HTTP calls whose failures are translated by consequence."""

from __future__ import annotations

from typing import Any

import httpcore  # noqa: F401 - httpx imports it with the first client: the first call of a process would wait for it
import httpx

from tidewind.outside.errors import MaybeDone, NeverSent, RefusedOutside
from tidewind.outside.line import ends_within, transport

NO_ADDRESS = "this is no address: it has signs that none may have"


def client_at(base_url: str = "", *, private: bool = False, **options: Any) -> httpx.Client:
    """Return a client for an address that a person typed; ``private`` lets it into the local network.

    Raises RefusedOutside for what is no address (RFC 3986).
    """
    try:
        return httpx.Client(base_url=base_url, transport=transport(private=private), **options)
    except (httpx.InvalidURL, ValueError) as error:
        raise RefusedOutside("bad_address", NO_ADDRESS) from error


def call(client: httpx.Client, method: str, path: str, **options: Any) -> httpx.Response:
    """Make one request and return its 2xx or 409 answer.

    Raises NeverSent (no connection, 503, 429), MaybeDone (time-out, broken connection, redirect, other 5xx) or
    RefusedOutside (other 4xx, or what is no address).
    """
    try:
        answer = _within_bounds(client, method, path, options)
    except httpx.InvalidURL as error:
        raise RefusedOutside("bad_address", NO_ADDRESS) from error
    except (httpx.ConnectError, httpx.ConnectTimeout, httpx.PoolTimeout) as error:
        raise NeverSent("no connection") from error
    except httpx.TimeoutException as error:
        raise MaybeDone("no answer in time") from error
    except httpx.TransportError as error:
        raise MaybeDone("the connection broke") from error
    if 300 <= answer.status_code < 400:
        raise MaybeDone("it sends us elsewhere, and redirects are not followed")
    if answer.status_code == 503:
        raise NeverSent("closed for maintenance")
    if answer.status_code == 429:
        raise NeverSent("asked too often")
    if answer.status_code >= 500:
        raise MaybeDone(f"the other side failed (HTTP {answer.status_code})")
    if answer.status_code >= 400 and answer.status_code != 409:
        raise _refusal(answer)
    return answer


def json_in(answer: httpx.Response) -> Any:
    """Return the JSON values of an answer.

    Raises ValueError for what is none (RFC 8259), and for what is nested too deeply to be read.
    """
    try:
        return answer.json()
    except RecursionError as error:
        raise ValueError("it is nested too deeply") from error


MOST_BYTES = 20_000_000
IN_ALL = 1.5
"""A call as a whole may take so many times the patience for a single answer: whoever drips is given up, too."""


def _within_bounds(client: httpx.Client, method: str, path: str, options: dict[str, Any]) -> httpx.Response:
    """Make a request, and give up reading an answer that does not end."""
    timeout = options.pop("timeout", httpx.USE_CLIENT_DEFAULT)
    request = client.build_request(method, path, timeout=timeout, **options)
    patience = request.extensions["timeout"].get("read")
    with ends_within(patience and patience * IN_ALL):
        answer = client.send(request, stream=True)
        try:
            body = bytearray()
            for chunk in answer.iter_bytes():
                body += chunk
                if len(body) > MOST_BYTES:
                    raise MaybeDone(f"an answer of more than {MOST_BYTES // 1_000_000} MB")
        finally:
            answer.close()
    headers = [(name, value) for name, value in answer.headers.items() if name not in _DECODED]
    return httpx.Response(answer.status_code, headers=headers, content=bytes(body), request=request)


# The body is decoded by now: what spoke of its coded form does not hold any more.
_DECODED = frozenset({"content-encoding", "content-length", "transfer-encoding"})


def _refusal(answer: httpx.Response) -> RefusedOutside:
    try:
        body = json_in(answer)
    except ValueError:
        body = None
    if isinstance(body, dict) and isinstance(body.get("detail"), dict):
        body = body["detail"]  # as dialects nest it
    if isinstance(body, dict) and "reason" in body:
        return RefusedOutside(str(body["reason"])[:60], str(body.get("detail", ""))[:300])
    if answer.status_code == 404:
        return RefusedOutside("unknown", "nothing there speaks the protocol (HTTP 404)")
    return RefusedOutside("refused", f"HTTP {answer.status_code}")
