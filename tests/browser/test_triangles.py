"""Metal as triangles: looked at before a run, their currents after it, and a smaller ground."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import call, finished_run

pytestmark = pytest.mark.browser


def test_an_inverted_f_from_its_triangles_to_currents_and_a_smaller_lid(page: Page) -> None:
    made = call(page, "POST", "/projects", {"example": "gauge-antenna"})
    page.goto(f"{page.url.split('/projects')[0].rstrip('/')}/projects/{made['id']}/bench")
    page.get_by_text("grid", exact=True).click()
    panel = page.locator("[data-triangle-panel]")
    expect(panel).to_contain_text(re.compile(r"\d+ triangles, [\d. k]+ unknowns"))
    expect(panel).to_contain_text("metal")
    page.wait_for_timeout(800)
    plain = page.locator("[data-stage] canvas").screenshot()
    panel.get_by_role("button", name="quality of shape").click()
    expect(panel).to_contain_text("1 equal sides")
    page.wait_for_timeout(800)
    assert page.locator("[data-stage] canvas").screenshot() != plain

    page.get_by_role("button", name="Solve").click()
    finished_run(page, r"run 1.* dB at")
    page.get_by_text("current", exact=True).click()
    expect(page.get_by_text("|K| on surfaces")).to_be_visible()
    page.wait_for_timeout(800)
    assert page.locator("[data-stage] canvas").screenshot() != plain

    page.get_by_role("button", name="lid_x: ").click()
    field = page.get_by_role("textbox", name="lid_x", exact=True)
    field.fill("100 mm")
    field.press("Enter")
    expect(page.get_by_text("revision 2 · saved")).to_be_visible()
    page.get_by_role("button", name="Solve").click()
    finished_run(page, r"run 2.* dB at")
    one, two = (call(page, "GET", f"/projects/{made['id']}/runs/{n}") for n in (1, 2))
    print([r["headline"] for r in (one, two)])
    assert one["engine"] == two["engine"] == "moments"
    assert one["headline"]["frequency_hz"] != two["headline"]["frequency_hz"]

    # what the lid radiates by itself
    page.get_by_role("link", name="Readout").click()
    page.get_by_role("button", name=re.compile("resonant antenna")).click()
    page.get_by_role("menuitem", name=re.compile("^characteristic modes")).click()
    modes = page.locator("section[aria-label='Characteristic modes']")
    expect(modes.first.locator("[data-plot]")).to_have_attribute("data-curves", "4")
    expect(modes.nth(1)).to_contain_text(re.compile(r"mode [1-4] radiates \d+ %"))
    first = page.locator("section[aria-label='Surface current']").first
    expect(first).to_contain_text("radiating 1 W")
    expect(first.get_by_label("Capture", exact=True)).to_have_value("mode 1")
