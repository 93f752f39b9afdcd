"""The channel checks pass the stand-in store, and find what strangers get wrong."""

from __future__ import annotations

import pytest

from tests.conformance.planted import CHANNEL_FAULTS, Planted
from tests.conftest import Clock, Served
from tidewind.cli import main
from tidewind.conformance.channel import check_channel
from tidewind.conformance.protocol import as_table
from tidewind.running.cluster import free_port
from tidewind.settings import ROOT
from tidewind.standins.app import make_app
from tidewind.standins.store import KEY
from tidewind.standins.world import World

DOCUMENT = ROOT / "docs" / "protocols" / "channel.yaml"


def test_the_stand_in_store_speaks_the_protocol(
    outside_world: tuple[str, int, World], capsys: pytest.CaptureFixture[str]
) -> None:
    code = main(["check-channel", f"{outside_world[0]}/store", "--key", KEY])
    said = capsys.readouterr().out
    assert (code, said.count("pass ")) == (0, 15), said


class Opened(Planted):
    """A store whose own life goes on unchanged: only requests are touched."""

    async def __call__(self, scope, receive, send) -> None:  # type: ignore[no-untyped-def]
        if scope["type"] == "lifespan":
            await self.app(scope, receive, send)
        else:
            await super().__call__(scope, receive, send)


@pytest.mark.parametrize("name", CHANNEL_FAULTS)
def test_a_planted_fault_is_found(name: str, clock: Clock) -> None:
    fault, before, words = CHANNEL_FAULTS[name]
    port = free_port()
    server = Served(Opened(make_app(":memory:", free_port(), clock), fault, before), port)
    outcomes = check_channel(f"http://127.0.0.1:{port}/store", KEY, DOCUMENT)
    server.stop()
    assert any(words in o.name for o in outcomes if o.result == "wrong"), as_table(outcomes)
