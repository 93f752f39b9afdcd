"""The API's document, made true where the framework guesses: problems, and an example of every body and parameter."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from fastapi import FastAPI

from tidewind.web.problems import MEDIA_TYPE

Schema = dict[str, Any]
METHODS = ("get", "put", "post", "patch", "delete")
_GUESSED = ("HTTPValidationError", "ValidationError")
EXAMPLES: dict[str, Any] = {
    "login": "ana", "password": "four lilac wheelbarrows", "name": "Ana Lopes", "brand": "Larkspur & Loam",
    "company": "Quinta do Sobral, Lda", "street": "Rua das Flores 12", "extra": "2.º esq.", "city": "Viseu",
    "region": "", "postcode": "3500-108", "country": "PT", "phone": "+351 900 000 000", "email": "ana@buyer.example",
    "code": "norvia", "carrier": "norvia", "service": "np-parcel", "sku": "HF-02", "number": "LL-20381",
    "order_number": "LL-20381", "tracking_number": "RR123456785PT", "text": "Ana", "currency": "EUR",
    "time_zone": "Europe/Lisbon", "words": "Weighed again", "reason": "Too small", "why": "Too small",
    "packaging": "CTN-M", "client_key": "9f1c2d7a44e0", "origin": "PT", "hs_code": "820150", "role": "packer",
    "weight_g": 1_200, "gross_g": 1_200, "sides_mm": [300, 200, 120], "value_minor": 4_990, "shown_minor": 425,
    "quantity": 2, "url": "http://127.0.0.1:9000/", "secret": "JBSWY3DPEHPK3PXP",
}  # fmt: skip
"""What a field of a name holds, as far as its schema lets it; others hold the smallest that theirs lets through."""

_BY_FORMAT = {"date": "2026-11-24", "date-time": "2026-11-24T10:00:00Z", "email": "ana@buyer.example", "time": "16:30"}
_BY_PATTERN = {"^[A-Z]{3}$": "EUR", "^[A-Z]{2}$": "PT", r"^[^@\s]+@[^@\s]+$": "ana@buyer.example"}


def describe(app: FastAPI) -> None:
    """Have an application tell its own document, once, with what the framework got wrong put right."""
    framework = app.openapi

    def told() -> Schema:
        if app.openapi_schema is None:
            found = framework()
            for operation in _operations(found):
                _tell_problems(operation)
                _give_examples(found, operation)
            for name in _GUESSED:
                found["components"]["schemas"].pop(name, None)
        return app.openapi_schema or {}

    app.openapi = told  # type: ignore[method-assign]


def _operations(document: Schema) -> Iterator[Schema]:
    for methods in document["paths"].values():
        yield from (methods[method] for method in METHODS if method in methods)


def _tell_problems(operation: Schema) -> None:
    """Say that what is refused is refused as a problem document (RFC 9457), and nothing else."""
    operation["responses"].pop("422", None)
    shown = {"schema": {"$ref": "#/components/schemas/Problem"}}
    operation["responses"]["default"] = {"description": "Problem details", "content": {MEDIA_TYPE: shown}}


def _give_examples(document: Schema, operation: Schema) -> None:
    for parameter in operation.get("parameters", ()):
        if "example" not in parameter:
            parameter["example"] = example_of(document, parameter["schema"], parameter["name"])
    for kind, body in operation.get("requestBody", {}).get("content", {}).items():
        if kind == "application/json" and "example" not in body:
            body["example"] = example_of(document, body["schema"], "")


def example_of(document: Schema, schema: Schema, name: str, depth: int = 0) -> Any:
    """Return something that a schema lets through, by the name of the field where there is an example of that name."""
    part = _plain(document, schema)
    if "const" in part or "enum" in part:
        return part.get("const", part.get("enum", [None])[0])
    if "default" in part and part["default"] not in ("", [], {}, None):
        return part["default"]
    kind = part.get("type")
    if kind == "object":
        fields = part.get("properties", {})
        if not fields and part.get("minProperties"):
            return {"1": example_of(document, part["additionalProperties"], name, depth + 1)}
        wanted = set(part.get("required", ())) | (set(fields) & EXAMPLES.keys() if depth < 3 else set())
        return {field: example_of(document, fields[field], field, depth + 1) for field in fields if field in wanted}
    if name in EXAMPLES and _lets_through(part, EXAMPLES[name]):
        return EXAMPLES[name]
    if kind == "array":
        least = part.get("minItems", 1 if depth < 3 else 0)
        return [example_of(document, part.get("items", {}), name.removesuffix("s"), depth + 1)] * least
    return _smallest(part, kind)


def _plain(document: Schema, schema: Schema) -> Schema:
    """Follow references, and take the first of several that may be."""
    part = schema
    while "$ref" in part or "anyOf" in part or "oneOf" in part:
        if "$ref" in part:
            part = document["components"]["schemas"][part["$ref"].rsplit("/", 1)[-1]]
        else:
            several = part.get("anyOf") or part["oneOf"]
            part = {**several[0], **{k: v for k, v in part.items() if k in {"default", "example"}}}
    return part


def _lets_through(part: Schema, value: Any) -> bool:
    kinds = {"string": str, "integer": int, "array": list, "number": int}
    if type(value) is not kinds.get(part.get("type", "")):
        return False
    if isinstance(value, str):
        pattern_ok = "pattern" not in part or bool(re.search(part["pattern"], value))
        return part.get("minLength", 0) <= len(value) <= part.get("maxLength", 10_000) and pattern_ok
    if isinstance(value, list):
        return bool(part.get("minItems", 0) <= len(value) <= part.get("maxItems", 10_000))
    return bool(part.get("minimum", value) <= value <= part.get("maximum", value))


def _smallest(part: Schema, kind: str | None) -> Any:
    if kind in {"integer", "number"}:
        return max(part.get("minimum", 1), part.get("exclusiveMinimum", 0) + 1)
    if kind == "boolean":
        return False
    if kind != "string":
        return None
    known = _BY_FORMAT.get(part.get("format", "")) or _BY_PATTERN.get(part.get("pattern", ""))
    return known or "text"[: part.get("maxLength", 4)].ljust(part.get("minLength", 0), "x")
