"""From an empty sheet to the cross-section of a sphere, its noise floor, and a box that is
refused.
"""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from heron.results import cross_sections
from tests.browser.conftest import add, call, finished_run, set_token
from tests.models import solve

pytestmark = pytest.mark.browser

SHEET = {
    "version": 1,
    "name": "A ball",
    "parts": [],
    "feeds": [],
    "plan": {
        "engine": "transient",
        "f_start": "1 GHz",
        "f_stop": "3 GHz",
        "points": "7",
        "cells_per_wavelength": "10",
        "decay": "40",
    },
}
BALL = {"kind": "sphere", "name": "sphere", "radius": "20 mm", "material": "perfect conductor"}


def test_from_an_empty_sheet_to_a_cross_section(page: Page) -> None:
    made = call(page, "POST", "/projects", {"document": SHEET})
    page.goto(f"{page.url.split('/projects')[0].rstrip('/')}/projects/{made['id']}/bench")
    page.get_by_role("button", name="Solve").wait_for()
    expect(
        page.get_by_text("nothing feeds the antenna").or_(
            page.get_by_text(re.compile("[0-9] errors?$"))
        )
    ).to_be_visible()
    add(page, "Solids", "Sphere")
    set_token(page, "Sphere radius", "20 mm")
    add(page, "Feeds", "Plane wave")
    expect(page.get_by_text("electric field along")).to_be_visible()
    expect(page.locator("section", has_text="Feeds")).to_have_count(0)

    # A wave whose field lies along its way is refused where it was written.
    set_token(page, "Plane wave electric 0", "0")
    expect(
        page.get_by_text(re.compile("lies along the wave’s way|lies along the wave's way")).first
    ).to_be_visible()
    expect(page.get_by_role("button", name="Solve")).to_be_disabled()
    set_token(page, "Plane wave electric 0", "1")

    # A beam narrower than any is refused as well.
    add(page, "Feeds", "Gaussian beam")
    set_token(page, "Gaussian beam waist", "60 mm")
    expect(page.get_by_text(re.compile("narrower than half a wavelength")).first).to_be_visible()
    page.locator("body").press("Control+z")
    page.locator("body").press("Control+z")
    expect(page.get_by_text("focus at")).to_have_count(0)

    # So is a model that is repeated along one axis only.
    set_token(page, "Surround period 0", "50 mm")
    expect(page.get_by_text(re.compile("two of the three axes")).first).to_be_visible()
    set_token(page, "Surround period 0", "")

    # A box that would cut the ball is refused, and says what to do.
    set_token(page, "Surround box", "1 mm")
    expect(page.get_by_text(re.compile("does not clear the model")).first).to_be_visible()
    set_token(page, "Surround box", "")
    expect(page.get_by_role("button", name="Solve")).to_be_enabled()

    page.get_by_role("button", name="Solve").click()
    finished_run(page, r"run 1.*dBsm at")
    page.get_by_role("button", name="Noise floor").click()
    finished_run(page, r"run 2.*noise floor −1\d\d dB")

    core = solve(
        {
            **SHEET,
            "parts": [BALL],
            "illuminations": [
                {"name": "wave", "travels": ["0", "0", "-1"], "electric": ["1", "0", "0"]}
            ],
        }
    )
    wanted = cross_sections.monostatic(core)[-1]
    page.get_by_role("link", name="Readout").click()
    page.get_by_role("checkbox", name="run 1").check()
    page.get_by_role("checkbox", name="run 2").uncheck()
    card = page.locator("[data-card]", has_text="Monostatic RCS").first
    card.locator("[data-plot]").wait_for()
    answer = call(page, "GET", f"/projects/{made['id']}/runs/1/scattered?frequency=3e9&phi=0")
    back = answer[0]["level_dbsm"][0]
    assert abs(10 ** (back / 10) / wanted - 1) < 0.02, "the page shows what the core computes"
    for title in ("Bistatic RCS cuts", "Extinction, scattering, absorption", "3-D RCS"):
        expect(page.locator("[data-card]", has_text=title).first).to_be_visible()
    page.get_by_role("button", name="Add a card").click()
    page.get_by_role("menuitem", name="Smith chart").click()
    expect(page.get_by_text("has no ports that are driven")).to_be_visible()


def test_a_dipole_is_solved_and_heard_far_away(page: Page) -> None:
    """A point dipole from the menu; its near field averaged and as the pulse had it; its signal far
    away.
    """
    captures = [
        {
            "kind": "near_line",
            "name": "up",
            "start": ["0", "0", "20 mm"],
            "end": ["0", "0", "60 mm"],
            "count": "21",
        },
        {"kind": "far_trace", "name": "far", "theta": "90 deg", "phi": "0", "distance": "2 m"},
    ]
    made = call(
        page,
        "POST",
        "/projects",
        {
            "document": {
                **SHEET,
                "name": "A dipole",
                "captures": captures,
                "plan": {**SHEET["plan"], "points": "61"},
            }
        },
    )
    page.goto(f"{page.url.split('/projects')[0].rstrip('/')}/projects/{made['id']}/bench")
    page.get_by_role("button", name="Solve").wait_for()
    add(page, "Feeds", "Point dipole")
    expect(page.get_by_text("port 1 · point dipole")).to_be_visible()
    set_token(page, "Point dipole along 2", "0")
    expect(page.get_by_text("the dipole points nowhere").first).to_be_visible()
    expect(page.get_by_role("button", name="Solve")).to_be_disabled()
    set_token(page, "Point dipole along 2", "1")
    # Pressed at once, while the change is still looked at and saved: the wish is kept.
    expect(page.get_by_role("button", name="Solve")).to_be_enabled()
    page.get_by_role("button", name="Solve").click()
    finished_run(page, r"run 1.* dB at")

    page.get_by_role("link", name="Readout").click()
    page.get_by_role("checkbox", name="run 1").check()
    page.get_by_role("button", name="Add a card").click()
    page.get_by_role("menuitem", name="Near field on a line").click()
    card = page.locator("[data-card]", has_text="Near field on a line").last
    card.get_by_label("Reference").select_option(label="mean over 1 %")
    expect(card.get_by_text("fewer than three points within")).to_be_visible()
    card.get_by_label("Reference").select_option(label="mean over 10 %")
    expect(card.get_by_text("powers averaged over")).to_be_visible()
    card.get_by_label("Reference").select_option(label="raw pulse spectrum")
    expect(card.get_by_text("per Hz of the pulse")).to_be_visible()
    expect(card.locator("[data-plot]")).to_be_visible()
    page.get_by_role("button", name="Add a card").click()
    page.get_by_role("menuitem", name="Field against time", exact=True).click()
    signal = page.locator("[data-card]", has_text="Field against time").last
    expect(signal.get_by_text("pulse of 1 √W at port 1")).to_be_visible()
    expect(signal.get_by_text("far")).to_be_visible()
    expect(page.get_by_title("wavelength in vacuum")).to_contain_text("λ")
