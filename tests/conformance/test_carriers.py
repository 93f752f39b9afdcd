"""The carrier checks pass the stand-ins and the example adapter, and find what strangers get wrong."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from examples import carrier_adapter, foreign_carrier
from tests.conformance.planted import FAULTS, VAN_FAULTS, Planted
from tests.conftest import MONDAY, Clock, Served
from tidewind.cli import main
from tidewind.conformance.carrier import check_carrier
from tidewind.conformance.protocol import Outcome, as_table
from tidewind.running.cluster import free_port
from tidewind.settings import ROOT
from tidewind.standins.app import make_app as make_standins
from tidewind.standins.world import World

DOCUMENT = ROOT / "docs" / "protocols" / "carrier.yaml"


def of_vans(name: str) -> bool:
    """Whether a check is about what a carrier without vans does not do."""
    return " van" in name or "closed list" in name


def tried(url: str, key: str) -> list[Outcome]:
    return check_carrier(url, key, DOCUMENT, MONDAY.date())


def wrong(outcomes: list[Outcome]) -> list[str]:
    return [f"{o.name}: {o.words}" for o in outcomes if o.result == "wrong"]


@pytest.mark.parametrize("carrier", ["norvia", "brightmile", "pontolo", "cobaltair"])
def test_the_stand_ins_speak_the_protocol(outside_world: tuple[str, int, World], carrier: str) -> None:
    outcomes = tried(f"{outside_world[0]}/carriers/{carrier}", f"{carrier}-key")
    assert wrong(outcomes) == []
    left_out = {o.name for o in outcomes if o.result != "pass"}
    several = "sells several parcels with a number each"
    assert left_out <= ({several} | {name for name in left_out if of_vans(name)} if carrier == "pontolo" else set())


@pytest.fixture(scope="module")
def courier() -> Iterator[str]:
    port = free_port()
    server = Served(foreign_carrier.make_app("hollow"), port)
    yield f"http://127.0.0.1:{port}"
    server.stop()


def adapter(courier: str) -> Any:
    client = httpx.Client(base_url=courier, headers={"X-Token": "hollow"})
    return carrier_adapter.make_app(client, ":memory:", "shop-key")


def test_the_example_adapter_speaks_the_protocol(courier: str, capsys: pytest.CaptureFixture[str]) -> None:
    port = free_port()
    server = Served(adapter(courier), port)
    code = main(["check-carrier", f"http://127.0.0.1:{port}", "--key", "shop-key"])
    server.stop()
    said = capsys.readouterr().out
    assert (code, "0 wrong" in said, said.count("not tried ")) == (0, True, 10), said


@pytest.mark.parametrize("name", FAULTS)
def test_a_planted_fault_is_found(courier: str, name: str) -> None:
    fault, before, words = FAULTS[name]
    port = free_port()
    server = Served(Planted(adapter(courier), fault, before), port)
    outcomes = tried(f"http://127.0.0.1:{port}", "shop-key")
    server.stop()
    found = [o for o in outcomes if o.result == "wrong"]
    assert any(words in o.name for o in found), as_table(outcomes)
    assert all(o.repeat.startswith("curl -X") and "shop-key" not in o.repeat for o in found)


@pytest.mark.parametrize("name", VAN_FAULTS)
def test_a_planted_fault_of_vans_is_found(clock: Clock, name: str) -> None:
    fault, before, words = VAN_FAULTS[name]
    port = free_port()
    server = Served(Planted(make_standins(":memory:", free_port(), clock), fault, before), port)
    outcomes = tried(f"http://127.0.0.1:{port}/carriers/brightmile", "brightmile-key")
    server.stop()
    assert any(words in o.name for o in outcomes if o.result == "wrong"), as_table(outcomes)


def test_nobody_at_home_is_said_and_ends_well() -> None:
    outcomes = tried(f"http://127.0.0.1:{free_port()}", "x")
    assert "cannot be reached" in wrong(outcomes)[0]
    assert {o.result for o in outcomes} <= {"wrong", "not tried"}
