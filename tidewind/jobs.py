"""Job name → service call; procrastinate runs them on the same PostgreSQL."""

from __future__ import annotations

import asyncio
import os
import signal
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from functools import partial
from threading import Lock

import procrastinate
import structlog
from procrastinate import JobContext
from procrastinate.exceptions import AlreadyEnqueued
from procrastinate.jobs import Job, Status
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from tidewind import metrics
from tidewind.outside.errors import OutsideError
from tidewind.services import bench as bench_room
from tidewind.services import buying as buying_room
from tidewind.services import follow as follow_room
from tidewind.services.base import Jumps, Outside, ServiceError, Turns, defer, keep_time, tried_again
from tidewind.services.buying import settle_due_voids
from tidewind.services.follow import labels_first, make_due_returns, send_due_news, tell_wishes
from tidewind.services.handover import ask_standing, pass_departures, settle_pickups, tell_manifests
from tidewind.services.orders import fetch_due_feeds, go_on_importing, pull, pull_due
from tidewind.services.papers import look_at_printers, send_due_prints
from tidewind.services.planning import go_on_replanning, is_done, keep_up_due
from tidewind.services.rates import refresh_asked_prices
from tidewind.services.shop import settle_packaging_orders
from tidewind.settings import now, real_now

log = structlog.get_logger(__name__)
# A worker gives a sign of life every two seconds; after eight without one its jobs are given to another.
HEARTBEAT_S, STALLED_AFTER_S = 2.0, 8.0
SIDE_BY_SIDE = 20
LOOK_FOR_STALLED = "look for stalled jobs"
EVERY_S = {
    LOOK_FOR_STALLED: 5.0, "sweep": 10.0, "follow_parcels": 60.0, "keep_up": 60.0, "pull_channels": 60.0,
    "ask_standing": 60.0, "refresh_live": 60.0, "look_at_printers": 60.0, "follow_returns": 600.0,
}  # fmt: skip
"""How many seconds after its last turn each periodic job has its next."""


def make_worker_app(database_url: str, sessions: sessionmaker[Session], outside: Outside) -> procrastinate.App:
    """Return the job application with every task the program knows."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=database_url))

    # A database that was away for a moment must not leave a purchase to the sweep, which waits five minutes for it.
    @app.task(
        name="buy_shipments",
        retry=procrastinate.RetryStrategy(max_attempts=5, wait=2, retry_exceptions=[OperationalError]),
    )
    @metrics.job("buy_shipments")
    def buy_shipments(shipment_ids: list[int]) -> None:
        buying_room.buy_shipments(sessions, outside, shipment_ids, now)

    @app.task(name="replan", pass_context=True)
    def replan(context: JobContext, work_id: int) -> None:
        _replan(sessions, work_id, f"job {context.job.id}" if context.job else "worker")

    @app.task(name="import_orders")
    @metrics.job("import_orders")
    @tried_again
    def import_orders(import_id: int) -> None:
        go_on_importing(sessions, import_id, now)

    @app.task(name="pull_channel")
    @metrics.job("pull_channel")
    @tried_again
    def pull_channel(code: str) -> None:
        try:
            pull(sessions, outside, code, now())
        except (OutsideError, ServiceError):
            return  # the channel's log says why; the next pull goes on from the same place

    _add_outgoing(app, sessions, outside)
    _add_periodic(app, sessions, outside)
    _add_each_minute(app, sessions, outside)
    _add_looking(app, sessions, outside)
    return app


_REPLANNING = Lock()


def _replan(sessions: sessionmaker[Session], work_id: int, by: str) -> None:
    """Help with a piece of replanning; one thread of a process is enough, so others put their help off."""
    if _REPLANNING.acquire(blocking=False):
        try:
            with metrics.job("replan"):
                go_on_replanning(sessions, work_id, now, by)
        finally:
            _REPLANNING.release()
        return
    with sessions.begin() as session:
        if not is_done(session, work_id):
            defer(session, "replan", in_seconds=1, work_id=work_id)


def _add_outgoing(app: procrastinate.App, sessions: sessionmaker[Session], outside: Outside) -> None:
    @app.task(name="send_followups")
    @metrics.job("send_followups")
    @tried_again
    def send_followups() -> None:
        if not labels_first(sessions, now()):
            send_due_news(sessions, outside, now)
            tell_wishes(sessions, outside, now)

    @app.task(name="send_voids")
    @metrics.job("send_voids")
    @tried_again
    def send_voids() -> None:
        settle_due_voids(sessions, outside, now)

    @app.task(name="make_returns")
    @metrics.job("make_returns")
    @tried_again
    def make_returns() -> None:
        make_due_returns(sessions, outside, now)

    @app.task(name="settle_pickups")
    @metrics.job("settle_pickups")
    def settle() -> None:
        _each_by_itself(*(partial(step, sessions, outside, now) for step in (tell_manifests, settle_pickups)))

    @app.task(name="settle_packaging_orders")
    @metrics.job("settle_packaging_orders")
    @tried_again
    def settle_reorders() -> None:
        settle_packaging_orders(sessions, outside, now)

    @app.task(name="finish_packings", queueing_lock="finish_packings", lock="finish_packings")
    @metrics.job("finish_packings")
    @tried_again
    def finish() -> None:
        bench_room.finish_packings(sessions, now)

    @app.task(name="send_prints")
    @metrics.job("send_prints")
    @tried_again
    def send_prints() -> None:
        send_due_prints(sessions, outside, now)


def _each_by_itself(*steps: Callable[[], object]) -> None:
    """Take every step, whatever becomes of the one before.  Raises what failed, together, once all had their turn."""
    failed: list[Exception] = []
    for step in steps:
        try:
            tried_again(step)()
        except Exception as error:
            failed.append(error)
    if failed:
        raise ExceptionGroup("steps that failed", failed)


def _add_periodic(app: procrastinate.App, sessions: sessionmaker[Session], outside: Outside) -> None:
    @app.task(name="sweep", queueing_lock="sweep", lock="sweep")
    @metrics.job("sweep")
    def sweep() -> None:
        news = () if labels_first(sessions, now()) else (send_due_news,)
        _each_by_itself(
            *(
                partial(step, sessions, outside, now)
                for step in (
                    buying_room.sweep,
                    buying_room.look_for_late_sales,
                    *news,
                    send_due_prints,
                    settle_due_voids,
                    make_due_returns,
                    tell_manifests,
                    settle_pickups,
                    follow_room.take_notices,
                    tell_wishes,
                    settle_packaging_orders,
                )
            ),
            lambda: bench_room.finish_packings(sessions, now),
        )


def _add_each_minute(app: procrastinate.App, sessions: sessionmaker[Session], outside: Outside) -> None:
    @app.task(name="follow_parcels", queueing_lock="follow_parcels", lock="follow_parcels")
    @metrics.job("follow_parcels")
    def follow_parcels() -> None:
        _each_by_itself(
            lambda: follow_room.follow_parcels(sessions, outside, now),
            lambda: follow_room.tell_what_happened(sessions, outside, now),
            lambda: follow_room.subscribe_carriers(sessions, outside),
            lambda: follow_room.look_at_followed(sessions, outside, now),
        )

    @app.task(name="ask_standing", queueing_lock="ask_standing", lock="ask_standing")
    @metrics.job("ask_standing")
    def standing() -> None:
        _each_by_itself(lambda: ask_standing(sessions, now), lambda: pass_departures(sessions, now))

    @app.task(name="keep_up", queueing_lock="keep_up", lock="keep_up")
    @metrics.job("keep_up")
    @tried_again
    def keep_up() -> None:
        keep_up_due(sessions, now)

    @app.task(name="follow_returns", queueing_lock="follow_returns", lock="follow_returns")
    @metrics.job("follow_returns")
    @tried_again
    def follow_returns() -> None:
        follow_room.follow_returns(sessions, outside, now)


def _add_looking(app: procrastinate.App, sessions: sessionmaker[Session], outside: Outside) -> None:
    @app.task(name="look_at_printers", queueing_lock="look_at_printers", lock="look_at_printers")
    @metrics.job("look_at_printers")
    @tried_again
    def look_at() -> None:
        look_at_printers(sessions, outside, now)

    @app.task(name="pull_channels", queueing_lock="pull_channels", lock="pull_channels")
    @metrics.job("pull_channels")
    def pull_channels() -> None:
        # Stock last: a level that a channel tells is less what it sold, of which we should have heard before.
        _each_by_itself(
            lambda: pull_due(sessions, outside, now()),
            lambda: fetch_due_feeds(sessions, outside, now),
            lambda: follow_room.exchange_stock(sessions, outside, now),
        )

    @app.task(name="refresh_live", queueing_lock="refresh_live", lock="refresh_live")
    @metrics.job("refresh_live")
    @tried_again
    def refresh_live() -> None:
        refresh_asked_prices(sessions, outside, now)


async def take_over(app: procrastinate.App) -> int:
    """Free the jobs of workers that gave no sign of life; return how many.

    A periodic job is dropped, since its next turn does the same work and may be waiting for its lock already;
    any other is run again.
    """
    stalled: list[Job] = list(await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_AFTER_S))
    for job in stalled:
        if job.queueing_lock:
            await app.job_manager.finish_job(job, status=Status.FAILED, delete_job=True)
        else:
            await app.job_manager.retry_job(job)
    return len(stalled)


async def _take_turn(app: procrastinate.App, name: str, clock_moved: bool) -> None:
    """Put a periodic job into the queue, unless it waits there still; signs of life mean nothing after a jump."""
    if name == LOOK_FOR_STALLED:
        if not clock_moved:
            await take_over(app)
        return
    with suppress(AlreadyEnqueued):
        await app.tasks[name].defer_async()


async def _work(app: procrastinate.App, database_url: str) -> None:
    loop = asyncio.get_running_loop()
    loop.set_default_executor(ThreadPoolExecutor(SIDE_BY_SIDE))
    async with app.open_async():
        await take_over(app)
        turns, jumps = Turns(EVERY_S), Jumps(lambda: real_now().timestamp(), loop.time)
        keeping = asyncio.create_task(keep_time(database_url, turns, jumps, loop.time, partial(_take_turn, app)))
        keeping.add_done_callback(_must_not_end)
        await app.run_worker_async(
            concurrency=SIDE_BY_SIDE,
            fetch_job_polling_interval=1.0,
            delete_jobs="successful",
            update_heartbeat_interval=HEARTBEAT_S,
            stalled_worker_timeout=STALLED_AFTER_S,
        )


def _must_not_end(keeping: asyncio.Task[None]) -> None:
    """End the worker where time is not kept any more: it is started anew, and another may be the keeper."""
    if not keeping.cancelled() and (fault := keeping.exception()):
        log.error("time is not kept any more", exc_info=fault)
        os.kill(os.getpid(), signal.SIGTERM)


def run_worker(app: procrastinate.App, database_url: str) -> None:
    """Work until interrupted."""
    asyncio.run(_work(app, database_url))
