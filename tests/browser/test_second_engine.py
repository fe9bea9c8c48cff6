"""A run is checked by another engine from its trust card."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import call, finished_run
from tests.models import stick

pytestmark = pytest.mark.browser


def test_two_engines_are_laid_over_each_other(page: Page) -> None:
    made = call(page, "POST", "/projects", {"document": stick() | {"name": "A checked stick"}})
    base = f"{page.url.split('/projects')[0].rstrip('/')}/projects/{made['id']}"
    page.goto(f"{base}/bench")
    page.get_by_role("button", name="Solve").click()
    finished_run(page, r"run 1.* dB at")
    page.goto(f"{base}/readout")
    second = page.get_by_role("region", name="Second engine")
    expect(second).to_contain_text("Not checked by another engine yet")
    second.get_by_role("button", name="Check by another").click()
    expect(second).to_contain_text(re.compile("transient, run 2: furthest apart in the band"))
    for figure in ("S, shift aside", "The minimum's frequency", "The gain"):
        expect(second.locator("li", has_text=figure)).to_contain_text("stated")
    second.get_by_role("button", name="Show both").click()
    expect(page.get_by_role("checkbox", name="run 2")).to_be_checked()
    plot = page.locator("section[aria-label='|S11|'] [data-plot]")
    expect(plot).to_have_attribute("data-curves", "2")
    expect(page.get_by_text("transient", exact=True).first).to_be_visible()
    expect(second.get_by_role("button", name="Show both")).to_have_count(0)
