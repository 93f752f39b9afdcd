"""A process that buys one shipment and kills itself at a named point, as a power cut would."""

from __future__ import annotations

import os
import signal
import sys
from datetime import datetime

from sqlalchemy import event

from tidewind.app import make_wiring
from tidewind.outside.carrier import HttpCarrier
from tidewind.services.buying import buy_shipment
from tidewind.settings import Settings


def die(*_: object, **__: object) -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def main(point: str, shipment_id: int, at: str) -> None:
    def clock() -> datetime:
        return datetime.fromisoformat(at)

    wiring = make_wiring(Settings())
    real_buy = HttpCarrier.buy
    if point == "before_call":
        HttpCarrier.buy = die  # type: ignore[assignment,method-assign]
    elif point == "after_call":
        HttpCarrier.buy = lambda *a: die(real_buy(*a))  # type: ignore[assignment,method-assign]
    elif point == "before_commit":
        commits: list[object] = []

        def second(*_: object) -> None:  # the first says that the carrier is being asked, the second what it said
            commits.append(1)
            if len(commits) == 2:
                die()

        event.listen(wiring.sessions.class_, "before_commit", second)
    buy_shipment(wiring.sessions, wiring.outside, shipment_id, clock)
    if point == "after_commit":
        die()


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]), sys.argv[3])
