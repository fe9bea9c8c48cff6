"""Bad input and quarrels, as the interface tells them: at the place, in words, with nothing
lost.
"""

from __future__ import annotations

import copy
import json
import re
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from server.config import ROOT
from tests.browser.conftest import add_person, sign_in
from tests.models import planned, wire
from tests.waiting import PATIENCE_MS

pytestmark = pytest.mark.browser
MAST = json.loads((ROOT / "examples" / "mast-dipole.json").read_text())


def changed(**chapters: Any) -> dict[str, Any]:
    return {**copy.deepcopy(MAST), "name": "Spoiled", **chapters}


def plans(**values: str) -> list[dict[str, Any]]:
    return list(planned(MAST, **values)["plans"])


# What is wrong with the model: document, the place the message must stand at (step or chapter), its
# words.
SPOILED: dict[str, tuple[dict[str, Any], str, str]] = {
    "unknown name": (
        changed(parts=[{**MAST["parts"][0], "radius": "girth"}]),
        "parts.0",
        "“girth” is not defined",
    ),
    "wrong dimension": (
        changed(parts=[{**MAST["parts"][0], "radius": "3 s"}]),
        "parts.0",
        "a length is needed",
    ),
    "zero radius": (
        changed(parts=[{**MAST["parts"][0], "radius": "0 mm"}]),
        "parts.0",
        "above zero",
    ),
    "thicker than long": (
        changed(parts=[{**MAST["parts"][0], "radius": "300 mm"}]),
        "parts.0",
        "thicker",
    ),
    "touching itself": (
        changed(
            parts=[
                {
                    "kind": "polyline",
                    "name": "rod",
                    "radius": "2 mm",
                    "points": [
                        ["0", "0", "0"],
                        ["0", "0", "0.3 m"],
                        ["1 mm", "0.1 m", "0.3 m"],
                        ["1 mm", "-0.1 m", "0.15 m"],
                    ],
                }
            ]
        ),
        "parts.0",
        "touches itself",
    ),
    "feed on no wire": (
        changed(feeds=[{"kind": "gap", "number": 1, "part": "mast"}]),
        "feeds.0",
        "on no wire",
    ),
    "two feeds at one place": (
        changed(feeds=[MAST["feeds"][0], {**MAST["feeds"][0], "number": 2}]),
        "feeds.1",
        "at one place",
    ),
    "band reversed": (changed(plans=plans(f_stop="1 MHz")), "plans.0", "below its start"),
    "too many points": (changed(plans=plans(points="1e9")), "plans.0", "whole number from 1 to"),
    "more segments than any machine takes": (
        changed(parts=[wire("rod", [0, 0, -5e5], [0, 0, 5e5], 1e-3)]),
        "",
        "this engine takes",
    ),
}


def upload(page: Page, tmp_path: Path, text: str) -> None:
    file = tmp_path / "model.json"
    file.write_text(text)
    page.locator("input[type=file]").set_input_files(file)


@pytest.mark.parametrize("name", SPOILED)
def test_a_spoiled_model_opens_and_says_where(page: Page, tmp_path: Path, name: str) -> None:
    document, step, words = SPOILED[name]
    upload(page, tmp_path, json.dumps(document))
    page.get_by_role("button", name=re.compile("[0-9] errors?$")).wait_for()
    expect(page.get_by_role("button", name="Solve")).to_be_disabled()
    if step:
        expect(page.locator(f"[data-step='{step}']")).to_contain_text(words)
    page.get_by_role("button", name=re.compile("[0-9] errors?$")).click()
    expect(page.get_by_role("dialog")).to_contain_text(words)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{ half a model", "is not JSON"),
        (json.dumps(changed(version=99)), "newer"),
        (json.dumps({**changed(), "wings": 2}), "there is no field “wings”"),
        ("[1, 2]", "is not a model"),
    ],
)
def test_a_file_that_is_no_model_is_refused_on_the_shelf(
    page: Page, tmp_path: Path, text: str, words: str
) -> None:
    page.locator("li a").first.wait_for()
    before = page.locator("li a").count()
    upload(page, tmp_path, text)
    expect(page.get_by_role("alert")).to_contain_text(words)
    assert page.locator("li a").count() == before


def test_two_windows_on_one_project_quarrel_openly(page: Page, site: str) -> None:
    """The later window is told who saved what; it can take theirs or save its own on top; both stay
    in the history.
    """
    page.get_by_role("button", name=re.compile("^Mast dipole")).last.click()
    page.locator("[data-step='parts.0']").wait_for()
    other = page.context.new_page()
    other.set_default_timeout(PATIENCE_MS)
    other.goto(page.url)
    other.locator("[data-step='parts.0']").wait_for()

    def set_length(window: Page, value: str) -> None:
        window.get_by_role("button", name=re.compile("^length: ")).first.click()
        field = window.get_by_role("textbox", name="length", exact=True)
        field.fill(value)
        field.press("Enter")

    set_length(page, "150 mm")
    expect(page.get_by_role("status").first).to_have_text("revision 2 · saved")
    set_length(other, "140 mm")
    expect(other.get_by_role("alert").first).to_contain_text(
        "saved revision 2 while you edited revision 1"
    )
    other.get_by_role("button", name="Save mine on top").click()
    expect(other.get_by_role("status").first).to_have_text("revision 3 · saved")
    set_length(page, "130 mm")
    expect(page.get_by_role("alert").first).to_contain_text("saved revision 3")
    page.get_by_role("button", name="Take theirs").click()
    expect(page.get_by_role("button", name="length: 140 mm")).to_be_visible()
    other.close()


def test_a_reader_looks_but_does_not_touch(page: Page, site: str, browser: Browser) -> None:
    """Shared by its owner; the other person sees the same bench without a way to edit."""
    page.get_by_role("button", name=re.compile("^Ground whip")).last.click()
    page.locator("[data-step='parts.0']").wait_for()
    add_person("rhea-reads", "quiet-water-55")
    path = re.search(r"/projects/\d+", page.url)
    assert path
    answer = page.evaluate(
        """async path => (await fetch(`/api${path}/members/rhea-reads`, {
          method: 'PUT',
          body: JSON.stringify({role: 'reader'}),
          headers: {
            'Content-Type': 'application/json',
            'X-CSRFToken': /csrftoken=([^;]+)/.exec(document.cookie)[1],
          },
        })).status""",
        path[0],
    )
    assert answer == 204
    window = browser.new_page(viewport={"width": 1280, "height": 800})
    sign_in(window, site, "rhea-reads", "quiet-water-55")
    window.goto(page.url)
    expect(window.get_by_text("You are a reader of this project.")).to_be_visible()
    expect(window.get_by_role("button", name="Solve")).to_be_disabled()
    step = window.locator("[data-step='parts.0']")
    expect(step.get_by_role("button", name=re.compile("^Wire name: "))).to_be_disabled()
