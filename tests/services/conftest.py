"""What several files of the services' tests begin with."""

from __future__ import annotations

import pytest

from tests.conftest import Clock
from tests.services.own_store import Store, open_store
from tidewind.web.access import Wiring


@pytest.fixture
def store(wiring: Wiring, clock: Clock) -> Store:
    """An own channel's store, whose three orders are read."""
    return open_store(wiring, clock)
