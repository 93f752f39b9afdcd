"""HTTP calls whose failures are translated by consequence."""

from __future__ import annotations

from typing import Any

import httpcore  # noqa: F401 - httpx imports it with the first client: the first call of a process would wait for it
import httpx

from tidewind.outside.errors import MaybeDone, NeverSent, RefusedOutside


def call(client: httpx.Client, method: str, path: str, **options: Any) -> httpx.Response:
    """Make one request and return its 2xx or 409 answer.

    Raises NeverSent (no connection, 503, 429), MaybeDone (time-out, broken connection, other 5xx) or RefusedOutside
    (other 4xx).
    """
    try:
        answer = client.request(method, path, **options)
    except (httpx.ConnectError, httpx.ConnectTimeout, httpx.PoolTimeout) as error:
        raise NeverSent("no connection") from error
    except httpx.TimeoutException as error:
        raise MaybeDone("no answer in time") from error
    except httpx.TransportError as error:
        raise MaybeDone("the connection broke") from error
    if answer.status_code == 503:
        raise NeverSent("closed for maintenance")
    if answer.status_code == 429:
        raise NeverSent("asked too often")
    if answer.status_code >= 500:
        raise MaybeDone(f"the other side failed (HTTP {answer.status_code})")
    if answer.status_code >= 400 and answer.status_code != 409:
        raise _refusal(answer)
    return answer


def _refusal(answer: httpx.Response) -> RefusedOutside:
    try:
        detail = answer.json().get("detail")
    except ValueError:
        detail = None
    if isinstance(detail, dict):
        return RefusedOutside(str(detail.get("reason", "refused"))[:60], str(detail.get("detail", ""))[:300])
    return RefusedOutside("unknown" if answer.status_code == 404 else "refused", f"HTTP {answer.status_code}")
