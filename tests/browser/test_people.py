"""People come in by a link, with a second factor if they want; ten tabs of one browser are one listener."""

from __future__ import annotations

import re
from datetime import UTC, datetime

import pyotp
import pytest
from playwright.sync_api import Browser, expect

from tests.browser.people import axe, page_of
from tidewind.running.supervisor import Supervisor

PASSWORD = "four lilac wheelbarrows"


def test_somebody_is_invited_sets_a_password_adds_a_second_factor_and_is_let_go(
    browser: Browser, shop: Supervisor
) -> None:
    owner = page_of(browser, shop, "Inês Valadar")
    owner.get_by_role("link", name="Inês Valadar").click()
    expect(owner.get_by_role("table", name="People").get_by_role("row", name="Tomé Brisson")).to_be_visible()
    axe(owner)
    owner.get_by_role("button", name="Invite somebody").click()
    axe(owner)
    owner.get_by_label("Name").fill("Nuno Alves")
    owner.get_by_label("Login").fill("nuno")
    owner.get_by_label("Packer:").check()
    owner.keyboard.press("Enter")
    link = owner.get_by_label("Link to set a password").input_value()
    expect(owner.get_by_role("row", name="Nuno Alves")).to_contain_text("invited, no password yet")

    page = browser.new_context(base_url=shop.settings.base_url, viewport={"width": 1024, "height": 800}).new_page()
    page.errors = []  # type: ignore[attr-defined]
    page.goto(link)
    page.get_by_label("Password, at least").fill("passwordpassword")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("easy to guess")
    axe(page)
    page.get_by_label("Password, at least").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_label("Login")).to_have_value("nuno")
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="ready to buy")).to_be_visible()
    expect(page.get_by_text("Postage balance")).to_have_count(0)  # a packer sees no money
    page.goto("/set-up/people")
    page.get_by_role("button", name="Add a second factor").click()
    dialog = page.get_by_role("dialog")
    secret = dialog.locator("p.mono").inner_text()
    axe(page)
    dialog.get_by_label("Six digits").fill(pyotp.TOTP(secret).at(datetime.now(UTC)))  # noqa: TID251 - the browser's, too
    page.keyboard.press("Enter")
    expect(page.get_by_role("status")).to_contain_text("six digits")
    page.get_by_role("button", name="Sign out").click()
    page.get_by_label("Login").fill("nuno")
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_label("Six digits of your second factor")).to_be_focused()

    owner.get_by_role("button", name="More for Nuno Alves").click()
    owner.get_by_role("button", name="Let go").click()
    owner.get_by_role("dialog").get_by_role("button", name="Let go").click()
    expect(owner.get_by_role("row", name="Nuno Alves")).to_contain_text("has left")
    page.get_by_label("Six digits of your second factor").fill("000000")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("do not go together")
    assert owner.errors == []  # type: ignore[attr-defined]


@pytest.mark.long("ten tabs at once")
def test_a_tenth_tab_works_and_hears_what_the_first_one_changes(browser: Browser, shop: Supervisor) -> None:
    first = page_of(browser, shop)
    tabs = [first.context.new_page() for _ in range(9)]
    for tab in tabs:
        tab.goto("/orders?view=held")
    tenth = tabs[-1]
    held = tenth.get_by_role("button", name="Held or left out")
    expect(held).to_have_text(re.compile(r"\d+$"))
    before = int(held.inner_text().split()[-1])
    first.goto("/orders")
    expect(first.locator("tr[data-order]").first).to_be_visible()
    first.keyboard.press("ArrowDown")
    first.keyboard.press("h")
    expect(held).to_contain_text(str(before + 1))
