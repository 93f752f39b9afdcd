"""Processes of the program as forks of one that has read all its modules: they then start in a fraction of the time.

What the forks run is the same; that a shop starts from nothing is tried in tests/running.
"""

from __future__ import annotations

import gc
import importlib
import os
import pickle
import select
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Mapping
from contextlib import suppress
from datetime import date
from functools import cache, partial
from typing import Any

from tidewind.outside import reading_process
from tidewind.running.children import Child
from tidewind.settings import ROOT

_READY = ("tidewind.app", "tidewind.cli", "tidewind.jobs", "tidewind.standins.app", "tests.services.crash")


def serve(line: int) -> None:
    """Fork for every call that comes over the socket ``line``, with its files, and answer with the child's number.

    Where the caller waits for the end, the answer is how it ended, as ``subprocess`` says it.
    """
    gc.disable()
    readers = _mother_of_readers(line)
    for name in _READY:
        importlib.import_module(name)
    _read_once(readers)
    gc.freeze()
    calls = socket.socket(fileno=line)
    while True:
        packed, files, _, _ = socket.recv_fds(calls, 200_000, 3)
        if not packed:
            return
        call = pickle.loads(packed)
        pid = os.fork()
        if pid == 0:
            calls.close()
            _become(call, files)
        for file in files:
            os.close(file)
        answer = os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1]) if call["wait"] else pid
        calls.send(str(answer).encode())
        _bury()


def _read_once(readers: socket.socket) -> None:
    """Have read what every web process otherwise reads at its first request, and let readers be forks as well."""
    # Not before the mother of readers is made: a reader has nothing of these.
    from tidewind.app import _every_room
    from tidewind.core.calendar import is_working_day
    from tidewind.outside.apart import _Reader
    from tidewind.standins.app import _everybody

    is_working_day(date(2026, 1, 5), "PT")
    asked: Any = {"type": "http", "method": "GET", "path": "/", "headers": [], "path_params": {}, "root_path": ""}
    for route in (*_every_room().routes, *_everybody().routes):
        route.matches(asked)
    _Reader._begin = staticmethod(partial(_begin_reader, readers))  # type: ignore[method-assign, assignment]


def _mother_of_readers(line: int) -> socket.socket:
    """Fork the process whose own forks read foreign files: it has nothing of the program but what such a process has."""
    ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
    if os.fork():
        theirs.close()
        return ours
    ours.close()
    os.close(line)
    for name in reading_process.READY:
        importlib.import_module(name)
    while True:
        _, files, _, _ = socket.recv_fds(theirs, 1, 2)
        if not files:
            os._exit(0)
        to, answer = files
        if (pid := os.fork()) == 0:
            os.setsid()
            theirs.close()
            os.close(answer)
            reading_process.serve(to)
            os._exit(0)
        os.write(answer, str(pid).encode())
        os.close(to)
        os.close(answer)
        _bury()


def _begin_reader(readers: socket.socket, line: int) -> Fork:
    """Stand in for ``_Reader._begin``."""
    said, answer = os.pipe()
    socket.send_fds(readers, [b"r"], [line, answer])
    os.close(answer)
    with os.fdopen(said) as told:
        return Fork(int(told.read()), None)


def _bury() -> None:
    with suppress(ChildProcessError):
        while os.waitpid(-1, os.WNOHANG)[0]:
            pass


def _become(call: dict[str, Any], files: list[int]) -> None:
    os.setsid()
    os.umask(0o077)
    environment = dict(call["environment"])
    if files:
        os.dup2(files[0], 0)
        os.dup2(files[1], 1)
        os.dup2(files[1], 2)
    if len(files) > 2:
        environment["TIDEWIND_LISTENING"] = str(files[2])
    os.environ.clear()
    os.environ.update(environment)
    module, name = call["run"]
    code = 1
    try:
        code = getattr(importlib.import_module(module), name)(*call["given"]) or 0
    finally:
        sys.stdout.flush()
        os._exit(code)


class Fork:
    """A forked process, as much like ``subprocess.Popen`` as the supervisor needs."""

    def __init__(self, pid: int, stdin: Any) -> None:
        self.pid, self.stdin, self._file = pid, stdin, os.pidfd_open(pid)
        self.returncode: int | None = None

    def poll(self) -> int | None:
        if self.returncode is None and select.select([self._file], [], [], 0)[0]:
            self._ended()
        return self.returncode

    def wait(self, timeout: float | None = None) -> int:
        if self.returncode is None:
            if not select.select([self._file], [], [], timeout)[0]:
                raise subprocess.TimeoutExpired("a fork", timeout or 0)
            self._ended()
        return self.returncode or 0

    def _ended(self) -> None:
        self.returncode = 0
        os.close(self._file)

    def send_signal(self, number: int) -> None:
        if self.poll() is None:
            signal.pidfd_send_signal(self._file, number)

    def kill(self) -> None:
        self.send_signal(signal.SIGKILL)


class Mother:
    """The process that forks, for one process of the run."""

    def __init__(self) -> None:
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with theirs:
            code = f"from tests.run.mother import serve; serve({theirs.fileno()})"
            self.process = subprocess.Popen([sys.executable, "-c", code], pass_fds=[theirs.fileno()], cwd=ROOT)
        self._line = ours

    def _call(
        self, run: tuple[str, str], given: tuple[Any, ...], environment: Mapping[str, str], *files: int, wait: bool
    ) -> int:
        call = {"run": run, "given": given, "environment": {**os.environ, **environment}, "wait": wait}
        socket.send_fds(self._line, [pickle.dumps(call)], files)
        return int(self._line.recv(100))

    def run(self, module: str, name: str, *given: Any, environment: Mapping[str, str]) -> int:
        """Run a function in a fork; return how that ended, below zero for the signal that ended it."""
        return self._call((module, name), given, environment, wait=True)

    def start(self, child: Child, folder: Any, environment: Mapping[str, str], listening: int | None = None) -> None:
        """Stand in for ``Child.start``."""
        child._let_go()
        theirs, ours = os.pipe()
        log = folder.log(child.name)
        files = [theirs, log, *([] if listening is None else [listening])]
        pid = self._call(("tidewind.cli", "main"), (list(child.arguments),), environment, *files, wait=False)
        os.close(theirs)
        os.close(log)
        child.process = Fork(pid, os.fdopen(ours, "wb", buffering=0))  # type: ignore[assignment]
        child._started = time.monotonic()

    def close(self) -> None:
        self._line.close()
        self.process.wait(30)


@cache
def mother() -> Mother:
    """Return this process's own, started at its first use."""
    return Mother()


def close_mother() -> None:
    if mother.cache_info().currsize:
        mother().close()
