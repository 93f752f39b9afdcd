"""The one name for values in their written form: what goes into a JSON column or file, and comes out of it."""

from __future__ import annotations

from typing import Any

Written = dict[str, Any]
"""A written form; who reads it knows its parts, and nobody else looks into it."""
