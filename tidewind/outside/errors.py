"""Errors of the outside world, told apart by what they mean for the caller."""


class OutsideError(Exception):
    """Something outside did not work; the message is fit for a person."""


class NeverSent(OutsideError):
    """The request did not reach the other side, or was turned away unread: safe to try again."""


class MaybeDone(OutsideError):
    """No answer came, but the work may have been done: ask what became of it before trying again."""


class NotBelieved(MaybeDone):
    """An answer came that cannot be true: what it stands for may have been done, and is to be taken back."""


class RefusedOutside(OutsideError):
    """The other side understood and said no; trying again will not help."""

    def __init__(self, reason: str, detail: str) -> None:
        super().__init__(detail)
        self.reason = reason


NONSENSE = (ValueError, KeyError, TypeError, AttributeError, ArithmeticError)
"""What reading an answer raises where it is not written as was agreed; numbers without an end are ArithmeticError."""
