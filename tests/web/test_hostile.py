"""Every route takes what nobody should send: a clear refusal or a harmless answer, never a fault of ours."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from tests.run.length import LONG, some
from tests.web.who_may import MAY
from tidewind.services.people import make_key
from tidewind.web.access import Wiring

DEEP = json.loads("[" * 60 + "]" * 60)
HOSTILE: tuple[Any, ...] = (
    None,
    "",
    "\x00",
    "a\x00b",
    "\u202egnp.exe",
    "\u200b" * 40,
    "<script>alert(1)</script>",
    "=cmd|' /C calc'!A0",
    "x" * 6_000,
    "\ud83e\uddff" * 300,
    "'; drop table shop; --",
    "../../etc/passwd",
    "{0.__class__}",
    -1,
    0,
    2**31,
    2**63,
    2**70,
    -(2**63) - 1,
    1.5,
    1e308,
    True,
    [],
    {},
    DEEP,
    ["\x00"] * 3,
    [0] * 5_000,
    {"a": DEEP},
    "9999-12-31",
    "0000-00-00",
    "2026-02-30",
)
IN_PATH = (
    "0",
    "-1",
    "99999999999999999999",
    "%00",
    "a%00b",
    "..%2F..",
    "%E2%80%AE",
    "x" * 900,
    "%F0%9F%92%A9",
    "1e5",
    "'",
)
NO_FUZZ = {"GET /api/news"}
"""An answer without an end."""


class Sampler:
    """Makes the smallest body that a schema lets through, and the same with one field after another replaced."""

    def __init__(self, schema: dict[str, Any]) -> None:
        self.known = schema["components"]["schemas"]

    def full(self, part: dict[str, Any]) -> dict[str, Any]:
        while "$ref" in part or "anyOf" in part:
            part = self.known[part["$ref"].rsplit("/", 1)[-1]] if "$ref" in part else part["anyOf"][0]
        return part

    def smallest(self, part: dict[str, Any]) -> Any:
        part = self.full(part)
        if "enum" in part or "const" in part or "default" in part:
            return part.get("default", part.get("const", (part.get("enum") or [None])[0]))
        kind = part.get("type")
        if kind == "object":
            fields = part.get("properties", {})
            return {name: self.smallest(fields[name]) for name in part.get("required", ()) if name in fields}
        if kind == "array":
            return [self.smallest(part["items"]) for _ in range(part.get("minItems", 0))] if "items" in part else []
        if kind == "string":
            dated = {"date": "2026-11-24", "date-time": "2026-11-24T10:00:00Z"}
            return dated.get(part.get("format", ""), "x" * max(part.get("minLength", 1), 1))
        return {"integer": max(part.get("minimum", 1), part.get("exclusiveMinimum", 0) + 1), "boolean": False}.get(
            kind or ""
        )

    def spoilt(self, part: dict[str, Any]) -> Iterator[Any]:
        """Yield the body with one field made hostile, and with a field that nobody knows."""
        whole, fields = self.smallest(part), self.full(part).get("properties", {})
        yield whole
        if isinstance(whole, dict):
            yield {**whole, "nobody_knows": 1}
        for number, name in enumerate(fields):
            # Each field meets some of the values, so that all fields of a body together meet each of them.
            every = 3 if LONG else 9
            for bad in HOSTILE[number % every :: every]:
                yield {**whole, name: bad} if isinstance(whole, dict) else bad


@pytest.fixture
def owner(wiring: Wiring, base_url: str) -> Iterator[httpx.Client]:
    with wiring.sessions.begin() as session:
        key = make_key(session, 1, "hostile", "owner", per_minute=1_000_000)[1]
    with httpx.Client(base_url=base_url, timeout=60, headers={"Authorization": f"Bearer {key}"}) as client:
        yield client


def check(answer: httpx.Response, what: object) -> None:
    """A refusal is a problem document (RFC 9457) with a code of ours and words; nothing else is said of the inside."""
    assert answer.status_code < 500, (what, answer.status_code, answer.text[:300])
    if answer.status_code >= 400:
        problem = answer.json()
        assert answer.headers["content-type"].startswith("application/problem+json"), what
        assert {"code", "title", "status"} <= problem.keys(), what
        assert not re.search(r"Traceback|psycopg|sqlalchemy|File \"", answer.text), (what, answer.text[:300])


@pytest.mark.slow("every field of every body made hostile")
def test_bodies_that_nobody_should_send_are_refused_in_words(document: dict[str, Any], owner: httpx.Client) -> None:
    sampler, sent = Sampler(document), 0
    for path, methods in document["paths"].items():
        for method, described in methods.items():
            content = described.get("requestBody", {}).get("content", {})
            if "application/json" not in content:
                continue
            url = re.sub(r"\{\w+\}", "1", path)
            for body in some(tuple(sampler.spoilt(content["application/json"]["schema"])), sent):
                data = json.dumps(body).encode("utf-8", "surrogatepass")
                answer = owner.request(method.upper(), url, content=data, headers={"Content-Type": "application/json"})
                check(answer, (method, path, data[:200]))
                sent += 1
    assert sent > (1_000 if LONG else 300)


@pytest.mark.slow("every route with what nobody should send")
def test_paths_questions_and_broken_bodies_are_refused_in_words(document: dict[str, Any], owner: httpx.Client) -> None:
    for n, route in enumerate(sorted(MAY.keys() - NO_FUZZ)):
        method, path = route.split()
        holes = re.findall(r"\{\w+\}", path)
        for bad in some(IN_PATH, n) if holes else ("",):
            url = re.sub(r"\{\w+\}", bad, path)
            check(owner.request(method, url), (route, bad))
        asked = [p["name"] for p in document["paths"][path][method.lower()].get("parameters", ()) if p["in"] == "query"]
        for name in asked if method == "GET" and not holes else ():
            for bad in some(("\x00", "x" * 3_000, "-1", str(2**70), "'", "\u202e", "2026-02-30", "%"), n):
                check(owner.get(path, params={name: bad}), (route, name, bad[:20]))
        for broken in some((b"{", b"\xff\xfe", b"[" * 5_000, b'{"a": NaN}', b'"' + b"x" * 200_000 + b'"'), n):
            if method in {"POST", "PUT", "PATCH"} and not holes:
                answer = owner.request(method, path, content=broken, headers={"Content-Type": "application/json"})
                check(answer, (route, broken[:10]))
