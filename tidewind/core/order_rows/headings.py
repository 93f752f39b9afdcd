"""What a column of a spreadsheet can hold, and the headings that say so, in the languages that sellers meet."""

from __future__ import annotations

import json
from collections.abc import Mapping
from importlib import resources


def _read() -> Mapping[str, tuple[str, ...]]:
    told = json.loads((resources.files("tidewind.data") / "headings.json").read_text("utf-8"))
    return {field: tuple(headings) for field, headings in told.items()}


FIELDS: Mapping[str, tuple[str, ...]] = _read()
"""What a column can hold, and plain headings that say so; earlier spellings are better known."""
