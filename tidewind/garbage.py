"""How often Python looks for cycles of garbage: seldom, since plans and rows are many, short-lived and free of them."""

from __future__ import annotations

import gc

EVERY_OBJECTS, EVERY_YOUNG, EVERY_MIDDLE = 50_000, 20, 50
"""With Python's own figures (700, 10, 10) half the time of loading and planning 500 orders went into looking."""


def look_seldom() -> None:
    """Set what is loaded by now aside for good, and look for cycles less often; call once all modules are there."""
    gc.collect()
    gc.freeze()
    gc.enable()  # it may have been put off until everything was read
    gc.set_threshold(EVERY_OBJECTS, EVERY_YOUNG, EVERY_MIDDLE)
