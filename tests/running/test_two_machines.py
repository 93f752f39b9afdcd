"""Two web servers and two workers on one database are one shop: signed in at both, bought once, told everywhere."""

from __future__ import annotations

import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import httpx
import psycopg
import pytest

from tests.run.shops import DAYS, copy_demo
from tidewind.running.children import Child
from tidewind.running.cluster import FAST_FOR_TESTS, free_port
from tidewind.running.supervisor import Supervisor
from tidewind.settings import DEMO_PASSWORD


@pytest.fixture(scope="module")
def two() -> Iterator[tuple[str, str, Supervisor]]:
    """The addresses of a shop and of its second machine, which knows the database, the key and nothing else."""
    with tempfile.TemporaryDirectory(prefix="tidewind-two-", ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o755)
        first = Supervisor(copy_demo(Path(folder)), free_port(), demo=True, fast=FAST_FOR_TESTS, history_days=DAYS)
        second = Path(folder) / "second"
        second.mkdir()
        far = [Child("far-web", ("web",)), Child("far-worker", ("worker",))]
        try:
            near_url = first.up()
            port = free_port()
            given = {
                "TIDEWIND_DATABASE_URL": first.settings.database_url,
                "TIDEWIND_SECRET_KEY_FILE": str(first.settings.key_file),
                "TIDEWIND_STANDINS_URL": first.settings.standins_url,
                "TIDEWIND_SMTP_PORT": str(first.smtp_port),
                "TIDEWIND_VAR_DIR": str(second),
                "TIDEWIND_PORT": str(port),
                "TIDEWIND_DEMO": "1",
            }
            for child in far:
                child.start(first.folder, given)
            yield near_url, f"http://127.0.0.1:{port}", first
        finally:
            for child in far:
                child.end()
            first.down()


def test_two_web_servers_and_two_workers_are_one_shop(two: tuple[str, str, Supervisor]) -> None:
    near_url, far_url, shop = two
    for _ in range(300):
        try:
            health = httpx.get(f"{far_url}/api/health", timeout=5)
            if health.json()["parts"]["worker"]["detail"] == "2 at work":
                break
        except httpx.TransportError:
            pass
        time.sleep(0.1)
    assert health.json()["ok"], health.text
    with httpx.Client(base_url=near_url, timeout=30) as near, httpx.Client(base_url=far_url, timeout=30) as far:
        near.post("/api/sign-in", json={"login": "tome", "password": DEMO_PASSWORD}).raise_for_status()
        far.cookies.update(near.cookies)
        token = {"X-CSRF-Token": far.get("/api/me").json()["csrf_token"]}
        orders = [o for o in far.get("/api/orders?view=clear").json()["orders"] if o["price_minor"]][:10]
        heard: list[str] = []
        listening = threading.Thread(target=hear, args=(far_url, dict(near.cookies), heard), daemon=True)
        listening.start()
        while not heard:  # everything is told once when the listening begins
            time.sleep(0.05)
        wishes = {
            "orders": [{"order_id": o["id"], "shown_minor": o["price_minor"]} for o in orders],
            "client_key": "two-machines-1",
        }
        answers = []
        before = bought(shop)  # the demo's own
        both = [
            threading.Thread(target=lambda c=c: answers.append(c.post("/api/purchases", json=wishes, headers=token)))  # type: ignore[misc]
            for c in (near, far)
        ]
        for thread in both:
            thread.start()
        for thread in both:
            thread.join()
        # One click, whichever machine it reached first; the other says so, or answers the same.
        assert {a.json().get("code") for a in answers if a.status_code != 202} <= {"asked_twice"}
        (batch,) = {a.json()["batch_id"] for a in answers if a.status_code == 202}
        for _ in range(300):
            found = far.get(f"/api/batches/{batch}").json()
            if not found["buying"]:
                break
            time.sleep(0.1)
        assert (found["bought"], found["failed"]) == (10, 0)
        near.post("/api/sign-out", headers=token).raise_for_status()
        assert far.get("/api/me").status_code == 401
    assert {topic.partition(":")[0] for topic in heard} >= {"orders", "batch"}
    assert bought(shop) == before + 10


def bought(shop: Supervisor) -> int:
    """How many labels were bought, each by a key of its own."""
    with psycopg.connect(shop.settings.database_url) as connection:
        row = connection.execute(
            "select count(*), count(distinct idempotency_key) from shipment where bought_at is not null"
        ).fetchone()
    assert row
    assert row[0] == row[1]
    return int(row[0])


def hear(url: str, cookies: dict[str, str], heard: list[str]) -> None:
    with (
        suppress(httpx.TransportError),  # the server is stopped at the end of the test
        httpx.Client(base_url=url, cookies=cookies, timeout=None) as client,
        client.stream("GET", "/api/news") as stream,
    ):
        heard.extend(line[6:] for line in stream.iter_lines() if line.startswith("data: "))


def test_the_figures_of_all_processes_are_added_up(two: tuple[str, str, Supervisor]) -> None:
    _, _, shop = two
    figures = shop.folder.path / "figures"
    assert any(figures.glob("*.db"))
    assert figures.stat().st_mode & 0o77 == 0
