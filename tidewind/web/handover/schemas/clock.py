"""A time of day as it goes over HTTP."""

from __future__ import annotations

from datetime import time
from typing import Annotated, Any

from pydantic import BeforeValidator, Field

_HHMM = r"^([01][0-9]|2[0-3]):[0-5][0-9]$"


def _written(at: Any) -> Any:
    return f"{at:%H:%M}" if isinstance(at, time) else at


Clock = Annotated[str, BeforeValidator(_written), Field(pattern=_HHMM)]
"""The carrier's clock on a day, HH:MM: no format of JSON Schema is a time of day without an offset."""
