"""A private PostgreSQL on 127.0.0.1, on a free port, with its data in a folder of ours."""

from __future__ import annotations

import os
import secrets
import shutil
import socket
import subprocess
import tempfile
import time
from contextlib import suppress
from pathlib import Path

import psycopg

SLOW_BUT_SAFE: tuple[str, ...] = ()
FAST_FOR_TESTS = ("fsync=off", "synchronous_commit=off", "full_page_writes=off")


class ClusterError(RuntimeError):
    """PostgreSQL could not be found or started; the message says what to do."""


def free_port() -> int:
    """Return a TCP port on 127.0.0.1 that is free now, and that no outgoing connection takes meanwhile.

    Systems give outgoing connections ports from 32768 up: a port from there can be gone before it is listened on.
    """
    for _ in range(1_000):
        port = 20_000 + secrets.randbelow(12_000)
        with socket.socket() as probe, suppress(OSError):
            probe.bind(("127.0.0.1", port))
            return port
    raise ClusterError("no port between 20000 and 32000 is free on this machine")


def programs() -> Path:
    """Return the folder with ``initdb`` and ``postgres`` of the newest PostgreSQL on this machine."""
    versions = sorted(
        (p for p in Path("/usr/lib/postgresql").glob("*/bin") if (p / "initdb").exists()),
        key=lambda p: float(p.parent.name),
    )
    if versions:
        return versions[-1]
    found = shutil.which("initdb")
    if found:
        return Path(found).resolve().parent
    raise ClusterError("PostgreSQL is not installed. Install it: apt-get install postgresql")


def _as_owner() -> list[str]:
    """PostgreSQL refuses to run as root: run it as the ``postgres`` user then."""
    if os.getuid() != 0:
        return []
    return ["setpriv", "--reuid=postgres", "--regid=postgres", "--init-groups", "--reset-env"]


def _reachable_for_owner(folder: Path) -> bool:
    return not _as_owner() or subprocess.run([*_as_owner(), "test", "-w", str(folder)], check=False).returncode == 0


class Cluster:
    """One PostgreSQL server; ``start`` creates it at need, ``stop`` ends it."""

    def __init__(self, folder: Path, settings: tuple[str, ...] = SLOW_BUT_SAFE) -> None:
        self.settings = settings
        self.folder = self._prepare(folder)
        self.data = self.folder / "data"
        self.port = 0
        self._server: subprocess.Popen[bytes] | None = None

    def _prepare(self, folder: Path) -> Path:
        folder.mkdir(parents=True, exist_ok=True)
        if os.getuid() == 0:
            shutil.chown(folder, "postgres", "postgres")
        if _reachable_for_owner(folder):
            return folder
        # The postgres user cannot pass through a parent such as /root: keep the data outside, by a stable name.
        inode = folder.stat().st_ino
        outside = Path("/var/lib/tidewind" if Path("/var/lib").exists() else tempfile.gettempdir()) / f"pg-{inode}"
        outside.mkdir(parents=True, exist_ok=True)
        shutil.chown(outside, "postgres", "postgres")
        return outside

    @property
    def url(self) -> str:
        """The database URL of ``tidewind`` on this server."""
        return f"postgresql://tidewind@127.0.0.1:{self.port}/tidewind"

    def _run(self, *command: str) -> None:
        done = subprocess.run([*_as_owner(), *command], capture_output=True, text=True, check=False, cwd="/")
        if done.returncode:
            raise ClusterError(f"{Path(command[0]).name} failed: {done.stderr.strip()[-600:]}")

    def start(self) -> str:
        """Create the cluster at need, start it and return its URL.  Raises ClusterError with what to do."""
        binaries = programs()
        if not (self.data / "PG_VERSION").exists():
            self._run(
                str(binaries / "initdb"),
                "-D",
                str(self.data),
                "-U",
                "tidewind",
                "-A",
                "trust",
                "-E",
                "UTF8",
                "--locale=C.UTF-8",
                "--no-sync",
            )
        self._stop_leftover(binaries)
        self.port = free_port()
        options = ["-c", f"port={self.port}", "-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=",
                   "-c", "max_connections=120"]  # fmt: skip
        for setting in self.settings:
            options += ["-c", setting]
        with (self.folder / "server.log").open("ab") as log:
            self._server = subprocess.Popen(
                [*_as_owner(), str(binaries / "postgres"), "-D", str(self.data), *options],
                stdout=log, stderr=log, cwd="/", start_new_session=True,
            )  # fmt: skip
        self._wait()
        with psycopg.connect(self.url.rsplit("/", 1)[0] + "/postgres", autocommit=True) as connection:
            if not connection.execute("select 1 from pg_database where datname = 'tidewind'").fetchone():
                connection.execute("create database tidewind")
        return self.url

    def _stop_leftover(self, binaries: Path) -> None:
        """End a server that a killed run left on the same data; its pid file says which."""
        if (self.data / "postmaster.pid").exists():
            subprocess.run(
                [*_as_owner(), str(binaries / "pg_ctl"), "-D", str(self.data), "-m", "fast", "-w", "stop"],
                capture_output=True,
                check=False,
                cwd="/",
            )

    def _wait(self) -> None:
        for _ in range(300):
            if self._server is not None and self._server.poll() is not None:
                tail = (self.folder / "server.log").read_text(errors="replace")[-600:]
                raise ClusterError(f"PostgreSQL did not start: {tail}")
            try:
                psycopg.connect(self.url.rsplit("/", 1)[0] + "/postgres", connect_timeout=2).close()
            except psycopg.OperationalError:
                time.sleep(0.1)
            else:
                return
        raise ClusterError(f"PostgreSQL did not answer within 30 s; its log: {self.folder / 'server.log'}")

    def stop(self) -> None:
        """Stop the server and wait for its end."""
        if self._server is None or self._server.poll() is not None:
            return
        subprocess.run(
            [*_as_owner(), str(programs() / "pg_ctl"), "-D", str(self.data), "-m", "fast", "-w", "stop"],
            capture_output=True,
            check=False,
            cwd="/",
        )
        try:
            self._server.wait(timeout=15)
        except subprocess.TimeoutExpired:
            self._server.kill()
