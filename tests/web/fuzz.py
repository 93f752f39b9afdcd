"""Every operation of the API's document, called with what the document lets through and with what it does not.

As a program, against a running demo shop, for longer than the tests do:
.venv/bin/python -m tests.web.fuzz http://127.0.0.1:8480 MINUTES
"""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator, Mapping
from contextlib import suppress
from typing import Any

import httpx
import requests
import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis.errors import Unsatisfiable
from schemathesis import Case
from schemathesis.checks import (
    content_type_conformance,
    not_a_server_error,
    response_headers_conformance,
    response_schema_conformance,
    status_code_conformance,
)
from schemathesis.core.failures import FailureGroup
from schemathesis.generation import GenerationMode
from schemathesis.schemas import APIOperation

from tidewind.settings import DEMO_PASSWORD

CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_headers_conformance,
    response_schema_conformance,
]
ROLES = {"owner": "ines", "shipper": "tome", "care": "rute", "packer": "", "nobody": ""}
LEFT_OUT = {"GET /api/news", "POST /api/sign-out", "POST /api/me/password", "GET /api/health"}
"""An answer without an end, what would sign the caller out, and what rightly says 503 where no worker runs."""


Keys = Mapping[str, dict[str, str]]
"""The headers by which somebody is known, by role."""


def walk(document: dict[str, Any], base_url: str, keys: Keys, examples: int, at: int) -> Iterator[str]:
    """Call every operation so many times with good and with bad cases, each as everybody whose key is given.

    Yields what is wrong with an answer, in words.  The making of cases takes longer than their calls: so each case
    goes to all of them, those who may do the least first.
    """
    schema, lines = schemathesis.openapi.from_dict(document), {role: requests.Session() for role in keys}
    for role, line in lines.items():
        line.headers.update(keys[role])
    for result in schema.get_all_operations():
        operation = result.ok()
        if operation.label not in LEFT_OUT:
            bad = [GenerationMode.NEGATIVE] if _asks(document["paths"][operation.path][operation.method]) else []
            for mode in (GenerationMode.POSITIVE, *bad):
                with suppress(Unsatisfiable):
                    yield from _tried(operation, mode, base_url, lines, examples, at)[:1]
    for line in lines.values():
        line.close()


def _asks(described: Mapping[str, Any]) -> bool:
    """Tell whether anything bad can be said: a word in the path of which nothing is asked is never bad."""
    free = all(p["in"] == "path" and p["schema"].keys() <= {"type", "title"} and p["schema"]["type"] == "string"
               for p in described.get("parameters", ()))  # fmt: skip
    return "requestBody" in described or not free


def _tried(
    operation: APIOperation[Any],
    mode: GenerationMode,
    base_url: str,
    lines: Mapping[str, requests.Session],
    examples: int,
    at: int,
) -> list[str]:
    wrong: list[str] = []

    @seed(at)
    @settings(
        max_examples=examples,
        deadline=None,
        database=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(case=operation.as_strategy(generation_mode=mode))
    def each(case: Case) -> None:
        for role, line in reversed(lines.items()):
            line.cookies.clear()  # who calls is known by the key alone
            try:
                answer = case.call(base_url=base_url, session=line, timeout=60)
                case.validate_response(answer, checks=CHECKS)
            except (Exception, FailureGroup) as error:  # whatever a check finds is told, and the walk goes on
                wrong.append(f"as {role}: {operation.label}: {str(error)[:1500]}")

    each()
    return wrong


def key_of(base_url: str, role: str) -> dict[str, str]:
    """Return the headers of somebody with a role: a key, so that no call ends a session."""
    if role == "nobody":
        return {}
    with httpx.Client(base_url=base_url, timeout=30) as client:
        client.post("/api/sign-in", json={"login": "ines", "password": DEMO_PASSWORD}).raise_for_status()
        token = {"X-CSRF-Token": client.get("/api/me").json()["csrf_token"]}
        made = client.post("/api/keys", json={"name": f"fuzz as {role}", "role": role}, headers=token)
        return {"Authorization": f"Bearer {made.json()['key']}"}


def main(base_url: str, minutes: float) -> int:
    document = httpx.get(f"{base_url}/api/openapi.json").json()
    keys = {role: key_of(base_url, role) for role in ROLES}
    ends, rounds, told = time.monotonic() + minutes * 60, 0, set()
    while time.monotonic() < ends:
        for words in walk(document, base_url, keys, 8, rounds):
            if words[:200] not in told:
                told.add(words[:200])
                print(f"{words}\n", flush=True)
        rounds += 1
    print(f"{rounds} rounds, {len(told)} kinds of faults")
    return bool(told)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1], float(sys.argv[2])))
