"""Limits that several rooms share."""

from __future__ import annotations

MOST_ORDERS = 20_000
"""So many orders are bought, checked, compared or changed at once."""
