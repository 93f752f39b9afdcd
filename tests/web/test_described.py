"""The API's document is true: its examples fit, and nobody, whatever he sends, gets an answer that it does not declare."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path
from typing import Any

import httpx
import jsonschema
import pytest

from tests.run.length import SEED
from tests.web.fuzz import ROLES, walk
from tidewind.services.people import make_key
from tidewind.settings import ROOT
from tidewind.web.access import Wiring
from tidewind.web.described import METHODS


def test_the_types_of_the_pages_are_those_of_the_api(document: dict[str, Any], tmp_path: Path) -> None:
    written, made = tmp_path / "openapi.json", tmp_path / "made.ts"
    written.write_text(json.dumps(document, indent=1, ensure_ascii=False), "utf-8")
    pages = ROOT / "frontend"
    subprocess.run([pages / "node_modules/.bin/openapi-typescript", written, "-o", made], check=True)
    kept = pages / "src/api/generated/schema.ts"
    assert made.read_text("utf-8") == kept.read_text("utf-8"), "make them anew: README, “The types of the pages”"


def test_every_body_and_parameter_has_an_example_that_its_schema_lets_through(document: dict[str, Any]) -> None:
    seen = 0
    for methods in document["paths"].values():
        for method in METHODS:
            operation = methods.get(method, {})
            body = operation.get("requestBody", {}).get("content", {}).get("application/json")
            for part in [*operation.get("parameters", []), *([body] if body else [])]:
                schema = {**part["schema"], "components": document["components"]}
                jsonschema.Draft202012Validator(schema).validate(part["example"])
                seen += 1
    assert seen > 150


def test_a_field_that_nobody_knows_is_refused_in_every_body(document: dict[str, Any]) -> None:
    seen, loose = set[str](), []

    def look(schema: Any, where: str) -> None:
        if not isinstance(schema, dict):
            return
        name = schema.get("$ref", "").rsplit("/", 1)[-1]
        if name and name not in seen:
            seen.add(name)
            look(document["components"]["schemas"][name], name)
        if (
            schema.get("type") == "object"
            and "properties" in schema
            and schema.get("additionalProperties") is not False
        ):
            loose.append(where)
        for part in (*schema.get("properties", {}).values(), schema.get("items"), schema.get("additionalProperties")):
            look(part, where)
        for part in (p for kind in ("anyOf", "oneOf", "allOf") for p in schema.get(kind, ())):
            look(part, where)

    for path, methods in document["paths"].items():
        for method in METHODS:
            body = methods.get(method, {}).get("requestBody", {}).get("content", {}).get("application/json")
            look(body and body["schema"], path)
    assert len(seen) > 100
    assert loose == []


def test_what_is_answered_is_what_is_declared(document: dict[str, Any]) -> None:
    """Problems as problem documents, files by their media type, no answer of unknown content."""
    for path, methods in document["paths"].items():
        for method in METHODS:
            for status, answer in methods.get(method, {}).get("responses", {}).items():
                content = answer.get("content", {})
                if status == "default":
                    assert list(content) == ["application/problem+json"], path
                else:
                    assert status == "204" or all(shown["schema"] for shown in content.values()), path
                    assert status == "204" or content, path
    assert not {"HTTPValidationError", "ValidationError"} & document["components"]["schemas"].keys()


@pytest.mark.long("each operation of the API is called as everybody, with good and bad cases")
@pytest.mark.slow("each operation of the API is called as everybody")
def test_nobody_gets_an_answer_that_is_not_declared(document: dict[str, Any], base_url: str, wiring: Wiring) -> None:
    keys: dict[str, dict[str, str]] = {}
    for role in ROLES:
        with wiring.sessions.begin() as session:
            made = make_key(session, 1, role, role, per_minute=1_000_000)[1] if role != "nobody" else ""
        keys[role] = {"Authorization": f"Bearer {made}"} if made else {}
        assert httpx.get(f"{base_url}/api/me", headers=keys[role]).status_code == (200 if made else 401)
    assert list(walk(document, base_url, keys, 6, 20_261_126 + SEED)) == []
