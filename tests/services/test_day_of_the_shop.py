"""Prices that agree with the carriers', papers, the ribbon, live news, the buyer's page, and starting again."""

from __future__ import annotations

import subprocess
import tempfile
import threading
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from sqlalchemy import select

from tests.conftest import Clock
from tests.run.shops import DAYS, copy_demo, forked
from tests.services.steps import agree, ask, books, buy, clear_orders, ids_of
from tidewind.cli import main
from tidewind.core.consignments import NO_GOODS, Consignment, Parcel, Route, write_consignment
from tidewind.core.quantities import Size
from tidewind.db.tables import Label, Order, Shipment
from tidewind.running.cluster import FAST_FOR_TESTS, free_port
from tidewind.running.supervisor import Supervisor
from tidewind.services.base import Conflict, Invalid
from tidewind.services.books import top_up
from tidewind.services.handover import todays_departures
from tidewind.services.orders import edit_hand, set_held, snag_groups
from tidewind.services.papers import mark_printed, print_labels, print_slips
from tidewind.settings import ROOT
from tidewind.standins.world import FAULTS, World
from tidewind.web.access import Wiring


def test_every_plan_of_the_scenario_costs_what_its_carrier_charges(wiring: Wiring, world: World) -> None:
    with wiring.sessions() as session:
        waiting = [*clear_orders(session, "norvia", 99), *clear_orders(session, "brightmile", 99)]
    assert len(waiting) > 35
    with wiring.sessions.begin() as session:
        top_up(session, 500_000, "spring-rush", "Inês", wiring.clock())
    for shipment_id in ids_of(wiring, ask(wiring, waiting).batch_id):
        assert buy(wiring, shipment_id) == "bought"
    total = sum(o.price_minor or 0 for o in waiting)
    assert agree(wiring, world) + agree(wiring, world, "brightmile") == len(waiting)
    assert books(wiring)["postage"] == total
    with wiring.sessions() as session:
        parcels = session.scalars(select(Label)).all()
        assert len(parcels) == sum(o.parcel_count for o in waiting)
        assert len({lb.tracking_number for lb in parcels}) == len(parcels)


def test_papers_of_what_is_bought_and_the_ribbon_that_counts_them(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions() as session:
        chosen = clear_orders(session, "norvia", 3)
        before = {d.network: d for d in todays_departures(session, clock())}
    assert [d.name for d in before.values()] == [
        "Pontolo before noon",
        "Brightmile night",
        "Norvia Post",
        "Brightmile road",
        "Cobaltair",
        "Pontolo Points",
    ]
    assert before["post"].order_ids[:3] == tuple(o.id for o in chosen)
    ids = ids_of(wiring, ask(wiring, chosen).batch_id)
    with wiring.sessions.begin() as session, pytest.raises(Conflict, match="not bought"):
        print_labels(session, ids)
    for shipment_id in ids:
        buy(wiring, shipment_id)
    with wiring.sessions.begin() as session:
        assert print_labels(session, ids).startswith(b"%PDF")  # looking at all three prints none
        assert print_slips(session, ids).startswith(b"%PDF")
        with pytest.raises(Invalid, match="has a label"):
            print_labels(session, [])
        mark_printed(session, ids[:2], True, clock())
    with wiring.sessions() as session:
        after = {d.network: d for d in todays_departures(session, clock())}["post"]
        printed = sum(o.parcel_count for o in chosen[:2])
        assert (after.printed, after.bought) == (printed, chosen[2].parcel_count)
        assert after.to_buy == before["post"].to_buy - 3
        clock.move(hours=12)
        assert {d.day.isoformat() for d in todays_departures(session, clock())} == {
            "2026-11-23"
        }  # labels went out today


def test_once_every_cut_off_has_passed_the_next_working_day_is_shown(wiring: Wiring, clock: Clock) -> None:
    clock.move(days=4, hours=9)  # Friday evening
    with wiring.sessions() as session:
        assert {d.day.isoformat() for d in todays_departures(session, clock())} == {"2026-11-30"}


def test_snags_are_grouped_by_what_they_are_about(wiring: Wiring) -> None:
    with wiring.sessions() as session:
        groups = snag_groups(session)
    assert [g.level for g in groups] == sorted(g.level for g in groups)
    about_gifts = {g.code: len(g.order_ids) for g in groups if g.about == "GC-01"}
    assert about_gifts == {"no_weight": 1, "no_size": 1}


def test_a_carrier_gives_the_first_answer_again_for_the_same_key(wiring: Wiring, world: World) -> None:
    with wiring.sessions() as session:
        order = clear_orders(session, "norvia", 1)[0]
    shipment_id = ids_of(wiring, ask(wiring, [order]).batch_id)[0]
    buy(wiring, shipment_id)
    with wiring.sessions() as session:
        key = session.get_one(Shipment, shipment_id).idempotency_key
    url = f"{wiring.settings.standins_url}/carriers/norvia/shipments"
    goes = Consignment(Route("PT", "3500-108", True), NO_GOODS, (Parcel(500, Size.of(200, 100, 50)),))
    body = {
        "consignment": write_consignment(goes),
        "service": "np-economy",
        "recipient": {},
        "ship_date": "2026-11-23",
    }
    heavy = goes.in_parcels((Parcel(90_000, Size.of(9, 9, 9)),))
    door = {"Authorization": "Bearer norvia-key"}
    again = httpx.post(url, json=body, headers={**door, "Idempotency-Key": key})
    assert again.json()["price_minor"] == order.price_minor
    assert len(world.book("norvia")) == 1
    assert httpx.post(url, json=body, headers=door).status_code == 400
    assert httpx.post(url, json=body, headers={"Idempotency-Key": key}).json()["reason"] == "wrong_key"
    for change, reason in (
        ({"service": "np-rocket"}, "unknown_service"),
        ({"consignment": write_consignment(heavy)}, "too_heavy"),
        ({"consignment": write_consignment(goes.in_parcels(()))}, "parcels"),
        ({"consignment": {"route": 7}}, "unreadable"),
    ):
        refused = httpx.post(url, json={**body, **change}, headers={**door, "Idempotency-Key": "k2"})
        assert (refused.status_code, refused.json()["reason"]) == (422, reason)


def test_faults_strike_as_often_as_said_and_the_clock_never_goes_back(world: World) -> None:
    for kind in FAULTS:
        world.set_fault("norvia", kind, 2)
        assert [world.take_fault("norvia", kind) for _ in range(3)] == [True, True, False]
    world.set_fault("norvia", "slow", 5)
    world.set_fault("norvia", "slow", 0)
    assert not world.take_fault("norvia", "slow")
    with pytest.raises(ValueError, match="fire"):
        world.set_fault("norvia", "fire", 1)
    before = world.now()
    world.move_clock(5)
    world.move_clock(-9)
    assert (world.now() - before).total_seconds() == 5 * 3600


def test_news_of_a_change_reach_an_open_page_and_the_buyer_sees_no_address(
    wiring: Wiring, base_url: str, clock: Clock
) -> None:
    with wiring.sessions() as session:
        order = clear_orders(session, "norvia", 1)[0]
    shipment_id = ids_of(wiring, ask(wiring, [order]).batch_id)[0]
    with httpx.Client(base_url=base_url, timeout=15) as client:
        client.post("/api/sign-in", json={"login": "tome", "password": "larkspur-and-loam"})
        with client.stream("GET", "/api/news") as stream:
            heard = stream.iter_lines()
            assert next(heard).startswith(": news")
            assert next(line for line in heard if line.startswith("data")) == "data: everything"
            worker = threading.Thread(target=buy, args=(wiring, shipment_id))
            worker.start()
            told = []
            # One purchase is news to all who look at it, in whatever order it reaches them.
            while not {f"order:{order.id}", "orders", "money"} <= {*told} or not any(t[:6] == "batch:" for t in told):
                told += [line.removeprefix("data: ") for line in [next(heard)] if line.startswith("data")]
            worker.join()
        with wiring.sessions() as session:
            key = session.get_one(Shipment, shipment_id).tracking_key
        client.cookies.clear()
        seen = client.get(f"/api/tracking/{key}")
        assert seen.json()["order_number"] == order.number
        assert order.address.street not in seen.text
        assert client.get(f"/api/tracking/{key[:-1]}").status_code == 404


def test_what_is_bought_cannot_be_edited_or_held(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions() as session:
        order = clear_orders(session, "norvia", 1)[0]
    ask(wiring, [order])
    with wiring.sessions.begin() as session:
        with pytest.raises(Conflict, match="being bought"):
            edit_hand(session, [order.id], {"service": "bp-road"}, "Tomé", clock())
        with pytest.raises(Conflict, match="being bought"):
            set_held(session, [order.id], True, "Rute", clock())
        assert session.get_one(Order, order.id).service == order.service


@pytest.fixture
def folder() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="tidewind-again-", ignore_cleanup_errors=True) as made:
        Path(made).chmod(0o755)
        yield Path(made)


@pytest.mark.slow("two starts of a real shop")
def test_a_second_start_finds_everything_as_it_was_and_a_killed_database_too(folder: Path) -> None:
    counts = []
    copy_demo(folder)
    with forked():
        for crash in (True, False):
            shop = Supervisor(folder / "shop", free_port(), demo=True, fast=FAST_FOR_TESTS, history_days=DAYS)
            try:
                url = shop.up()
                with httpx.Client(base_url=url) as client:
                    client.post("/api/sign-in", json={"login": "tome", "password": "larkspur-and-loam"})
                    found = client.get("/api/orders").json()["counts"]
                    # A cut-off may pass meanwhile: which orders are in danger then is the clock's doing.
                    counts.append({name: n for name, n in found.items() if name not in {"clear", "snags"}})
                if crash:
                    server = shop.cluster._server
                    assert server is not None
                    server.kill()
                    server.wait()
            finally:
                shop.down()
    assert counts[0] == counts[1]
    assert counts[0]["open"] > 40
    assert not (folder / "shop" / "running.json").exists()


def test_the_commands_explain_themselves() -> None:
    said = subprocess.run([ROOT / "bin" / "start", "--help"], capture_output=True, text=True, check=True).stdout
    assert all(word in said for word in ("--port", "--empty", "--reset", "Ctrl-C"))
    wrong = subprocess.run([ROOT / "bin" / "start", "--nonsense"], capture_output=True, text=True, check=False)
    assert (wrong.returncode, "unknown option" in wrong.stderr) == (2, True)


def test_a_taken_port_is_said_before_anything_starts(base_url: str, capsys: pytest.CaptureFixture[str]) -> None:
    port = base_url.rsplit(":", 1)[1]
    assert main(["serve", "--port", port]) == 1
    said = capsys.readouterr().err
    assert f"port {port} cannot be had" in said
    assert "Choose another: bin/start --port" in said


def test_a_dead_workers_jobs_are_taken_over_even_while_the_next_turn_waits_for_their_lock(wiring: Wiring) -> None:
    import asyncio

    from sqlalchemy import text

    from tidewind.jobs import make_worker_app, take_over

    async def scene() -> tuple[int, int]:
        app = make_worker_app(wiring.settings.database_url, wiring.sessions, wiring.outside)
        async with app.open_async():
            sweep = app.configure_task("sweep", lock="sweep", queueing_lock="sweep")
            await sweep.defer_async(timestamp=1)
            await app.configure_task("buy_shipments").defer_async(shipment_ids=[])
            with wiring.sessions.begin() as session:  # the worker that had them is gone without a trace
                session.execute(text("update procrastinate_jobs set status = 'doing'"))
            await sweep.defer_async(timestamp=2)
            return await take_over(app), await take_over(app)

    assert asyncio.run(scene()) == (2, 0)
    with wiring.sessions() as session:
        left = session.execute(
            text("select task_name, status::text, args->>'timestamp' from procrastinate_jobs order by id")
        ).all()
    assert [tuple(row) for row in left] == [("buy_shipments", "todo", None), ("sweep", "todo", "2")]
