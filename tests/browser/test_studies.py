"""Studies: from the dipole's sheet to curves of variants and the best one used; tuning watched and
stopped; a yield; dials dragged.
"""

from __future__ import annotations

import re
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import call
from tests.browser.test_first_contact import faults
from tests.models import ROD

pytestmark = pytest.mark.browser
SITE = re.compile(r"^https?://[^/]+")


def opened(page: Page, name: str, **more: Any) -> int:
    """The bench of a new project."""
    document = {"version": 3, **ROD, "name": name, **more}
    made = call(page, "POST", "/projects", {"document": document})
    found = SITE.match(page.url)
    assert found is not None
    page.goto(f"{found.group()}/projects/{made['id']}/bench")
    page.get_by_role("button", name="Solve").wait_for()
    return int(made["id"])


def card(page: Page, title: str) -> Any:
    return page.locator(f"section[aria-label='{title}']")


def test_from_the_sheet_to_curves_and_the_best_one_used(page: Page) -> None:
    project = opened(page, "A swept post", studies=[])
    field = page.get_by_label("Type a step")
    field.fill("sweep arms over L = 150 mm to 300 mm in 5 steps, reading smallest db20(s11)")
    field.press("Enter")
    expect(page.get_by_text(re.compile("220 mm at most in the model")).first).to_be_visible()
    expect(page.get_by_role("button", name="Solve")).to_be_enabled()  # a run is not hindered
    page.get_by_role("button", name=re.compile("^Start arms")).click()
    expect(page.get_by_text(re.compile("the study cannot start")).first).to_be_visible()
    page.get_by_role("button", name=re.compile("^Sweep vary 0 values: ")).click()
    values = page.get_by_role("textbox", name="Sweep vary 0 values")
    values.fill("150 mm to 170 mm in 5 steps")
    values.press("Enter")
    start = page.get_by_role("button", name="Start arms")
    expect(start).to_be_enabled()
    start.hover()
    expect(page.get_by_text(re.compile(r"5 variants, "))).to_be_visible()
    start.click()
    page.locator("[data-study=finished]").wait_for()
    curves = card(page, "Curves of variants")
    expect(curves.locator("[data-plot]")).to_have_attribute("data-curves", re.compile("[56]"))
    expect(curves).to_contain_text("170 mm")

    # all cards of single runs follow the variant
    page.get_by_role("slider", name="Variant").fill("2")
    expect(page.get_by_text("variant 3: L 160 mm")).to_be_visible()
    expect(card(page, "Cuts").locator("[data-plot]")).to_be_visible()

    # phases go on; another formula is asked of all variants
    curves.get_by_label("Form", exact=True).select_option("phase")
    curves.get_by_label("Unwrap").select_option("frequency")
    formula = curves.get_by_label("Formula")
    formula.fill("db10(realized_gain)")
    formula.press("Enter")
    expect(curves.locator("[data-plot]")).to_have_attribute("data-unit", "dB")
    expect(curves.get_by_label("Form", exact=True)).to_have_count(0)  # gain is real
    formula = curves.get_by_label("Formula")
    formula.fill("colour")
    formula.press("Enter")
    expect(curves.get_by_role("alert")).to_contain_text("colour")

    # dials move at once, and a place is checked
    dials = card(page, "Dials")
    told = dials.locator("li").first
    before = told.inner_text()
    dials.get_by_role("slider", name="L").fill("0.152")
    expect(told).not_to_have_text(before)
    dials.get_by_role("button", name="Solve here").click()
    expect(card(page, "Variants")).to_contain_text("by the dials")
    expect(dials).to_contain_text("From 6 variants")

    assert faults(page) == []  # WCAG 2.1 AA by axe

    with page.expect_download() as saved:
        page.get_by_role("link", name="Touchstone (zip)").click()
    assert saved.value.suggested_filename == "study-1-touchstone.zip"
    row = card(page, "Variants").locator("[data-variant='4']")
    row.hover()
    row.get_by_role("button", name="Use variant 5").click()
    page.wait_for_url("**/bench")
    expect(page.get_by_role("button", name=re.compile("170 mm")).first).to_be_visible()
    document = call(page, "GET", f"/projects/{project}")["document"]
    assert document["parameters"][0]["expression"] == "170 mm"


def test_a_tuning_is_watched_and_stopped_and_a_yield_is_told(page: Page) -> None:
    goal = "|S11| < -60 dB at 868 MHz"
    tune = {
        "kind": "tune",
        "name": "too much",
        "vary": [{"parameter": "L", "range": "140 mm to 200 mm"}],
        "goals": [goal],
        "budget": "400",
    }
    saw = {
        "kind": "tolerance",
        "name": "saw",
        "spreads": [
            {"parameter": "L", "spread": "2 %"},
            {"parameter": "r", "spread": "uniform 0.2 mm"},
        ],
        "specs": ["|S11| < -10 dB from 860 to 876 MHz"],
        "samples": "16",
    }
    opened(page, "A tuned post", studies=[tune, saw])
    page.get_by_role("button", name="Start too much").click()
    page.locator("[data-study=running]").wait_for()
    found = card(page, "What was found")
    expect(found).to_contain_text("nearest to the goals")
    expect(page.get_by_role("status").first).to_contain_text(re.compile(r"\d+ of 400 solved"))
    page.get_by_role("button", name="Stop", exact=True).click()
    page.locator("[data-study=stopped]").wait_for()
    expect(found).to_contain_text("nearest to the goals")
    expect(page.get_by_role("button", name="Go on")).to_be_visible()

    page.get_by_role("link", name="Bench").click()
    page.get_by_role("button", name="Start saw").click()
    page.locator("[data-study=finished]").wait_for()
    expect(card(page, "What was found")).to_contain_text(re.compile(r"yield \d+(\.\d+)? %"))
    expect(card(page, "What was found")).to_contain_text("at 95 % confidence")
    expect(card(page, "Parallel coordinates").locator("polyline")).to_have_count(16)
    # a card of a study on the readout of runs
    page.get_by_role("link", name="Studies", exact=True).click()
    expect(page.get_by_role("link", name=re.compile("too much tune"))).to_be_visible()
