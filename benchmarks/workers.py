"""Two workers against one: the same waiting orders planned anew by one process, then by two.

.venv/bin/python -m benchmarks.workers [orders, 6000]
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

from sqlalchemy.orm import Session, sessionmaker

from benchmarks.planning import NOW, fifty_rules, import_all, version
from tidewind.db.engine import make_engine, make_sessions
from tidewind.db.migrate import migrate
from tidewind.db.tables import Work
from tidewind.garbage import look_seldom
from tidewind.running.cluster import Cluster
from tidewind.services.planning import Scope, core_shop, go_on_replanning


def work(url: str, work_id: int, name: str) -> None:
    """Be a worker: load what is loaded once, say so, wait for the word, and help until nothing is left."""
    look_seldom()
    sessions = make_sessions(make_engine(url))
    with sessions() as session:
        core_shop(session, NOW)
    print("ready", flush=True)
    sys.stdin.readline()
    go_on_replanning(sessions, work_id, lambda: NOW, name)


def with_workers(sessions: sessionmaker[Session], url: str, count: int, workers: int) -> float:
    """Return how many seconds so many processes need for all orders."""
    with sessions.begin() as session:
        row = Work(kind="replan", words="", total=count, state="waiting", done=0, cursor=0, scope=Scope().written)
        session.add(row)
    processes = [
        subprocess.Popen(
            [sys.executable, "-m", "benchmarks.workers", "worker", url, str(row.id), f"w{n}"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )
        for n in range(workers)
    ]
    for process in processes:
        if process.stdout:
            process.stdout.readline()
    started = time.perf_counter()
    for process in processes:
        _start(process)
    for process in processes:
        process.wait()
    spent = time.perf_counter() - started
    with sessions() as session:
        done = session.get_one(Work, row.id)
        if (done.state, done.done) != ("done", count):
            raise SystemExit(f"not every order was planned: {done.state}, {done.done} of {count}")
    return spent


def _start(process: subprocess.Popen[str]) -> None:
    if process.stdin:
        process.stdin.write("go\n")
        process.stdin.flush()


def main(count: int) -> None:
    with tempfile.TemporaryDirectory(prefix="tidewind-bench-") as folder:
        Path(folder).chmod(0o755)
        cluster = Cluster(Path(folder) / "pg")
        url = cluster.start()
        engine = make_engine(url)
        try:
            migrate(engine)
            sessions = make_sessions(engine)
            import_all(sessions, count)
            version(sessions, fifty_rules())
            with_workers(sessions, url, count, 1)
            for _ in range(3):
                one, two = (with_workers(sessions, url, count, workers) for workers in (1, 2))
                print(f"one worker {one:.1f} s, two {two:.1f} s: {one / two:.2f} × as fast (aim 1.7 ×)")
        finally:
            engine.dispose()
            cluster.stop()


if __name__ == "__main__":
    if sys.argv[1:2] == ["worker"]:
        work(sys.argv[2], int(sys.argv[3]), sys.argv[4])
    else:
        main(int(sys.argv[1]) if len(sys.argv) > 1 else 6_000)
