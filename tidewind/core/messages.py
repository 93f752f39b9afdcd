"""Texts to buyers: plain ``{field}`` substitution, nothing that could run."""

from __future__ import annotations

import re
from collections.abc import Mapping

_FIELD = re.compile(r"\{([a-z_]+)\}")


def unknown_fields(template: str, known: frozenset[str]) -> list[str]:
    """Return the fields of a template that no order can fill, in order of appearance."""
    return [name for name in _FIELD.findall(template) if name not in known]


def fill(template: str, values: Mapping[str, str]) -> str:
    """Return the template with each ``{field}`` replaced once; values are never read as templates themselves.

    Raises KeyError for a field without a value.  Line breaks in values become spaces, so that a name cannot
    add a header or a paragraph of its own.
    """
    return _FIELD.sub(lambda match: " ".join(values[match[1]].split()), template)
