"""The folder that all processes of one run share: its first process makes it and takes it away."""

from __future__ import annotations

import fcntl
import os
import shutil
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tidewind.running.cluster import FAST_FOR_TESTS, Cluster, ClusterError

FOLDER = "TIDEWIND_TEST_FOLDER"


class Server:
    """The run's one database server, begun in the background while tests are collected."""

    def __init__(self, folder: Path) -> None:
        self._folder, self.cluster = folder, cluster_of(folder)
        self._thread = threading.Thread(target=self._start)
        self._thread.start()

    def _start(self) -> None:
        try:
            self.cluster.start()
            said = str(self.cluster.port)
        except ClusterError as error:
            said = f"failed: {error}"
        (self._folder / "port.half").write_text(said)
        (self._folder / "port.half").rename(self._folder / "port")

    def stop(self) -> None:
        self._thread.join()
        self.cluster.stop()


_server: list[Server] = []


def make() -> None:
    """Make the folder, whose path the other processes of the run inherit, and start the database server."""
    os.environ[FOLDER] = folder = tempfile.mkdtemp(prefix="tidewind-tests-")
    Path(folder).chmod(0o755)  # PostgreSQL's user passes through
    _server.append(Server(Path(folder)))


def take_away() -> None:
    """End the database server and remove the folder."""
    while _server:
        _server.pop().stop()
    shutil.rmtree(os.environ.pop(FOLDER, "/nowhere"), ignore_errors=True)


def shared() -> Path:
    """Return the folder."""
    return Path(os.environ[FOLDER])


def cluster_of(folder: Path) -> Cluster:
    """Return the run's one database server, which may be running or not."""
    return Cluster(folder / "pg", FAST_FOR_TESTS)


def running_cluster() -> Cluster:
    """Return the run's database server once it runs."""
    file = shared() / "port"
    while not file.exists():
        time.sleep(0.02)
    said = file.read_text()
    if not said.isdigit():
        raise ClusterError(said)
    made = cluster_of(shared())
    made.port = int(said)
    return made


@contextmanager
def first(what: str) -> Iterator[bool]:
    """Tell whether this process is the one that makes ``what``; the others wait until it is made."""
    folder = shared()
    with (folder / f"{what}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        made = folder / f"{what}.made"
        yield not made.exists()
        made.touch()
