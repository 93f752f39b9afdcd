"""Bodies of requests made from a template that an owner wrote: what is filled in can never become part of its form."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from tidewind.core.messages.filling import fill, unknown_fields

FORMS = ("json", "form")


def template_faults(template: str, form: str, known: frozenset[str], needed: frozenset[str]) -> list[str]:
    """Return what is wrong with a template, in words: its shape, fields nobody fills, fields it must have."""
    try:
        parts = _parts(template, form)
    except ValueError as error:
        return [str(error)]
    wrong = [f"{{{name}}} is nothing that can be filled in." for name in unknown_fields(template, known)]
    texts = " ".join(_texts(parts))
    wrong += [f"{{{name}}} is missing." for name in sorted(needed) if f"{{{name}}}" not in texts]
    return wrong


def filled_body(template: str, form: str, values: Mapping[str, str]) -> tuple[Any, str]:
    """Return the body of a request, as JSON or as pairs of a form, and its content type.

    Placeholders stand in texts of the template and nowhere else, and are filled after it was read: a quote or an
    ampersand in a value is only ever text.  Raises ValueError for a template that cannot be read.
    """
    parts = _parts(template, form)
    if form == "json":
        return _filled(parts, values), "application/json"
    return {name: fill(text, values) for name, text in parts.items()}, "application/x-www-form-urlencoded"


def _parts(template: str, form: str) -> Any:
    if form == "json":
        try:
            return json.loads(template)
        except (ValueError, RecursionError) as error:
            why = str(error) if isinstance(error, ValueError) else "it is nested too deeply"
            raise ValueError(f"The template is no JSON: {why}.") from error
    pairs: dict[str, str] = {}
    for line in filter(None, map(str.strip, template.splitlines())):
        name, sign, text = line.partition("=")
        if not sign or not name.strip():
            raise ValueError(f"Write one field a line, as in To={{to}}; “{line[:40]}” is none.")
        pairs[name.strip()] = text.strip()
    return pairs


def _filled(part: Any, values: Mapping[str, str]) -> Any:
    if isinstance(part, str):
        return fill(part, values)
    if isinstance(part, list):
        return [_filled(one, values) for one in part]
    if isinstance(part, dict):
        return {name: _filled(one, values) for name, one in part.items()}
    return part


def _texts(part: Any) -> list[str]:
    if isinstance(part, str):
        return [part]
    if isinstance(part, list):
        return [text for one in part for text in _texts(one)]
    if isinstance(part, dict):
        return [text for one in part.values() for text in _texts(one)]
    return []
