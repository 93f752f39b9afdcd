"""One installation is held by one start, comes back after whatever is killed, and never touches somebody else's."""

from __future__ import annotations

import errno
import itertools
import os
import re
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path
from types import SimpleNamespace

import httpx
import psycopg
import pytest

from tests.run.length import LONG
from tidewind.running.children import Child
from tidewind.running.cluster import FAST_FOR_TESTS, Cluster, ClusterError, free_port, programs
from tidewind.running.folder import DataFolder, FolderTaken
from tidewind.running.supervisor import Supervisor
from tidewind.services.base import Conflict, Jumps, Sealer, Turns, is_time_again
from tidewind.settings import ROOT

DAYS = 90 if LONG else 8
"""How many days of history a demo that is started here has."""


PHASES = "Starting PostgreSQL", "Bringing the database", "Loading the demo", "what the demo shop", "Starting the job"


@pytest.fixture
def place() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="tidewind-up-", ignore_cleanup_errors=True) as made:
        Path(made).chmod(0o755)
        yield Path(made)
        for pid in at_work_on(Path(made)):  # what a failed test left
            os.kill(int(pid), signal.SIGKILL)


class Started:
    """The command as a person starts it, with what it says."""

    def __init__(self, var: Path, *more: str, port: int | None = None) -> None:
        self.port = port or free_port()
        self.said = var.with_name(f"said-{self.port}.txt")
        with self.said.open("w") as out:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "tidewind.cli", "serve", "--port", str(self.port), "--var", str(var), *more],
                stdout=out,
                stderr=out,
                cwd=ROOT,
                env=os.environ | {"TIDEWIND_DEMO_DAYS": str(DAYS)},
                start_new_session=True,
            )

    def until(self, words: str) -> None:
        for _ in range(1_200):
            if words in self.said.read_text():
                return
            assert self.process.poll() is None, self.said.read_text()
            time.sleep(0.1)
        raise AssertionError(self.said.read_text())

    def end(self, how: signal.Signals) -> int:
        self.process.send_signal(how)
        return self.process.wait(60)


def until(holds: Callable[[], bool]) -> None:
    for _ in range(600):
        with suppress(httpx.HTTPError, OSError):
            if holds():
                return
        time.sleep(0.1)
    raise AssertionError("it did not come to pass")


def at_work_on(var: Path) -> list[str]:
    """Which processes name this folder, in their command or their environment, or stand in it."""
    found = []
    for process in Path("/proc").glob("[0-9]*"):
        with suppress(OSError):
            told = (process / "cmdline").read_bytes() + (process / "environ").read_bytes()
            if str(var).encode() in told or str(var) in str((process / "cwd").readlink()):
                found.append(process.name)
    return found


@pytest.mark.long("six starts of the real program")
@pytest.mark.slow("six starts of the real program")
def test_a_second_start_touches_nothing_and_a_start_after_a_crash_goes_on(place: Path) -> None:
    var = place / "shop"
    first = Started(var, "--empty")
    first.until("Ctrl-C stops everything")
    address = f"http://127.0.0.1:{first.port}"
    owner = {
        "shop": "Kiln",
        "time_zone": "Europe/Oslo",
        "currency": "NOK",
        "login": "ada",
        "name": "Ada",
        "password": "four lilac wheelbarrows",
    }
    assert httpx.post(f"{address}/api/first-owner", json=owner).status_code == 201
    for more in ((), ("--reset",), ("--empty",)):
        second = Started(var, *more)
        assert second.process.wait(60) == 1
        assert (
            f"Tidewind runs already from {var} (process {first.process.pid}). Nothing was touched."
            in second.said.read_text()
        )
    assert httpx.get(f"{address}/api/start").json()["set_up"]
    assert all((var / name).stat().st_mode & 0o77 == 0 for name in ("web.log", "running.json", "postgres.secret"))

    first.end(signal.SIGKILL)  # nobody is left to stop the others: they end by themselves, the database is left
    until(
        lambda: (
            len(at_work_on(var))
            <= 1 + len([p for p in at_work_on(var) if b"postgres" in Path(f"/proc/{p}/cmdline").read_bytes()])
        )
    )
    again = Started(var, port=first.port)
    again.until("Ctrl-C stops everything")
    assert httpx.get(f"{address}/api/start").json()["set_up"]
    assert again.end(signal.SIGHUP) == 0  # the terminal was closed
    assert at_work_on(var) == []
    third = Started(var, "--reset", "--empty", port=first.port)
    third.until("Ctrl-C stops everything")
    assert not httpx.get(f"{address}/api/start").json()["set_up"]
    assert third.end(signal.SIGINT) == 0


@pytest.mark.slow("every process of a real shop is killed")
def test_whatever_is_killed_comes_back(place: Path) -> None:
    shop = Supervisor(place / "shop", free_port(), demo=False, fast=FAST_FOR_TESTS, webs=2)
    try:
        address = shop.up()

        def well() -> bool:
            shop.look_after()
            return httpx.get(f"{address}/api/health", timeout=5).status_code == 200

        for name in ("web", "web2", "worker"):
            shop.kill(name)
        assert shop.cluster
        assert shop.cluster._server
        pids = {name: child.process.pid for name, child in shop.children.items() if child.process}
        shop.cluster._server.kill()
        shop.cluster._server.wait()
        until(well)
        assert all(c.process and c.process.pid != pids[name] for name, c in shop.children.items() if name != "worker")
        until(lambda: "job=sweep" in (place / "shop" / "worker.log").read_text())
    finally:
        shop.down()
    until(lambda: at_work_on(place / "shop") == [])  # what a killed process had begun ends by itself


@pytest.mark.long("the real program, stopped half-way in each phase and started again")
@pytest.mark.slow("the real program is stopped half-way and started again")
@pytest.mark.parametrize("phase", PHASES)
def test_it_can_be_stopped_in_any_phase_and_the_next_start_finishes(place: Path, phase: str) -> None:
    var = place / "shop"
    first = Started(var)
    first.until(phase)
    assert first.end(signal.SIGINT) == 0
    assert at_work_on(var) == []
    if phase in {"Loading the demo", "what the demo shop"}:
        second = Started(var)
        second.until("Ctrl-C stops everything")
        with psycopg.connect(eval_url(var)) as shop:
            count = shop.execute(
                "select count(*), count(*) filter (where number like 'LL-1%') from customer_order"
            ).fetchone()
        assert count is not None
        assert (count[0] > 22 * DAYS, count[1] > 21 * DAYS) == (True, True), count
        assert second.end(signal.SIGTERM) == 0


def eval_url(var: Path) -> str:
    found = re.search(r'"database_url": "([^"]+)"', (var / "running.json").read_text())
    assert found
    return found[1]


def test_a_stale_file_of_process_ids_ends_no_stranger_and_a_cut_off_beginning_is_made_anew(place: Path) -> None:
    cluster = Cluster(place / "pg", FAST_FOR_TESTS)
    (cluster.folder / "data.half").mkdir()
    (cluster.folder / "data.half" / "PG_VERSION").write_text("15\n")
    cluster.start()
    server = cluster._server
    assert server
    server.kill()
    server.wait()
    stranger = subprocess.Popen(["sleep", "300"])
    named = cluster.data / "postmaster.pid"
    named.write_text(re.sub(r"^\d+", str(stranger.pid), named.read_text()))
    try:
        psycopg.connect(cluster.start()).close()
        assert stranger.poll() is None
    finally:
        stranger.kill()
        stranger.wait()
        cluster.stop()


def test_nobody_comes_in_without_a_password_and_the_program_is_no_superuser(place: Path) -> None:
    """Also where the folder was made when neither was so: everything in it is the program's afterwards."""
    older = Cluster(place / "pg", FAST_FOR_TESTS)
    older._run(
        str(programs() / "initdb"),
        "-D",
        str(older.data),
        "-U",
        "tidewind",
        "-A",
        "trust",
        "-E",
        "UTF8",
        "--locale=C.UTF-8",
    )
    older.port = free_port()
    older._launch(programs())
    free = f"postgresql://tidewind@127.0.0.1:{older.port}"
    with psycopg.connect(f"{free}/postgres", autocommit=True) as first:
        first.execute("create database tidewind")
    with psycopg.connect(f"{free}/tidewind") as first:
        first.execute(
            "create extension pg_trgm; create table kept (id serial, state text); insert into kept (state) values ('mine'); create type mood as enum ('good')"
        )
    older.stop()

    cluster = Cluster(place / "pg", FAST_FOR_TESTS)
    with psycopg.connect(cluster.start(), autocommit=True) as program:
        assert program.execute("insert into kept (state) values ('new') returning id").fetchone() == (2,)
        program.execute("alter table kept add column more int; alter type mood add value 'bad'; drop table kept")
        for forbidden in (
            "copy (select 1) to program 'true'",
            "create role other",
            "select pg_read_file('/etc/passwd')",
        ):
            with pytest.raises(psycopg.errors.InsufficientPrivilege):
                program.execute(forbidden)
    for name in ("tidewind", "tidewind_admin", "tidewind_former", "postgres"):
        with pytest.raises(psycopg.OperationalError):
            psycopg.connect(f"postgresql://{name}@127.0.0.1:{cluster.port}/tidewind", connect_timeout=5)
    cluster.stop()


def test_a_folder_is_held_by_its_process_alone(place: Path) -> None:
    held = DataFolder(place / "shop")
    held.take()
    held.take()  # one that holds it already may ask again
    with pytest.raises(FolderTaken, match=str(os.getpid())):
        DataFolder(place / "shop").take()
    held.mark("empty")
    held.give_back()
    (place / "shop" / "web.log").touch(mode=0o644)  # as an older version left it
    after = DataFolder(place / "shop")
    after.take()
    assert after.has("empty")
    assert all(inside.stat().st_mode & 0o77 == 0 for inside in (place / "shop").iterdir())
    after.empty()
    assert [p.name for p in (place / "shop").iterdir()] == ["lock"]


def test_what_ends_at_once_again_and_again_is_started_more_slowly(monkeypatch: pytest.MonkeyPatch) -> None:
    at = [100.0]
    monkeypatch.setattr(time, "monotonic", lambda: at[0])
    child, starts = Child("web", ("web",)), []
    for tick in range(600):
        at[0] = 100.0 + tick / 10
        if child.due_again():
            starts.append(tick / 10)
            child._started = at[0] + 0.01  # started, and at its end already
    pauses = [round(b - a, 1) for a, b in itertools.pairwise(starts)]
    assert pauses == sorted(pauses)
    assert (pauses[0] < 1.5, 14 <= pauses[-1] <= 15.2, len(starts) < 12) == (True, True, True)


def test_a_disk_that_is_full_for_a_while_ends_nothing(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """What cannot be started or noted down is tried again, ever more seldom; it is said once."""
    at, full, tried = [100.0], [True], []
    shop = Supervisor(tmp_path, free_port(), demo=True)
    monkeypatch.setattr("tidewind.running.supervisor.time", SimpleNamespace(monotonic=lambda: at[0]))
    shop.children = {"web": Child("web", ("web",))}

    def start(name: str) -> None:
        tried.append(at[0] - 100)
        if full[0]:
            raise OSError(errno.ENOSPC, "No space left on device")
        shop.children[name].process = subprocess.Popen(["sleep", "60"], stdin=subprocess.DEVNULL)

    def write(state: dict[str, object]) -> None:
        noted.append(state["pids"])
        if len(noted) == 1:
            raise OSError(errno.ENOSPC, "No space left on device")

    noted: list[object] = []
    monkeypatch.setattr(shop, "start", start)
    monkeypatch.setattr(shop.folder, "write_state", write)
    for tick in range(1_000):
        at[0] = 100 + tick / 10
        full[0] = tick < 500
        shop.keep_looking_after()
    assert [round(b - a) for a, b in itertools.pairwise(tried)] == [1, 2, 4, 8, 16, 30]
    process = shop.children["web"].process
    assert process
    assert noted == [{"web": process.pid}] * 2
    assert capsys.readouterr().out.count("No space left on device. It is tried again.") == 1
    process.kill()
    process.wait()


def test_periodic_work_goes_on_whatever_the_wall_clock_does() -> None:
    turns, steady = Turns({"sweep": 10.0, "pull": 60.0}), [-1.0]
    wall = [999_999.0]
    jumps = Jumps(lambda: wall[0], lambda: steady[0])
    taken: dict[str, list[float]] = {"sweep": [], "pull": []}
    seen = []
    for second in range(240):
        steady[0] = float(second)
        wall[0] += 1.0 + {100: -1_800.0, 200: 3 * 86_400.0}.get(second, 0.0)
        if moved := jumps.newly():
            seen.append((second, moved))
        for name in turns.due(steady[0]):
            taken[name].append(steady[0])
    assert taken == {"sweep": [float(n) for n in range(0, 240, 10)], "pull": [0.0, 60.0, 120.0, 180.0]}
    assert seen == [(100, timedelta(minutes=-30)), (200, timedelta(days=3))]
    assert jumps.since_start() == timedelta(days=3, minutes=-30)


@pytest.mark.parametrize(
    ("last", "again"),
    [
        pytest.param(None, True, id="never done"),
        pytest.param(timedelta(minutes=-10), True, id="ten minutes ago"),
        pytest.param(timedelta(minutes=-9, seconds=-59), False, id="a second less"),
        pytest.param(timedelta(0), False, id="just now"),
        pytest.param(timedelta(seconds=1), True, id="done in a second: the clock was set back by one"),
        pytest.param(timedelta(days=3), True, id="done in three days"),
    ],
)
def test_a_clock_that_is_set_back_puts_nothing_off(last: timedelta | None, again: bool) -> None:
    now = datetime(2026, 11, 27, 12, tzinfo=UTC)
    assert is_time_again(None if last is None else now + last, 10, now) is again


def test_a_key_file_is_made_whole_and_one_without_a_key_is_refused_in_words(tmp_path: Path) -> None:
    file = tmp_path / "secret.key"
    sealed = Sealer(file).seal("consent")
    assert (Sealer(file).open(sealed), file.stat().st_mode & 0o77) == ("consent", 0)
    for content in ("", "not a key"):
        file.write_text(content)
        with pytest.raises(Conflict, match=r"secret\.key holds no key"):
            Sealer(file).open(sealed)
        assert file.read_text() == content
    file.unlink()
    with pytest.raises(Conflict, match="give consent again"):
        Sealer(file).open(sealed)


def test_a_database_that_cannot_start_says_why(place: Path) -> None:
    cluster = Cluster(place / "pg", ("no_such_setting=1",))
    with pytest.raises(ClusterError, match="no_such_setting"):
        cluster.start()


def test_every_package_that_runs_is_listed_with_its_licence_and_none_is_for_tests() -> None:
    pins = set(re.findall(r"^([a-z][\w.-]*)==", (ROOT / "requirements-run.lock").read_text(), re.M))
    listed = set(re.findall(r"^\| (\S+) \| \S", (ROOT / "docs" / "licences.md").read_text("utf-8"), re.M))
    assert pins - listed == set()
    assert pins & {"pytest", "hypothesis", "playwright", "mypy", "ruff", "schemathesis", "import-linter"} == set()
