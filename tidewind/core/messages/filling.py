"""Texts to buyers: plain ``{field}`` substitution, nothing that could run."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Final

FIELDS: Final = ("name", "order", "carrier", "service", "numbers", "arrives", "last", "link", "shop")
"""What every order can fill."""
_FIELD = re.compile(r"\{([a-z_]+)\}")
_BRACE = re.compile(r"\{[^{}]*\}?")


def unknown_fields(template: str, known: frozenset[str]) -> list[str]:
    """Return the fields of a template that no order can fill, in order of appearance."""
    return [name for name in _FIELD.findall(template) if name not in known]


def faults_in(template: str) -> list[str]:
    """Return everything in braces that no order can fill, as it was typed."""
    whole = {f"{{{name}}}" for name in FIELDS}
    return [found for found in _BRACE.findall(template) if found not in whole]


def fill(template: str, values: Mapping[str, str]) -> str:
    """Return the template with each ``{field}`` replaced once; values are never read as templates themselves.

    Raises KeyError for a field without a value.  Line breaks in values become spaces, so that a name cannot
    add a header or a paragraph of its own.
    """
    return _FIELD.sub(lambda match: " ".join(values[match[1]].split()), template)


def fill_lines(template: str, values: Mapping[str, str]) -> str:
    """Return a text of several lines filled; a line whose fields are all empty is left out.  Raises KeyError."""
    lines = template.split("\n")
    kept = [line for line in lines if not (names := _FIELD.findall(line)) or any(values[n].strip() for n in names)]
    return fill("\n".join(kept), values)
