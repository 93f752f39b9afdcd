"""The process that foreign files are read in: it has the libraries ready, and makes a child of itself for each file.

It imports nothing of the program that asks, so a child begins in milliseconds whatever that program is.  It ends when
the program's end of the line is closed.
"""

from __future__ import annotations

import importlib
import os
import resource
import select
import selectors
import signal
import socket
from collections.abc import Callable
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any

BEGUN, DONE, FAILED, ENDED, MEMORY = "begun", "done", "failed", "ended", "memory"
"""What the line carries: a word, and what belongs to it."""
READY = ("tidewind.outside.spreadsheets", "tidewind.outside.vcards", "PIL.Image")


def serve(line: int) -> None:
    """Make a child for every connection that comes over the socket ``line``, and say how each of them ended."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the program, which closes the line
    asked = socket.socket(fileno=line)
    for name in READY:
        importlib.import_module(name)
        if select.select([asked], [], [], 0)[0] and not asked.recv(1, socket.MSG_PEEK):
            return  # the program has ended meanwhile
    children: dict[int, tuple[int, Connection]] = {}
    with selectors.DefaultSelector() as waiting:
        waiting.register(asked, selectors.EVENT_READ)
        while True:
            for ready, _ in waiting.select():
                if ready.fileobj is asked:
                    _, given, _, _ = socket.recv_fds(asked, 1, 1)
                    if not given:
                        return
                    ended, pid = _child(given[0], line)
                    children[ended] = pid, Connection(given[0])
                    waiting.register(ended, selectors.EVENT_READ)
                else:
                    waiting.unregister(ready.fileobj)
                    _say_how(*children.pop(ready.fd))
                    os.close(ready.fd)


def _child(to: int, line: int) -> tuple[int, int]:
    """Return what becomes readable when the child has ended, and the child's number."""
    pid = os.fork()
    if pid == 0:
        os.close(line)
        try:
            _read(Connection(to))
        finally:
            os._exit(0)
    return os.pidfd_open(pid), pid


def _say_how(pid: int, to: Connection) -> None:
    _, status = os.waitpid(pid, 0)
    with suppress(OSError):  # who has the result already waits for nothing more
        to.send((ENDED, os.WTERMSIG(status) if os.WIFSIGNALED(status) else None))
    to.close()


def _read(to: Connection) -> None:
    read: Callable[..., Any]
    read, given, seconds, memory_bytes = to.recv()
    to.send((BEGUN, None))
    # From here on it counts.  Time by the wall is the asker's to watch; a second later it ends here as well.
    signal.setitimer(signal.ITIMER_REAL, seconds + 1)
    used = resource.getrusage(resource.RUSAGE_SELF)
    processor_s = int(used.ru_utime + used.ru_stime + seconds) + 1
    resource.setrlimit(resource.RLIMIT_CPU, (processor_s, processor_s + 1))
    resource.setrlimit(resource.RLIMIT_AS, (_taken() + memory_bytes,) * 2)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    answer: tuple[str, Any]
    try:
        answer = (DONE, read(*given))
    except MemoryError:
        answer = (MEMORY, None)
    except Exception as error:  # it is raised again where it was asked
        answer = (FAILED, error)
    to.send(answer)
    to.close()


def _taken() -> int:
    """Return how much address space this process has already, in bytes."""
    with open("/proc/self/statm") as told:  # noqa: PTH123 - a file of the kernel
        return int(told.read().split()[0]) * resource.getpagesize()
