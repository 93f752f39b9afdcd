"""Shops and a browser for the journeys."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, sync_playwright

from tests.browser.people import CHROMIUM, start
from tidewind.running.supervisor import Supervisor


@pytest.fixture(scope="module")
def shop() -> Iterator[Supervisor]:
    yield from start(demo=True)


@pytest.fixture(scope="module")
def empty_shop() -> Iterator[Supervisor]:
    yield from start(demo=False)


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        made = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        yield made
        made.close()
