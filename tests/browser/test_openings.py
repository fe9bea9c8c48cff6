"""A guide feed put on a guide, its modes looked at, and a run by them."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
import skrf
from playwright.sync_api import Page, expect

from tests import models
from tests.browser.conftest import add, call, finished_run, set_token

pytestmark = pytest.mark.browser


def test_from_a_bare_guide_to_its_scattering_matrix(page: Page, tmp_path: Path) -> None:
    whole = models.rectangular_guide("12 mm", cells="10", points=5)
    whole["surround"]["mirror"] = ["none", "PMC", "PEC"]
    made = call(
        page,
        "POST",
        "/projects",
        {"document": {"version": 1, "name": "A guide", **whole, "feeds": whole["feeds"][:1]}},
    )
    page.goto(f"{page.url.split('/projects')[0].rstrip('/')}/projects/{made['id']}/bench")
    page.get_by_role("button", name="Solve").wait_for()

    # The second feed begins in the first one's place; there it looks the wrong way.
    add(page, "Feeds", "Guide feed")
    expect(page.get_by_text("Guide feed port 2 in the")).to_be_visible()
    set_token(page, "Guide feed centre 0", "3 * L", 1)
    expect(
        page.get_by_text(re.compile("no closed metal wall surrounds its centre")).first
    ).to_be_visible()
    expect(page.get_by_role("button", name="Solve")).to_be_disabled()
    set_token(page, "Guide feed centre 0", "L", 1)
    page.get_by_role("combobox", name="Guide feed towards").nth(1).select_option("-x")
    expect(page.get_by_role("button", name="Modes of its opening")).to_have_count(2)

    page.get_by_role("button", name="Modes of its opening").first.click()
    modes = page.get_by_role("dialog")
    expect(modes.get_by_text("Modes at port 1")).to_be_visible()
    expect(modes.get_by_text("a quarter of the whole")).to_be_visible()
    expect(modes.get_by_role("row").nth(1)).to_contain_text(
        re.compile(r"1 · port 1\s*TE\s*6\.5\d* GHz")
    )
    expect(modes.get_by_role("row").nth(2)).to_contain_text("below cut-off")
    picture = modes.get_by_role("img", name="Electric field of mode 1")
    inks = picture.evaluate(
        "c => new Set(c.getContext('2d').getImageData(0, 0, c.width, c.height).data).size"
    )
    assert inks > 20, "the picture is drawn"
    before = (
        modes.get_by_text("β", exact=True).first.locator("xpath=following-sibling::dd").inner_text()
    )
    expect(
        modes.get_by_text("impedance", exact=True).locator("xpath=following-sibling::dd")
    ).to_have_text(re.compile(r"^\d+(\.\d+)? ± \d+(\.\d+)? Ω$"))
    modes.get_by_label("Frequency of the fields").fill("8.2e9")
    expect(modes.get_by_text("at 8.2 GHz").first).to_be_visible()
    expect(
        modes.get_by_text("β", exact=True).first.locator("xpath=following-sibling::dd")
    ).not_to_have_text(before)
    modes.get_by_role("button", name="2", exact=True).click()
    expect(modes.get_by_text("below cut-off, 1/e depth")).to_be_visible()
    page.keyboard.press("Escape")

    page.get_by_role("button", name="Solve").click()
    finished_run(page, r"run 1.* dB at")
    kept = tmp_path / "run.s2p"
    kept.write_bytes(
        page.request.get(
            f"{page.url.split('/projects')[0]}/api/projects/{made['id']}/runs/1/export/touchstone"
        ).body()
    )
    core = models.solve({"version": 1, "name": "A guide", **whole})["s"].values
    assert np.abs(skrf.Network(str(kept)).s - core).max() < 1e-6, (
        "the page gives what the core computes"
    )
