"""A protocol document as a judge: was the status agreed on, and has the body the agreed shape?"""

from __future__ import annotations

import json
import shlex
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import yaml
from jsonschema import Draft202012Validator, FormatChecker

ANSWER_WITHIN_S = 10.0


class Wrong(Exception):
    """Something that the protocol says otherwise; the words say what."""


class NotTried(Exception):
    """A check that this service cannot be put to, with the reason."""


@dataclass(frozen=True)
class Outcome:
    """What came of one check: its name, ``pass``, ``wrong`` or ``not tried``, words, and the request to repeat it."""

    name: str
    result: str
    words: str = ""
    repeat: str = ""


class Document:
    """An OpenAPI document of ours, by operation."""

    def __init__(self, file: Path) -> None:
        self._whole: dict[str, Any] = yaml.safe_load(file.read_text("utf-8"))
        self._operations = {
            operation["operationId"]: operation
            for path in self._whole["paths"].values()
            for method, operation in path.items()
            if method in {"get", "post", "put", "delete"}
        }

    def fault(self, operation: str, status: int, body: Any) -> str:
        """Return in words how an answer differs from what an operation may answer; empty where it does not."""
        agreed = self._operations[operation]["responses"]
        if str(status) not in agreed:
            return f"answered {status}, where one of {', '.join(sorted(agreed))} is agreed"
        response = agreed[str(status)]
        if "$ref" in response:
            response = self._whole["components"]["responses"][response["$ref"].rpartition("/")[2]]
        schema = response["content"]["application/json"]["schema"]
        judge = Draft202012Validator(
            {**schema, "components": self._whole["components"]}, format_checker=FormatChecker()
        )
        first = min(judge.iter_errors(body), key=lambda e: len(e.path), default=None)
        if first is None:
            return ""
        where = "/".join(str(part) for part in first.path) or "the body"
        return f"{where}: {first.message[:200]}"


@dataclass
class Service:
    """The service that is tried: every request is remembered, so that a fault can be shown again."""

    url: str
    document: Document
    key: str = ""
    last: str = ""
    trail: list[str] = field(default_factory=list)

    def ask(
        self, operation: str, method: str, path: str, *, body: Any = None, headers: dict[str, str] | None = None,
        key: str | None = None, raw: bytes | None = None,
    ) -> tuple[int, Any]:  # fmt: skip
        """Make a request and return its status and body.  Raises Wrong where the answer is not as agreed."""
        sent = {**({"Authorization": f"Bearer {self.key if key is None else key}"}), **(headers or {})}
        if body is not None or raw is not None:
            sent["Content-Type"] = "application/json"
        data = raw if raw is not None else (json.dumps(body).encode() if body is not None else None)
        self.last = self._as_command(method, path, sent, data)
        self.trail.append(self.last)
        try:
            answer = httpx.request(
                method, self.url.rstrip("/") + path, content=data, headers=sent, timeout=ANSWER_WITHIN_S
            )
        except httpx.TimeoutException as error:
            raise Wrong(f"no answer within {ANSWER_WITHIN_S:.0f} seconds") from error
        except httpx.HTTPError as error:
            raise Wrong(f"cannot be reached: {error}") from error
        try:
            told = answer.json()
        except ValueError:
            raise Wrong(f"answered {answer.status_code} with something that is no JSON") from None
        fault = self.document.fault(operation, answer.status_code, told)
        if fault:
            raise Wrong(fault)
        return answer.status_code, told

    def _as_command(self, method: str, path: str, headers: dict[str, str], data: bytes | None) -> str:
        shown = [f"-H {shlex.quote(f'{name}: {value}')}" for name, value in headers.items() if name != "Authorization"]
        body = [f"--data {shlex.quote(data.decode('utf-8', 'replace'))}"] if data else []
        return " ".join(
            ["curl -X", method, *shown, '-H "Authorization: Bearer $KEY"', *body, self.url.rstrip("/") + path]
        )


def run(checks: list[tuple[str, Callable[[], None]]], service: Service) -> list[Outcome]:
    """Put a service to every check, one after the other; a fault in one does not end the others."""
    outcomes = []
    for name, check in checks:
        try:
            check()
            outcomes.append(Outcome(name, "pass"))
        except NotTried as reason:
            outcomes.append(Outcome(name, "not tried", str(reason)))
        except Wrong as fault:
            outcomes.append(Outcome(name, "wrong", str(fault), service.last))
    return outcomes


def as_table(outcomes: list[Outcome]) -> str:
    """Return the outcomes as lines to print, each fault with the request that shows it."""
    lines = []
    for one in outcomes:
        lines.append(f"{one.result:<10} {one.name}{f': {one.words}' if one.words else ''}")
        if one.repeat:
            lines.append(f"           {one.repeat}")
    wrong = sum(one.result == "wrong" for one in outcomes)
    lines.append(f"{len(outcomes)} checks, {wrong} wrong")
    return "\n".join(lines)
