"""The wish to stop: a signal notes it down, and it is answered between two steps, never in the middle of one.

An exception raised by a signal comes up wherever the program happens to be: inside a library that answers it with an
error of its own, or in a destructor, where the interpreter drops it.  So the signal raises nothing.
"""

from __future__ import annotations

import signal
from types import FrameType


class Asked(BaseException):
    """Somebody asked the program to stop; like KeyboardInterrupt no fault, so nobody catches it by accident."""


class _Wish:
    heard = False


def listen() -> None:
    """Hear Ctrl-C, a polite end and a closed terminal from now on.  For the main thread alone."""
    _Wish.heard = False
    for each in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(each, _hear)


def _hear(_signal: int, _frame: FrameType | None) -> None:
    _Wish.heard = True


def was_asked() -> bool:
    """Tell whether somebody asked to stop."""
    return _Wish.heard


def go_on() -> None:
    """Stand where nothing is half done.  Raises Asked where somebody asked to stop."""
    if _Wish.heard:
        raise Asked
