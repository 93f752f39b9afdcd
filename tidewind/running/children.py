"""The program's own processes: started, watched, started again, ended."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from collections.abc import Mapping
from contextlib import suppress
from signal import SIGTERM

from tidewind.running.folder import DataFolder

CALM_AFTER_S, LONGEST_PAUSE_S = 30.0, 15.0
# glibc keeps an arena for each thread and does not give back what a large file took; a web process that has read
# some of them would hold twice the memory it needs for as long as it lives.
_MEMORY = {"MALLOC_ARENA_MAX": "2", "MALLOC_TRIM_THRESHOLD_": "131072"}


class Child:
    """One process of the program; who ends too often is started again at a slower pace."""

    def __init__(self, name: str, arguments: tuple[str, ...]) -> None:
        self.name, self.arguments = name, arguments
        self.process: subprocess.Popen[bytes] | None = None
        self._started, self._pause, self._not_before = 0.0, 0.5, 0.0

    @property
    def alive(self) -> bool:
        """Whether it runs."""
        return self.process is not None and self.process.poll() is None

    def start(self, folder: DataFolder, environment: Mapping[str, str], listening: int | None = None) -> None:
        """Start it; it ends by itself when this process does, whose end closes its standard input."""
        self._let_go()
        kept = () if listening is None else (listening,)
        log = folder.log(self.name)
        try:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "tidewind.cli", *self.arguments],
                env={**_MEMORY, **os.environ, **environment},
                stdin=subprocess.PIPE,
                stdout=log,
                stderr=log,
                start_new_session=True,
                pass_fds=kept,
                umask=0o077,
            )
        finally:
            os.close(log)
        self._started = time.monotonic()

    def due_again(self) -> bool:
        """Tell whether a process that ended is to be started now."""
        moment = time.monotonic()
        if self._not_before < self._started:  # its end is seen for the first time
            lived = moment - self._started
            self._pause = 0.5 if lived > CALM_AFTER_S else min(self._pause * 2, LONGEST_PAUSE_S)
            self._not_before = moment + (self._pause if self._pause > 1 else 0)
        return moment >= self._not_before

    def end(self, wait_s: float = 8.0) -> None:
        """Ask it to end, and make it end."""
        if self.process is None:
            return
        self.ask_to_end()
        try:
            self.process.wait(wait_s)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait(5)
        self._let_go()

    def _let_go(self) -> None:
        """Close our end of the standard input of the process that was."""
        if self.process is not None and self.process.stdin:
            with suppress(OSError):
                self.process.stdin.close()

    def ask_to_end(self) -> None:
        """Ask it to end, without waiting."""
        if self.process is not None and self.process.poll() is None:
            self.process.send_signal(SIGTERM)


def end_with_parent() -> None:
    """End this process in good order when the one that started it is gone: its end of our standard input closes."""
    if os.environ.get("TIDEWIND_SUPERVISED") != "1":
        return

    def watch() -> None:
        with suppress(OSError):
            while os.read(0, 1):
                pass
        os.kill(os.getpid(), SIGTERM)
        time.sleep(10)
        os._exit(1)  # it would not end in good order

    threading.Thread(target=watch, daemon=True).start()
