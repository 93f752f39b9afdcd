"""The API's document, made once for all tests that read it."""

from __future__ import annotations

from typing import Any

import pytest

from tidewind.app import make_app, make_wiring
from tidewind.settings import Settings


@pytest.fixture(scope="session")
def document() -> dict[str, Any]:
    """What ``tidewind openapi`` prints."""
    return make_app(make_wiring(Settings())).openapi()
