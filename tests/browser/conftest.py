"""Shops and a browser for the journeys."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, sync_playwright

from tests.browser.people import CHROMIUM, start
from tests.run.shops import forked
from tidewind.running.supervisor import Supervisor


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    for item in items:
        if item.nodeid.startswith("tests/browser/"):
            item.add_marker(
                pytest.mark.slow("somebody's whole way through the pages, each looked at for accessibility")
            )


@pytest.fixture(scope="module", autouse=True)
def all_forked() -> Iterator[None]:
    """The shops of journeys are no starts from nothing."""
    with forked():
        yield


@pytest.fixture(scope="module")
def shop() -> Iterator[Supervisor]:
    yield from start(demo=True)


@pytest.fixture(scope="module")
def empty_shop() -> Iterator[Supervisor]:
    yield from start(demo=False)


@pytest.fixture(
    scope="module"
)  # while one stands, this thread has a running loop, which other tests need for themselves
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        made = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=CHROMIUM)
        yield made
        made.close()


@pytest.fixture(autouse=True)
def closed_pages(browser: Browser) -> Iterator[None]:
    """A page that a test left open would go on asking and drawing beside the next ones."""
    yield
    for context in browser.contexts:
        context.close()
