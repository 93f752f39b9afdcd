"""A shop of real processes, browsers for its people, and the check for accessibility."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Iterator
from pathlib import Path

from playwright.sync_api import Browser, Locator, Page, expect

from tests.run.length import LONG
from tests.run.shops import DAYS, copy_demo
from tidewind.running.cluster import FAST_FOR_TESTS, free_port
from tidewind.running.supervisor import Supervisor
from tidewind.settings import ROOT

expect.set_options(timeout=20_000)  # a busy machine is no fault; nothing here is timed
AXE = ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
CHROMIUM = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
]


def start(demo: bool) -> Iterator[Supervisor]:
    with tempfile.TemporaryDirectory(prefix="tidewind-day-", ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o755)
        if demo:
            copy_demo(Path(folder))
        made = Supervisor(Path(folder) / "shop", free_port(), demo=demo, fast=FAST_FOR_TESTS, history_days=DAYS)
        try:
            made.up()
            yield made
        finally:
            made.down()


def page_of(
    browser: Browser, shop: Supervisor, who: str = "Tomé Brisson", scheme: str = "light", width: int = 1280
) -> Page:
    context = browser.new_context(
        base_url=shop.settings.base_url,
        viewport={"width": width, "height": 800},
        color_scheme=scheme,
        timezone_id="Europe/Lisbon",
        reduced_motion="reduce",  # what moves costs time here and is no part of what is tested
    )  # type: ignore[arg-type]
    page = context.new_page()
    page.errors = []  # type: ignore[attr-defined]
    page.on("pageerror", lambda error: page.errors.append(str(error)))  # type: ignore[attr-defined]
    page.goto("/")
    page.get_by_role("button", name=who).click()
    expect(page.get_by_role("heading", name="ready to buy")).to_be_visible()
    return page


# Nothing behind a modal dialog can be pressed, so what the dialog covers half of is no small target; the dialog's own
# controls are.
LOOK = """async (rules) => {
  const dialog = [...document.querySelectorAll('.v-overlay--active[aria-modal=true]')].pop()
  const behind = dialog ? {rules: {'target-size': {enabled: false}}} : {}
  // Only what is wrong is written out; writing out all that is right takes longer than looking.
  const how = {resultTypes: ['violations'], iframes: false, selectors: false, elementRef: false}
  const all = await axe.run(document, {runOnly: rules, ...how, ...behind})
  const own = dialog ? await axe.run(dialog, {runOnly: ['target-size'], ...how}) : {violations: []}
  return [...all.violations, ...own.violations]
}"""


# A colour half way through its fading is nobody's colour.
SETTLED = """() => Promise.all(document.getAnimations()
  .filter((a) => a.effect?.getComputedTiming().iterations !== Infinity)
  .map((a) => a.finished.catch(() => null)))"""


# What an element can be wrong in: its tag, looks and role, whether it has words and a name, and its state.
KINDS = """() => {
  const dark = document.querySelector('.v-theme--dark') ? 'dark' : 'light'
  const names = ['role', 'type', 'disabled', 'aria-invalid', 'aria-selected', 'aria-expanded', 'aria-disabled']
  const kinds = new Set()
  for (const e of document.body.querySelectorAll('*')) {
    const named = e.hasAttribute('aria-label') || e.hasAttribute('aria-labelledby') || !!e.labels?.length
    const state = names.map((n) => e.getAttribute(n) ?? '').join()
    const parent = e.parentElement.className
    kinds.add([dark, e.tagName, e.getAttribute('class'), parent, state, named, !!e.textContent.trim()].join('|'))
  }
  return [...kinds]
}"""
_looked_at: set[str] = set()


def axe(page: Page) -> None:
    """No violation of WCAG 2.2 A or AA on what is shown now, and no script error so far.

    A short run looks where anything stands that it has not seen before; a long one looks every time.
    """
    # News of a change can overtake the answer that a button waits for: what turns meanwhile is no part of the page.
    expect(page.locator(".v-btn--loading")).to_have_count(0)
    page.evaluate(SETTLED)
    assert page.errors == []  # type: ignore[attr-defined]
    kinds = set(page.evaluate(KINDS))
    if not LONG and kinds <= _looked_at:
        return
    _looked_at.update(kinds)
    if not page.evaluate("() => 'axe' in window"):  # half a megabyte, read once for each page that is opened
        page.evaluate(AXE.read_text("utf-8"))
    rules = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
    found = page.evaluate(LOOK, rules)
    said = [(v["id"], [n["html"][:120] for n in v["nodes"][:3]]) for v in found]
    assert not said, said
    assert page.errors == []  # type: ignore[attr-defined]


def row(page: Page, name: str) -> Locator:
    return page.locator("tr[data-order]", has_text=name)


def choose(page: Page, label: str, option: str) -> None:
    """Choose one of a field's options by its name, in the last field of that label."""
    field = page.locator(".v-select", has=page.get_by_label(label, exact=True)).last
    field.click()
    expect(page.get_by_role("option").first).to_be_visible()
    wanted = page.get_by_role("option", name=option, exact=True)
    for _ in range(60):  # a long list draws what is near to what is seen
        if wanted.count():
            break
        page.keyboard.press("ArrowDown")
    wanted.click()
    expect(field).to_contain_text(option)


def choose_by_keys(page: Page, label: str, option: str) -> None:
    """Choose one of a field's options without a mouse."""
    page.get_by_label(label, exact=True).last.press("Enter")
    wanted = page.get_by_role("option", name=option, exact=True)
    expect(page.get_by_role("option").first).to_be_visible()
    for _ in range(60):
        page.keyboard.press("ArrowDown")
        if page.evaluate("() => document.activeElement.textContent.trim()") == option:
            break
    else:
        raise AssertionError(f"no option “{option}” was reached by arrow keys")
    page.keyboard.press("Enter")
    expect(wanted).to_have_count(0)


def scan(page: Page, code: str) -> None:
    """Let a scanner read a code: its keys come at once, however busy the machine of the test is."""
    page.evaluate(
        "(keys) => keys.forEach((key) => (document.activeElement ?? document.body).dispatchEvent("
        "new KeyboardEvent('keydown', {key, bubbles: true, cancelable: true})))",
        [*code, "Enter"],
    )


def price_in(row: Locator) -> int:
    """The first price in a row, in cents: the demo goes by the real day, and a card's high season by its own."""
    expect(row).to_contain_text(re.compile(r"€\d+\.\d\d"))
    whole, cents = re.findall(r"€(\d+)\.(\d\d)", row.inner_text())[0]
    return int(whole) * 100 + int(cents)


def euros(cents: int) -> str:
    return f"€{cents // 100}.{cents % 100:02d}"
