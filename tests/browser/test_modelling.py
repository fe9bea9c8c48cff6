"""Solids and sheets by hand: typed, picked, broken and mended, imported, given materials,
joined.
"""

from __future__ import annotations

import re
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from server.config import ROOT

pytestmark = pytest.mark.browser


def blank(page: Page) -> None:
    page.get_by_role("button", name="New project").click()
    page.locator("[data-step='plans.0']").wait_for()
    page.get_by_text("What is to be solved?").wait_for()


def type_step(page: Page, text: str) -> None:
    field = page.get_by_label("Type a step")
    field.fill(text)
    field.press("Enter")
    expect(field).to_have_value("")


def set_token(page: Page, step: str, label: str, value: str) -> None:
    row = page.locator(f"[data-step='{step}']")
    row.get_by_role("button", name=re.compile(f"^{re.escape(label)}: ")).click()
    row.get_by_role("textbox").fill(value)
    row.get_by_role("textbox").press("Enter")


def bodies(page: Page, count: int) -> None:
    expect(page.locator("[data-stage]")).to_have_attribute("data-bodies", str(count))


def test_a_patch_from_an_empty_sheet_by_typing_and_picking(page: Page) -> None:
    blank(page)
    type_step(page, "sheet 80 x 80 mm, copper, called ground")
    type_step(page, "box 80 x 80 x 1.6 mm, FR4, on ground, called board")
    type_step(page, "sheet 38 x 29 mm, copper, on board, called patch")
    type_step(page, "wire from (0, 6, 0 mm) to (0, 6, 1.6 mm), radius 0.3 mm")
    bodies(page, 3)
    expect(
        page.locator("[data-step='parts.2']").get_by_role("button", name="joined to board")
    ).to_be_visible()
    expect(
        page.locator("[data-step='parts.3']").get_by_role(
            "button", name="joined to ground, board, patch"
        )
    ).to_be_visible()

    # A sheet from a face that is picked on the stage: the top view shows the board's upper side.
    page.get_by_role("group", name="Views").get_by_role("button", name="top").click()
    page.keyboard.press("Control+k")
    page.get_by_placeholder("What next?").fill("Face of a solid")
    page.keyboard.press("Enter")
    row = page.locator("[data-step='parts.4']")
    row.get_by_role("combobox", name="Face source").select_option("board")
    row.get_by_role("button", name="pick a face").click()
    expect(page.get_by_text("Click a face on the stage")).to_be_visible()
    stage = page.locator("[data-stage] canvas").bounding_box()
    assert stage
    page.mouse.click(
        stage["x"] + stage["width"] * 0.5 + 150, stage["y"] + stage["height"] * 0.5 - 150
    )
    expect(page.get_by_text("Click a face on the stage")).to_have_count(0)
    expect(row.get_by_role("button", name="Face pick near 2: 1.6 mm")).to_be_visible()
    bodies(page, 4)
    page.locator("body").press("Control+z")
    expect(row.get_by_role("button", name="Face pick near 2: 0")).to_be_visible()


def test_a_step_is_broken_and_mended_and_the_others_stay(page: Page) -> None:
    blank(page)
    for text in (
        "box 40 x 20 x 10 mm, FR4",
        "cylinder 5 x 30 mm, copper",
        "sphere 4 mm, copper, at (0, 0, 40 mm)",
    ):
        type_step(page, text)
    bodies(page, 3)
    set_token(page, "parts.1", "Cylinder radius", "-5 mm")
    expect(page.locator("[data-step='parts.1']").get_by_role("alert")).to_contain_text("above zero")
    bodies(page, 2)
    set_token(page, "parts.1", "Cylinder radius", "2 mm")
    bodies(page, 3)
    expect(page.locator("[data-step='parts.0']")).to_contain_text("makes room for cylinder")


def test_a_phrase_that_is_not_understood_stays_to_be_corrected(page: Page) -> None:
    blank(page)
    field = page.get_by_label("Type a step")
    field.fill("box 40 x 20 mm")
    field.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("takes 3 sizes")
    expect(field).to_have_value("box 40 x 20 mm")


def test_the_skiff_is_imported_and_given_a_material(page: Page) -> None:
    blank(page)
    page.get_by_role("button", name="Add a step").click()
    page.get_by_role("menuitem", name="Import a file").click()
    page.get_by_label("Upload a file").set_input_files(ROOT / "examples" / "skiff.step")
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("button", name="Use as a step").click()
    bodies(page, 5)
    row = page.locator("[data-step='parts.0']")
    row.get_by_role("combobox", name="Import material").select_option("aluminium")
    expect(page.get_by_role("status").first).to_contain_text("saved")
    page.get_by_role("button", name="aluminium", exact=True).click()
    expect(page.get_by_role("dialog")).to_contain_text("skin depth")
    page.keyboard.press("Escape")

    page.get_by_role("button", name="Add a step").click()
    page.get_by_role("menuitem", name="Import a file").click()
    page.get_by_label("Upload a file").set_input_files(
        {"name": "broken.step", "mimeType": "model/step", "buffer": b"ISO-10303-21;\nHEADER;"}
    )
    expect(page.get_by_role("dialog").get_by_role("alert")).to_contain_text("cut off")


def test_a_near_miss_between_sheet_and_board_is_mended_from_preflight(page: Page) -> None:
    blank(page)
    type_step(page, "box 80 x 80 x 1.6 mm, FR4, called board")
    type_step(page, "sheet 38 x 29 mm, copper, at (0, 0, 1.65 mm), called patch")
    page.get_by_role("button", name=re.compile("Preflight")).click()
    panel = page.get_by_role("dialog")
    expect(panel).to_contain_text("“patch” ends 50 µm from “board” without joining it")
    panel.get_by_role("button", name="Close the gap").click()
    expect(
        page.locator("[data-step='parts.1']").get_by_role("button", name="joined to board")
    ).to_be_visible()


def picture(page: Page) -> Any:
    page.wait_for_timeout(700)
    return page.locator("[data-stage] canvas").screenshot()


def test_section_measure_hide_and_depth(page: Page) -> None:
    blank(page)
    type_step(page, "box 40 x 20 x 10 mm, FR4")
    type_step(page, "cylinder 5 x 30 mm, copper")
    bodies(page, 2)
    seen = [picture(page)]
    for name in ("Section", "Perspective"):
        page.get_by_role("button", name=name, exact=True).click()
        seen.append(picture(page))
    page.get_by_role("button", name="Perspective", exact=True).click()
    page.get_by_role("button", name="Section", exact=True).click()
    page.locator("[data-step='parts.1']").hover()
    page.locator("[data-step='parts.1']").get_by_role(
        "button", name=re.compile("More for step")
    ).click()
    page.get_by_role("menuitem", name="Hide on the stage").click()
    page.mouse.move(5, 400)
    seen.append(picture(page))
    assert len(set(seen)) == 4
    page.get_by_role("button", name="Show all parts").click()
    page.get_by_role("group", name="Views").get_by_role("button", name="top").click()
    page.get_by_role("button", name="Measure").click()
    stage = page.locator("[data-stage] canvas").bounding_box()
    assert stage
    middle = stage["x"] + stage["width"] / 2, stage["y"] + stage["height"] / 2
    for dx in (-100, 100):
        page.mouse.click(middle[0] + dx, middle[1] + 40)
        page.wait_for_timeout(300)
    measured = page.locator("[data-measured]").inner_text()
    found = re.match(r"([\d.]+) mm", measured)
    assert found, measured
    assert 10 < float(found[1]) < 40


def test_a_step_is_completed_dragged_grouped_and_shows_its_sizes(page: Page) -> None:
    blank(page)
    field = page.get_by_label("Type a step")
    field.press_sequentially("cyl")
    expect(page.get_by_role("option", name="cylinder radius 5 mm, height 20 mm")).to_be_visible()
    field.press("Tab")
    field.press_sequentially(", copp")
    field.press("Tab")
    expect(field).to_have_value("cylinder radius 5 mm, height 20 mm, copper")
    field.press("Enter")
    bodies(page, 1)
    page.keyboard.press("Escape")
    page.locator("h1").first.click()
    page.keyboard.press("Control+k")
    page.get_by_placeholder("What next?").fill("box 40 x 20 x 2 mm, FR4")
    page.get_by_role("option", name="box 40 x 20 x 2 mm, FR4 as it is typed").click()
    bodies(page, 2)
    expect(page.locator("[data-step='parts.1']")).to_contain_text("Box")
    page.locator("[data-step='parts.1']").hover()
    expect(page.locator("[data-dimension]")).to_have_text(["40 mm", "20 mm", "2 mm"])

    page.locator("[data-step='parts.1'] span[draggable=true]").drag_to(
        page.locator("[data-step='parts.0']")
    )
    expect(page.locator("[data-step='parts.0']")).to_contain_text("Box")
    page.once("dialog", lambda d: d.accept("housing"))
    page.locator("[data-step='parts.0']").hover()
    page.locator("[data-step='parts.0']").get_by_role(
        "button", name=re.compile("More for step")
    ).click()
    page.get_by_role("menuitem", name="Group…").click()
    page.get_by_role("button", name="suspend", exact=True).click()
    bodies(page, 1)
    page.get_by_role("button", name="use again", exact=True).click()
    bodies(page, 2)
