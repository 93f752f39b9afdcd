"""Start everything on one machine, say how long each step took, and stop it all cleanly."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from types import FrameType

import httpx
import psycopg

from tidewind.cluster import SLOW_BUT_SAFE, Cluster, free_port
from tidewind.settings import DEMO_PASSWORD, DEMO_PEOPLE, ROOT, Settings, now

MIGRATIONS = ROOT / "tidewind" / "db" / "migrations" / "versions"


@contextmanager
def step(words: str) -> Iterator[None]:
    """Say what is being done and, at its end, how long it took."""
    print(f"  {words} …", end="", flush=True)
    start = time.monotonic()
    yield
    print(f" {time.monotonic() - start:.1f} s", flush=True)


class Supervisor:
    """The program's processes: database, stand-ins, job worker, web server."""

    def __init__(
        self, var: Path, port: int, demo: bool, fast: tuple[str, ...] = SLOW_BUT_SAFE, history_days: int = 90
    ) -> None:
        self.var, self.port, self.demo, self.history_days = var, port, demo, history_days
        self.cluster = Cluster(var / "postgres", fast)
        self.children: dict[str, subprocess.Popen[bytes]] = {}
        self.settings = Settings()

    def up(self) -> str:
        """Start everything and return the address of the program.

        What can come up side by side does; a database that is up to date is not looked at twice.
        """
        self.var.mkdir(parents=True, exist_ok=True)
        standins_port, smtp_port = free_port(), free_port()
        self.settings = Settings(
            var_dir=self.var,
            port=self.port,
            demo=self.demo,
            smtp_port=smtp_port,
            standins_url=f"http://127.0.0.1:{standins_port}",
        )
        self.start("standins", "standins", str(standins_port), str(smtp_port), str(self.var / "standins.sqlite3"))
        with step("Starting PostgreSQL"):
            self.settings = self.settings.model_copy(update={"database_url": self.cluster.start()})
        if not self._up_to_date():
            self._prepare_database()
        with step("Starting the job worker, the web server and the simulated world"):
            self.start("worker", "worker")
            self.start("web", "web")
            self._wait(f"{self.settings.standins_url}/health", "standins")
            self._wait(f"{self.settings.base_url}/api/start", "web")
        self._write_state()
        return self.settings.base_url

    def _up_to_date(self) -> bool:
        """Tell whether every migration has run and, in the demo, the shop is there."""
        newest = max(path.name[:4] for path in MIGRATIONS.glob("[0-9]*.py"))
        with psycopg.connect(self.settings.database_url) as connection:
            try:
                found = connection.execute("select version_num from alembic_version").fetchone()
                people = connection.execute("select exists (select from person)").fetchone()
            except psycopg.errors.UndefinedTable:
                return False
        return bool(found and found[0] == newest and (not self.demo or (people and people[0])))

    def _prepare_database(self) -> None:
        # Late imports: on most starts none of this is needed.
        from tidewind.app import make_wiring
        from tidewind.db.migrate import migrate
        from tidewind.demo.history import load_history
        from tidewind.demo.load import load

        wiring = make_wiring(self.settings)
        with step("Bringing the database up to date"):
            migrate(wiring.sessions.kw["bind"])
        if self.demo:
            with step("Loading the demo shop"):
                self._wait(f"{self.settings.standins_url}/health", "standins")
                fresh = load(wiring.sessions, wiring.outside, now())
            if fresh:
                with step(f"Loading what the demo shop has sent in the last {self.history_days} days"):
                    load_history(wiring.sessions, now(), self.history_days)
        wiring.sessions.kw["bind"].dispose()
        wiring.outside.close()

    def start(self, name: str, *arguments: str) -> None:
        """Start one of the program's processes; its output goes to a log in the data folder."""
        fields = ("database_url", "var_dir", "port", "smtp_port", "standins_url", "frontend_dir")
        given = {f"TIDEWIND_{f.upper()}": str(getattr(self.settings, f)) for f in fields}
        with (self.var / f"{name}.log").open("ab") as log:
            self.children[name] = subprocess.Popen(
                [sys.executable, "-m", "tidewind.cli", *arguments],
                env={**os.environ, **given, "TIDEWIND_DEMO": "1" if self.demo else "0"},
                stdout=log, stderr=log, start_new_session=True,
            )  # fmt: skip

    def _wait(self, url: str, name: str) -> None:
        for _ in range(300):
            if self.children[name].poll() is not None:
                raise RuntimeError(f"The {name} process ended at once. Its log: {self.var / f'{name}.log'}")
            try:
                httpx.get(url, timeout=2)
            except httpx.TransportError:
                time.sleep(0.1)
            else:
                return
        raise RuntimeError(f"{name} did not answer within 30 s. Its log: {self.var / f'{name}.log'}")

    def _write_state(self) -> None:
        pids = {name: child.pid for name, child in self.children.items()}
        state = {"url": self.settings.base_url, "database_url": self.settings.database_url,
                 "standins_url": self.settings.standins_url, "pids": pids}  # fmt: skip
        (self.var / "running.json").write_text(json.dumps(state, indent=1))

    def kill(self, name: str, how: signal.Signals = signal.SIGKILL) -> None:
        """End one process at once, as a crash would."""
        self.children[name].send_signal(how)
        self.children[name].wait(timeout=20)

    def down(self) -> None:
        """Stop everything, last started first."""
        for child in reversed(list(self.children.values())):
            if child.poll() is None:
                child.terminate()
        for child in self.children.values():
            try:
                child.wait(timeout=8)
            except subprocess.TimeoutExpired:
                child.kill()
                child.wait(timeout=5)
        self.cluster.stop()
        (self.var / "running.json").unlink(missing_ok=True)

    def watch(self) -> None:
        """Start a worker or web server again when it dies; return when asked to stop."""
        stopping = False

        def stop(_signal: int, _frame: FrameType | None) -> None:
            nonlocal stopping
            stopping = True

        signal.signal(signal.SIGINT, stop)
        signal.signal(signal.SIGTERM, stop)
        restarts: dict[str, Callable[[], None]] = {
            "worker": lambda: self.start("worker", "worker"),
            "web": lambda: self.start("web", "web"),
        }
        while not stopping:
            for name, restart in restarts.items():
                if self.children[name].poll() is not None:
                    print(
                        f"  The {name} process ended (see {self.var / f'{name}.log'}); starting it again.", flush=True
                    )
                    restart()
                    time.sleep(1)
            time.sleep(0.3)


def serve(var: Path, port: int, demo: bool) -> int:
    """Start everything, print the address, wait for Ctrl-C, stop everything; return the exit code."""
    supervisor = Supervisor(var, port, demo)
    try:
        address = supervisor.up()
        print(f"\nTidewind is ready:  {address}\n")
        if demo:
            print(f"  Demo people, all with the password {DEMO_PASSWORD}:")
            for login, name, role in DEMO_PEOPLE:
                print(f"    {login:6} {name}, {role}")
            print(f"  The simulated world (mails, clock, faults):  {supervisor.settings.standins_url}")
        else:
            print("  Open the page and set up the shop and its owner.")
        print("  Ctrl-C stops everything.", flush=True)
        supervisor.watch()
    except (RuntimeError, OSError) as error:
        print(f"\n\n  It did not work: {error}", file=sys.stderr)
        return 1
    finally:
        with step("\n  Stopping everything"):
            supervisor.down()
    return 0
