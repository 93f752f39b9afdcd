"""What a use case may answer instead of a result; each has a stable code and words for a person."""

from __future__ import annotations


class ServiceError(Exception):
    """Base: ``code`` is stable, the message says what happened, what was kept and what to do."""

    status = 400

    def __init__(self, code: str, words: str) -> None:
        super().__init__(words)
        self.code = code


class NotFound(ServiceError):
    """What was named does not exist."""

    status = 404


class Conflict(ServiceError):
    """The state of things does not allow it (any more)."""

    status = 409


class Invalid(ServiceError):
    """What was sent cannot be used as it is."""

    status = 422


class TooMany(ServiceError):
    """Asked too often; it will work again after ``retry_after_s`` seconds."""

    status = 429

    def __init__(self, code: str, words: str, retry_after_s: int = 60) -> None:
        super().__init__(code, words)
        self.retry_after_s = retry_after_s


class NotSignedIn(ServiceError):
    """Nobody is signed in."""

    status = 401


class NotAllowed(ServiceError):
    """This role may not do that."""

    status = 403
