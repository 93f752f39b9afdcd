"""Start everything on one machine, say how long each step took, start again what ends, and stop it all cleanly."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import httpx
import psycopg

from tidewind.running.children import Child
from tidewind.running.cluster import SLOW_BUT_SAFE, Cluster, free_port
from tidewind.running.filling import fill, is_newer, up_to_date
from tidewind.running.folder import DataFolder
from tidewind.running.wishes import Asked, go_on, listen, was_asked
from tidewind.settings import DEMO_CLOCK, DEMO_PASSWORD, DEMO_PEOPLE, Settings

READY_WITHIN_S = 120
FIRST_PAUSE_S, LONGEST_PAUSE_S = 1.0, 30.0
"""After the first failure to look after something, and at most, before it is tried again."""


def say(words: str, end: str = "\n") -> None:
    """Print for who started the program; a terminal that was closed is no reason to end."""
    with suppress(OSError, ValueError):
        print(words, end=end, flush=True)


@contextmanager
def step(words: str) -> Iterator[None]:
    """Say what is being done and, at its end, how long it took; a wish to stop is heard before and after."""
    go_on()
    say(f"  {words} …", end="")
    start = time.monotonic()
    yield
    say(f" {time.monotonic() - start:.1f} s")
    go_on()


def processes_for(cores: int) -> tuple[int, int]:
    """Return how many web servers and job workers a machine of so many cores gets (shop policy)."""
    return min(max(cores, 1), 4), min(max(cores // 2, 1), 4)


class Supervisor:
    """The program's processes on one machine: database, stand-ins, job workers, web servers."""

    def __init__(
        self,
        var: Path | DataFolder,
        port: int,
        demo: bool,
        fast: tuple[str, ...] = SLOW_BUT_SAFE,
        history_days: int | None = None,
        webs: int = 1,
        workers: int = 1,
    ) -> None:
        self.folder = var if isinstance(var, DataFolder) else DataFolder(var)
        self.port, self.demo = port, demo
        self.fast = fast
        self.cluster: Cluster | None = None
        self.settings = Settings()
        self.history_days = self.settings.demo_days if history_days is None else history_days
        self.standins_port, self.smtp_port = free_port(), free_port()
        self.listening: socket.socket | None = None
        outside = (str(self.standins_port), str(self.smtp_port), str(self.folder.path / "standins.sqlite3"))
        self._trouble, self._pause_s, self._not_before, self._state_is_old = "", FIRST_PAUSE_S, 0.0, False
        # Only the demo has a made-up world; an own shop's mails and carriers are real ones or none.
        self.children = {"standins": Child("standins", ("standins", *outside))} if demo else {}
        for n in range(workers):
            self._add("worker", n)
        for n in range(webs):
            self._add("web", n)

    def _add(self, kind: str, n: int) -> None:
        name = kind if n == 0 else f"{kind}{n + 1}"
        self.children[name] = Child(name, (kind,))

    def up(self) -> str:
        """Start everything and return the address once all of it answers.

        What can come up side by side does; a database that is up to date is not looked at twice.
        Raises FolderTaken where the shop runs already, else RuntimeError or OSError with what to do.
        """
        self.folder.take()
        shutil.rmtree(self.folder.path / "figures", ignore_errors=True)  # of processes that are no more
        self.listening = self._listen()
        self.settings = Settings(
            var_dir=self.folder.path,
            port=self.port,
            demo=self.demo,
            smtp_port=self.smtp_port if self.demo else self.settings.smtp_port,
            standins_url=f"http://127.0.0.1:{self.standins_port}" if self.demo else "",
        )
        if self.demo:
            self.start("standins")
        with step("Starting PostgreSQL"):
            self.cluster = Cluster(self.folder.path / "postgres", self.fast)
            self.settings = self.settings.model_copy(update={"database_url": self.cluster.start()})
        if is_newer(self.settings.database_url):
            raise RuntimeError("this data was written by a newer Tidewind. Nothing was touched. Start that version.")
        if not up_to_date(self.settings.database_url, self.folder, self.demo):
            if self.demo:
                self._until_answers(f"{self.settings.standins_url}/health")
            fill(self.settings, self.folder, self.history_days if self.demo else None, step, go_on)
        with step("Starting the job workers and the web servers"):
            self.listening.listen(1024)
            for name in self.children:
                if name != "standins":
                    self.start(name)
            self._until_answers(f"{self.settings.base_url}/api/health")
        self._write_state()
        return self.settings.base_url

    def _listen(self) -> socket.socket:
        """Take the port before anything else; connections wait in it while a web server starts again."""
        made = socket.socket()
        made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            made.bind(("127.0.0.1", self.port))
        except OSError as error:
            made.close()
            raise RuntimeError(
                f"port {self.port} cannot be had ({error.strerror}). Choose another: bin/start --port {self.port + 1}"
            ) from None
        return made

    def start(self, name: str) -> None:
        """Start one of the processes; its output goes to a log in the data folder."""
        fields = ("database_url", "var_dir", "port", "smtp_port", "standins_url", "frontend_dir")
        given = {f"TIDEWIND_{f.upper()}": str(getattr(self.settings, f)) for f in fields}
        given |= {"TIDEWIND_DEMO": "1" if self.demo else "0", "TIDEWIND_SUPERVISED": "1"}
        given |= {"PROMETHEUS_MULTIPROC_DIR": str(self._figures())}
        if self.demo:
            given[DEMO_CLOCK] = str(self.folder.path / "demo-clock")
        listening = None
        if name.startswith("web") and self.listening is not None:
            listening = self.listening.fileno()
            given["TIDEWIND_LISTENING"] = str(listening)
        self.children[name].start(self.folder, given, listening)

    def _figures(self) -> Path:
        """The folder in which the processes add up what they count."""
        made = self.folder.path / "figures"
        made.mkdir(mode=0o700, exist_ok=True)
        return made

    def _until_answers(self, url: str) -> None:
        waited = time.monotonic() + READY_WITHIN_S
        last = "nothing"
        while time.monotonic() < waited:
            self._complain_of_the_dead()
            go_on()
            try:
                answer = httpx.get(url, timeout=5)
            except httpx.TransportError as error:
                last = type(error).__name__
            else:
                if answer.is_success:
                    return
                last = answer.text[:300]
            time.sleep(0.1)
        raise RuntimeError(f"not everything answered within {READY_WITHIN_S} s; the last word: {last}")

    def _complain_of_the_dead(self) -> None:
        for name, child in self.children.items():
            if child.process is not None and not child.alive:
                raise RuntimeError(f"the {name} process ended at once. Its log: {self.folder.path / f'{name}.log'}")

    def _write_state(self) -> None:
        pids = {name: child.process.pid for name, child in self.children.items() if child.process}
        self.folder.write_state(
            {
                "url": self.settings.base_url,
                "database_url": self.settings.database_url,
                "standins_url": self.settings.standins_url,
                "pids": pids,
            }
        )

    def kill(self, name: str, how: signal.Signals = signal.SIGKILL) -> None:
        """End one process at once, as a crash would."""
        process = self.children[name].process
        if process is None:
            raise KeyError(name)
        process.send_signal(how)
        process.wait(timeout=20)

    def down(self) -> None:
        """Stop everything and give the folder back; what was never started is left alone."""
        for child in reversed(self.children.values()):
            child.ask_to_end()
        for child in self.children.values():
            child.end()
        if self.cluster is not None:
            self.cluster.stop()
        if self.listening is not None:
            self.listening.close()
        self.folder.give_back()

    def keep_looking_after(self) -> None:
        """Look after everything; what cannot be done now, such as on a full disk, is said once and tried again.

        A shop that has been up is never given up for what may be over in a minute.
        """
        if time.monotonic() < self._not_before:
            return
        try:
            self.look_after()
            self._trouble, self._pause_s = "", FIRST_PAUSE_S
        except (OSError, RuntimeError, psycopg.Error) as error:
            if str(error) != self._trouble:
                say(f"  It did not work: {error}. It is tried again.")
            self._trouble, self._not_before = str(error), time.monotonic() + self._pause_s
            self._pause_s = min(self._pause_s * 2, LONGEST_PAUSE_S)

    def look_after(self) -> None:
        """Start again what has ended, the database first."""
        if self.cluster is not None and not self.cluster.alive():
            say("  PostgreSQL ended; starting it again.")
            self.cluster.start()
        ended = [child for child in self.children.values() if not child.alive and child.due_again()]
        for child in ended:
            say(f"  The {child.name} process ended (see {self.folder.path / f'{child.name}.log'}); starting it again.")
            self.start(child.name)
        self._state_is_old |= bool(ended)
        if self._state_is_old:
            self._write_state()
            self._state_is_old = False


def serve(folder: DataFolder, port: int, demo: bool) -> int:
    """Start everything, print the address, wait for Ctrl-C or a closed terminal, stop; return the exit code.

    ``folder`` may be held already.
    """
    listen()
    webs, workers = processes_for(len(os.sched_getaffinity(0)))
    supervisor = Supervisor(folder, port, demo, webs=webs, workers=workers)
    code = 0
    try:
        _welcome(supervisor, supervisor.up())
        while not was_asked():
            supervisor.keep_looking_after()
            time.sleep(0.3)
    except Asked:
        pass
    except (RuntimeError, OSError, psycopg.Error) as error:
        with suppress(OSError):
            print(f"\n\n  It did not work: {error}", file=sys.stderr)
        code = 1
    finally:
        say("\n  Stopping everything …", end="")
        start = time.monotonic()
        supervisor.down()
        say(f" {time.monotonic() - start:.1f} s")
    return code


def throw_away(folder: DataFolder) -> None:
    """Throw the data away of an installation whose folder is held, so that it does not run."""
    if (folder.path / "postgres").exists():
        cluster = Cluster(folder.path / "postgres")
        cluster.end_what_is_left()
        cluster.throw_away()
    folder.empty()


def _welcome(supervisor: Supervisor, address: str) -> None:
    say(f"\nTidewind is ready:  {address}\n")
    if supervisor.demo:
        say(f"  Demo people, all with the password {DEMO_PASSWORD}:")
        for login, name, role in DEMO_PEOPLE:
            say(f"    {login:6} {name}, {role}")
        say(f"  The simulated world (mails, clock, faults):  {supervisor.settings.standins_url}")
    else:
        say("  Open the page and set up the shop and its owner.")
    say("  Ctrl-C stops everything.")
