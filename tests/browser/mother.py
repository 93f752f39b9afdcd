"""Processes of the program as forks of one that has read all its modules: a shop then starts in a fraction of the time.

What the forks run is the same command line; that a shop starts by itself is tried in tests/running.
"""

from __future__ import annotations

import gc
import os
import pickle
import select
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Mapping
from typing import Any

from tidewind.running.children import Child
from tidewind.settings import ROOT


def serve(line: int) -> None:
    """Fork for every call that comes over the socket ``line``: files for input, output and listening, and what to run."""
    gc.disable()
    import tidewind.app
    import tidewind.cli
    import tidewind.jobs
    import tidewind.standins.app  # noqa: F401 - to have them read

    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    calls = socket.socket(fileno=line)
    while True:
        said, files, _, _ = socket.recv_fds(calls, 200_000, 3)
        if not said:
            return
        pid = os.fork()
        if pid == 0:
            signal.signal(signal.SIGCHLD, signal.SIG_DFL)
            calls.close()
            _become(*pickle.loads(said), files)
        for file in files:
            os.close(file)
        calls.send(str(pid).encode())


def _become(arguments: tuple[str, ...], environment: dict[str, str], files: list[int]) -> None:
    os.setsid()
    os.umask(0o077)
    os.dup2(files[0], 0)
    os.dup2(files[1], 1)
    os.dup2(files[1], 2)
    if len(files) > 2:
        os.set_inheritable(files[2], True)
        environment["TIDEWIND_LISTENING"] = str(files[2])
    os.environ.clear()
    os.environ.update(environment)
    from tidewind.cli import main

    code = 1
    try:
        code = main(list(arguments))
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
    """The process that forks, for all shops of one process of the run."""

    def __init__(self) -> None:
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with theirs:
            code = f"from tests.browser.mother import serve; serve({theirs.fileno()})"
            self.process = subprocess.Popen([sys.executable, "-c", code], pass_fds=[theirs.fileno()], cwd=ROOT)
        self._line = ours

    def start(self, child: Child, folder: Any, environment: Mapping[str, str], listening: int | None = None) -> None:
        """Stand in for ``Child.start``."""
        child._let_go()
        theirs, ours = os.pipe()
        log = folder.log(child.name)
        said = pickle.dumps((child.arguments, {**os.environ, **environment}))
        files = [theirs, log, *([] if listening is None else [listening])]
        socket.send_fds(self._line, [said], files)
        pid = int(self._line.recv(100))
        os.close(theirs)
        os.close(log)
        child.process = Fork(pid, os.fdopen(ours, "wb", buffering=0))  # type: ignore[assignment]
        child._started = time.monotonic()

    def close(self) -> None:
        self._line.close()
        self.process.wait(30)
