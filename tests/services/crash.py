"""A process that buys a shipment, asks for vans or pulls a channel, and kills itself at a named point, as a power cut would."""

from __future__ import annotations

import os
import signal
from datetime import datetime

from sqlalchemy import event
from sqlalchemy.orm import Session, sessionmaker

from tidewind.app import make_wiring
from tidewind.outside.http_carrier import HttpCarrier
from tidewind.services.buying import buy_shipment
from tidewind.services.handover import settle_pickups, tell_manifests
from tidewind.services.orders import pull
from tidewind.settings import Settings


def die(*_: object, **__: object) -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def die_before_commit(sessions: sessionmaker[Session], nth: int) -> None:
    commits: list[object] = []

    def counted(*_: object) -> None:
        commits.append(1)
        if len(commits) == nth:
            die()

    event.listen(sessions.class_, "before_commit", counted)


def main(point: str, what: str, at: str) -> None:
    def clock() -> datetime:
        return datetime.fromisoformat(at)

    wiring = make_wiring(Settings())
    if point.startswith("pickups:"):
        die_before_commit(wiring.sessions, int(point.removeprefix("pickups:")))
        settle_pickups(wiring.sessions, wiring.outside, clock)
        return
    if point.startswith("manifests:"):
        die_before_commit(wiring.sessions, int(point.removeprefix("manifests:")))
        tell_manifests(wiring.sessions, wiring.outside, clock)
        return
    if point.startswith("pull:"):
        die_before_commit(wiring.sessions, int(point.removeprefix("pull:")))
        pull(wiring.sessions, wiring.outside, what, clock())
        return
    real_buy = HttpCarrier.buy
    if point == "before_call":
        HttpCarrier.buy = die  # type: ignore[assignment,method-assign]
    elif point == "after_call":
        HttpCarrier.buy = lambda *a: die(real_buy(*a))  # type: ignore[assignment,method-assign]
    elif point == "before_commit":
        die_before_commit(wiring.sessions, 2)  # the first says that the carrier is being asked, this what it said
    buy_shipment(wiring.sessions, wiring.outside, int(what), clock)
    if point == "after_commit":
        die()
