"""A grid that is too coarse by hand: marked before the run, mended by its repair, and the better
for it.
"""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests import models
from tests.browser.conftest import call, finished_run

pytestmark = pytest.mark.browser


def test_a_coplanar_line_too_coarse_by_hand_is_marked_and_mended(page: Page) -> None:
    made = call(page, "POST", "/projects", {"document": models.shielded_coplanar("0.5")})
    page.goto(f"{page.url.split('/projects')[0].rstrip('/')}/projects/{made['id']}/bench")
    page.get_by_role("button", name="Solve").click()
    page.get_by_role("button", name=re.compile("Preflight")).click()
    expect(
        page.get_by_text(
            re.compile(
                r"cells in the 250 µm beside an edge of “strip”: the impedance of a line there may"
                r" be \d+ % off"
            )
        ).first
    ).to_be_visible()
    finished_run(page, r"run 1.* dB at")
    page.get_by_role("button", name="Use 2.5 cells per detail").first.click()
    expect(page.get_by_role("button", name="Use 2.5 cells per detail")).to_have_count(0)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Solve").click()
    finished_run(page, r"run 2.* dB at")
    before, after = (call(page, "GET", f"/projects/{made['id']}/runs/{n}") for n in (1, 2))
    errors = [
        next(i for i in run["trust"] if i["name"] == "Error of the feeds' impedance")
        for run in (before, after)
    ]
    print([run["grade"] for run in (before, after)], [e["value"] for e in errors])
    assert before["grade"] > after["grade"], "C comes after B"
    assert [e["mark"] for e in errors] == ["stop", "look"]

    # What is still missing to grade A, and the run that brings it.
    page.get_by_role("button", name=re.compile(r"run 2.* dB at")).click()
    expect(
        page.get_by_text(
            re.compile(r"To grade A: \d+ cells per wavelength, [\d.]+ cells per detail, about")
        )
    ).to_be_visible()
    page.get_by_role("button", name="Solve to 1 %").click()
    expect(page.get_by_text("queued", exact=True)).to_be_visible()
    third = call(page, "GET", f"/projects/{made['id']}/runs/3")
    assert (
        float(third["document"]["plans"][0]["settings"]["transient"]["cells_per_wavelength"])
        == after["advice"]["plan"]["settings.transient.cells_per_wavelength"]
        > 15
    )
    call(page, "POST", f"/projects/{made['id']}/runs/3/stop")
