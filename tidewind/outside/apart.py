"""Foreign files are read in a process of their own, with little memory and time: what a file does there ends there."""

from __future__ import annotations

import atexit
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Callable
from multiprocessing import Pipe
from multiprocessing.connection import Connection
from typing import Any, TypeVar

from tidewind.outside.reading_process import BEGUN, DONE, FAILED, MEMORY

Result = TypeVar("Result")
SECONDS, MEMORY_BYTES = 10.0, 300_000_000
SECONDS_TO_BEGIN = 60.0
"""The first process of all brings the libraries along; on a busy machine that is no fault of the file's."""
AT_ONCE = threading.Semaphore(2)
"""So many files are read at once by one process of the program; others wait for their turn."""


class TooMuch(Exception):
    """Reading went over a limit, or was ended by what the file did to a library; nothing came of it.

    Its words say which limit, to stand behind "takes": "more than 300 MB of memory".
    """


class _Reader:
    """The process that makes one child for each file, started when it is first needed and again if it has ended."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._line: socket.socket | None = None
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> socket.socket:
        if self._line is not None and self._process is not None and self._process.poll() is None:
            return self._line
        if self._line is not None:
            self._line.close()
        ours, theirs = socket.socketpair()
        with theirs:
            self._process = self._begin(theirs.fileno())
        self._line = ours
        return ours

    @staticmethod
    def _begin(line: int) -> subprocess.Popen[bytes]:
        # The program's own main module is not imported there: only where modules are found is the same.
        words = f"import sys; sys.path[:] = {sys.path!r}; from tidewind.outside.reading_process import serve; "
        return subprocess.Popen(  # noqa: S603 - our own program
            [sys.executable, "-c", f"{words} serve({line})"],
            pass_fds=[line],
            stdin=subprocess.DEVNULL,
            start_new_session=True,
        )

    def child(self) -> Connection:
        """Return the line to a child that waits for its work.  Raises OSError where the process just ended."""
        ours, theirs = Pipe()
        with self._lock, theirs:
            socket.send_fds(self.start(), [b"c"], [theirs.fileno()])
        return ours

    def give_up(self) -> None:
        """Let a process go that no longer answers: the next child is another one's."""
        with self._lock:
            self.close()
            self._line = self._process = None

    def close(self) -> None:
        """End the process, and wait for it."""
        if self._line is not None and self._process is not None:
            self._line.close()
            self._process.wait()


_READER = _Reader()
atexit.register(_READER.close)


def warm() -> None:
    """Start the process that reads, so that nobody's first file waits for it."""
    with _READER._lock:
        _READER.start()


def read_apart(
    read: Callable[..., Result], *given: Any, seconds: float = SECONDS, memory_bytes: int = MEMORY_BYTES
) -> Result:
    """Return what ``read`` makes of ``given``, both fit to be sent to another process.

    Whatever ``read`` raises is raised here, too.  Raises TooMuch where it used up its memory or its time, which count
    from the moment when it begins: by the wall, and by the processor for what would not be interrupted.
    """
    with AT_ONCE, _begun(read, given, seconds, memory_bytes) as line:
        if not line.poll(seconds):
            raise TooMuch(f"longer than {seconds:g} seconds")
        word, result = line.recv()
    if word == DONE:
        made: Result = result
        return made
    if word == FAILED:
        raise result
    if word == MEMORY:
        raise TooMuch(f"more than {memory_bytes // 1_000_000} MB of memory")
    if result in {signal.SIGXCPU, signal.SIGALRM}:
        raise TooMuch(f"more than {seconds:g} seconds of processor")
    raise TooMuch("what ends the process that reads it")


def _begun(*asked: Any) -> Connection:
    """Return the line to a child that has everything and begins; of a process that has just ended a new one is made."""
    for last in (False, True):
        try:
            line = _READER.child()
            line.send(asked)
            if not line.poll(SECONDS_TO_BEGIN):
                raise TooMuch(f"more than {SECONDS_TO_BEGIN:g} seconds to begin")
            word, _ = line.recv()
            if word == BEGUN:
                return line
        except (OSError, EOFError):
            _READER.give_up()
            if last:
                raise
    raise TooMuch("what ends the process that reads it")
