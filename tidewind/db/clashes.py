"""Two transactions in each other's way: the database ends one of them, which can be tried again from its beginning."""

from __future__ import annotations

# serialization_failure and deadlock_detected (PostgreSQL, Appendix A, class 40: transaction rollback)
_STATES = frozenset({"40001", "40P01"})


def is_clash(error: BaseException | None) -> bool:
    """Tell whether the database ended a transaction only because of another one: tried again, it may well succeed."""
    while error is not None:
        state = getattr(error, "sqlstate", None) or getattr(getattr(error, "orig", None), "sqlstate", None)
        if state in _STATES:
            return True
        error = error.__cause__
    return False
