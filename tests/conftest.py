"""A private PostgreSQL, a template database with the demo shop, and a stand-in world served over real HTTP."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path

import httpx
import hypothesis
import pytest
import uvicorn
from sqlalchemy.orm import Session

from tests.run import compiled, folder
from tests.run.clones import Clones
from tests.run.folder import first, running_cluster, shared
from tests.run.length import LONG, examples
from tests.run.mother import close_mother
from tidewind.app import make_app, make_wiring
from tidewind.db.migrate import migrate
from tidewind.demo.load import load
from tidewind.garbage import look_seldom
from tidewind.logs import configure
from tidewind.running.cluster import Cluster, free_port
from tidewind.running.to_the_point import LONGEST_HEADERS, ToThePoint
from tidewind.services.follow import forget_record
from tidewind.services.planning import forget_kept
from tidewind.services.rates import forget_answers
from tidewind.settings import Settings
from tidewind.standins.app import make_app as make_standins
from tidewind.standins.world import World
from tidewind.web.access import Wiring

# Nothing is timed in a test.  A short run takes the same examples every time, so that a red one can be repeated; a long
# one looks for new ones and prints how to find what it found again.
hypothesis.settings.register_profile(
    "house", deadline=None, max_examples=examples(25), derandomize=not LONG, print_blob=LONG, database=None
)
hypothesis.settings.load_profile("house")
configure("json", "warning", "tests")  # as the program itself writes, so that a fault in a test reads the same
# A client of httpx reads all authorities of the world when it is made, which takes longer than most calls here.
httpx._transports.default.create_ssl_context = cache(httpx._transports.default.create_ssl_context)  # type: ignore[attr-defined]
look_seldom()  # as every process of the program does, once all modules are there
pytest_plugins = ["tests.run.plan", "tests.run.report"]


def pytest_configure(config: pytest.Config) -> None:
    compiled.share()
    if not hasattr(config, "workerinput"):
        folder.make()


def pytest_sessionfinish() -> None:
    close_mother()


def pytest_unconfigure(config: pytest.Config) -> None:
    if not hasattr(config, "workerinput"):
        folder.take_away()


MONDAY = datetime(2026, 11, 23, 10, 0, tzinfo=UTC)


class Clock:
    """A clock that tests move."""

    def __init__(self) -> None:
        self.at = MONDAY

    def __call__(self) -> datetime:
        return self.at

    def move(self, **by: float) -> None:
        self.at += timedelta(**by)


class Served:
    """An application on a port of this machine, in a thread, by the protocol that the program itself speaks."""

    def __init__(self, app: object, port: int) -> None:
        config = uvicorn.Config(
            app,  # type: ignore[arg-type]
            host="127.0.0.1",
            port=port,
            http=ToThePoint,
            h11_max_incomplete_event_size=LONGEST_HEADERS,
            log_level="error",
            timeout_graceful_shutdown=5,
        )
        self.server = uvicorn.Server(config)
        self.thread = threading.Thread(target=self.server.run, daemon=True)
        self.thread.start()
        while not self.server.started and self.thread.is_alive():
            time.sleep(0.002)

    def stop(self) -> None:
        self.server.should_exit = True
        self.thread.join(timeout=10)

    def let_go(self) -> None:
        """Stop while the next test runs, and wait for the one let go before: to stop takes longer than most tests."""
        self.server.should_exit = True
        _ending.append(self)
        for earlier in _ending[:-1]:
            earlier.stop()
        del _ending[:-1]


_ending: list[Served] = []


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """The database server that all processes of the run share; its first process ends it."""
    made = running_cluster()
    yield made
    for server in _ending:
        server.stop()


@pytest.fixture
def clock() -> Clock:
    return Clock()


@pytest.fixture
def outside_world(clock: Clock) -> Iterator[tuple[str, int, World]]:
    """A stand-in world of this test alone: its address, its SMTP port, and itself."""
    port, smtp_port = free_port(), free_port()
    app = make_standins(":memory:", smtp_port, clock)
    server = Served(app, port)
    yield f"http://127.0.0.1:{port}", smtp_port, app.state.world
    server.let_go()


@pytest.fixture(scope="session")
def key_file() -> Path:
    """Where this run keeps the key that seals secrets."""
    return shared() / "secret.key"


@pytest.fixture(scope="session")
def template(cluster: Cluster, key_file: Path) -> str:
    """The name of a database with the demo shop and its orders, to be cloned."""
    with first("template") as mine:
        if mine:
            _load_template(cluster, key_file)
    return "tidewind"


def _load_template(cluster: Cluster, key_file: Path) -> None:
    standins, smtp = free_port(), free_port()
    server = Served(make_standins(":memory:", smtp, Clock()), standins)
    wiring = make_wiring(
        Settings(
            database_url=cluster.url,
            standins_url=f"http://127.0.0.1:{standins}",
            smtp_port=smtp,
            secret_key_file=key_file,
        )
    )
    migrate(wiring.sessions.kw["bind"])
    load(wiring.sessions, wiring.outside, MONDAY)
    wiring.sessions.kw["bind"].dispose()
    wiring.outside.close()
    server.stop()


@pytest.fixture(scope="session")
def clones(cluster: Cluster, template: str) -> Iterator[Clones]:
    made = Clones(cluster.admin_url, template)
    yield made
    made.close()


@pytest.fixture
def database(cluster: Cluster, clones: Clones) -> Iterator[str]:
    name = clones.take()
    yield cluster.url.rsplit("/", 1)[0] + f"/{name}"
    clones.give_back(name)


@pytest.fixture
def wiring(
    request: pytest.FixtureRequest,
    database: str,
    outside_world: tuple[str, int, World],
    clock: Clock,
    key_file: Path,
) -> Iterator[Wiring]:
    """Patient where nothing hangs on purpose: a busy machine must not be taken for a silent carrier."""
    patience_s = 1.0 if request.node.get_closest_marker("impatient") else 15.0
    url, smtp_port, _ = outside_world
    forget_kept()
    forget_answers()
    forget_record()
    settings = Settings(
        database_url=database,
        standins_url=url,
        smtp_port=smtp_port,
        demo=True,
        carrier_timeout_s=patience_s,
        channel_timeout_s=patience_s,
        public_url="http://shop.test",
        frontend_dir=Path("/nonexistent"),
        secret_key_file=key_file,
    )
    made = replace(make_wiring(settings), clock=clock)
    yield made
    made.sessions.kw["bind"].dispose()
    made.outside.close()


@pytest.fixture
def session(wiring: Wiring) -> Iterator[Session]:
    with wiring.sessions.begin() as made:
        yield made


@pytest.fixture
def world(outside_world: tuple[str, int, World]) -> World:
    return outside_world[2]


@pytest.fixture
def base_url(wiring: Wiring) -> Iterator[str]:
    """The web application, served over real HTTP."""
    port = free_port()
    server = Served(make_app(wiring), port)
    yield f"http://127.0.0.1:{port}"
    server.let_go()
