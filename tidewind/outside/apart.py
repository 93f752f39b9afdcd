"""Foreign files are read in a process of their own, with little memory and time: what a file does there ends there."""

from __future__ import annotations

import multiprocessing
import resource
import threading
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any, TypeVar

Result = TypeVar("Result")
SECONDS, MEMORY_BYTES = 10.0, 300_000_000
SECONDS_TO_BEGIN = 60.0
"""The first process of all brings the libraries along; on a busy machine that is no fault of the file's."""
AT_ONCE = threading.Semaphore(2)
"""So many files are read at once by one process of the program; others wait for their turn."""
_PROCESSES = multiprocessing.get_context("forkserver")
_PROCESSES.set_forkserver_preload(["tidewind.outside.spreadsheets", "tidewind.outside.vcards", "PIL.Image"])


class TooMuch(Exception):
    """Reading took more memory or time than a file may; nothing came of it."""


def read_apart(read: Callable[..., Result], *given: Any, seconds: float = SECONDS) -> Result:
    """Return what ``read`` makes of ``given``, both fit to be sent to another process.

    Whatever ``read`` raises is raised here, too.  Raises TooMuch where it used up its memory or its time; time is
    counted by the wall, and by the processor for what would not be interrupted.
    """
    with AT_ONCE:
        ours, theirs = _PROCESSES.Pipe(duplex=False)
        process = _PROCESSES.Process(target=_read, args=(theirs, read, given, seconds), daemon=True)
        process.start()
        theirs.close()
        try:
            _next(ours, SECONDS_TO_BEGIN)
            fault, result = _next(ours, seconds)
        except EOFError:  # it was ended by a limit, or by what the file made a library do
            raise TooMuch("memory") from None
        finally:
            process.kill()
            process.join()
            process.close()
            ours.close()
    if fault is not None:
        raise fault
    made: Result = result
    return made


def _next(ours: Connection, seconds: float) -> Any:
    if not ours.poll(seconds):
        raise TooMuch("time")
    return ours.recv()


def _read(to: Connection, read: Callable[..., Any], given: tuple[Any, ...], seconds: float) -> None:
    to.send("begun")
    resource.setrlimit(resource.RLIMIT_AS, (_taken() + MEMORY_BYTES,) * 2)
    resource.setrlimit(resource.RLIMIT_CPU, (int(seconds) + 1,) * 2)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    answer: tuple[Exception | None, Any]
    try:
        answer = (None, read(*given))
    except MemoryError:
        answer = (TooMuch("memory"), None)
    except Exception as error:  # it is raised again where it was asked
        answer = (error, None)
    to.send(answer)
    to.close()


def _taken() -> int:
    """Return how much address space this process has already, in bytes."""
    with open("/proc/self/statm") as told:  # noqa: PTH123 - a file of the kernel
        return int(told.read().split()[0]) * resource.getpagesize()
