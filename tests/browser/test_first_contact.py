"""A new user's first minutes: ways to begin, the tour, typing, finding, folding, help; and what
every screen must have for everybody.
"""

from __future__ import annotations

import re
import time
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from server.config import ROOT
from tests.browser.conftest import call, finished_run
from tests.waiting import PATIENCE_MS, until

pytestmark = pytest.mark.browser
AXE = (ROOT / "web/node_modules/axe-core/axe.min.js").read_text()
RULES = {"runOnly": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"]}


def blank(page: Page) -> None:
    page.get_by_role("button", name="New project").click()
    page.get_by_text("What is to be solved?").wait_for()
    expect(page.get_by_role("button", name=re.compile("^Wire antenna"))).to_be_visible()


def dipole(page: Page) -> str:
    """Address of a mast dipole of this test's own, as others change theirs."""
    made = call(page, "POST", "/projects", {"example": "mast-dipole"})
    return f"{re.sub('/projects.*', '', page.url).rstrip('/')}/projects/{made['id']}"


class Counted:
    """A page whose clicks, keys and typed texts are counted."""

    def __init__(self, page: Page) -> None:
        self.page, self.actions, self.begun = page, 0, time.perf_counter()

    def click(self, name: str | re.Pattern[str]) -> None:
        self.actions += 1
        self.page.get_by_role("button", name=name).first.click()

    def type(self, text: str) -> None:
        self.actions += 2
        field = self.page.get_by_label("Type a step")
        field.fill(text)
        field.press("Enter")
        expect(field).to_have_value("")

    def told(self, what: str) -> str:
        seconds = time.perf_counter() - self.begun
        return f"{what}: {self.actions} actions, {seconds:.1f} s with this machine's solve"


def test_a_dipole_from_the_shelf_to_its_curve(page: Page) -> None:
    user = Counted(page)
    user.click("New project")
    user.click(re.compile("^Wire antenna"))
    expect(page.get_by_text("all clear")).to_be_visible()
    user.click("Solve")
    finished_run(page, r"run 1.*dB at 8[45]\d")
    print(user.told("first |S11| of a dipole"))
    assert user.actions <= 3


def test_a_dipole_typed_on_an_empty_sheet(page: Page) -> None:
    blank(page)
    user = Counted(page)
    user.type("L = 0.47 * lambda0")
    user.type("wire dipole from (0, 0, -L / 2) to (0, 0, L / 2), radius 1 mm, copper")
    missing = page.get_by_role("region", name="Until it can be solved")
    expect(missing.locator("[data-done=true]", has_text="a part")).to_be_visible()
    expect(missing.locator("[data-done=false]", has_text="a feed")).to_be_visible()
    user.type("gap feed on dipole at 0.5")
    expect(missing).to_have_count(0)
    user.click("Solve")
    finished_run(page, r"run 1.*dB at 8[45]\d")
    print(user.told("first |S11| of a typed dipole"))


@pytest.mark.parametrize(
    ("title", "mark"),
    [("Patch on a board", "4 parts"), ("Guide and horn", "2 parts"), ("Repeated cell", "2 parts")],
)
def test_a_drawing_is_a_model_that_can_be_solved(page: Page, title: str, mark: str) -> None:
    blank(page)
    user = Counted(page)
    user.click(re.compile(f"^{title}"))
    expect(page.get_by_text("all clear")).to_be_visible()
    expect(page.get_by_role("button", name="Solve")).to_be_enabled()
    expect(page.locator("[data-step^='parts.']")).to_have_count(int(mark.split(maxsplit=1)[0]))
    expect(page.get_by_role("heading", name=title)).to_be_visible()
    print(user.told(f"a {title.lower()} ready to solve"))
    page.locator("body").press("Control+z")
    expect(page.get_by_text("What is to be solved?")).to_be_visible()


def test_an_example_is_copied_into_an_empty_project(page: Page) -> None:
    blank(page)
    page.get_by_role("button", name="Copy an example").click()
    page.get_by_role("menuitem", name="Skiff mount").click()
    expect(page.locator("[data-stage]")).to_have_attribute("data-bodies", re.compile("[5-9]"))
    expect(page.get_by_role("heading", name="Skiff mount")).to_be_visible()


def test_the_tour_is_left_and_found_again(page: Page) -> None:
    blank(page)
    page.get_by_role("button", name="Show me around").click()
    for n in range(1, 6):
        expect(page.get_by_role("dialog", name=f"Tour, {n} of 6")).to_be_visible()
        page.keyboard.press("Enter")
    page.get_by_role("button", name="Done").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("Control+k")
    page.get_by_placeholder("What next?").fill("show me")
    page.keyboard.press("Enter")
    expect(page.get_by_role("dialog", name="Tour, 1 of 6")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)


def test_typing_changes_what_there_is_and_says_what_is_wrong(page: Page) -> None:
    blank(page)
    user = Counted(page)
    for text in (
        "box 40 x 20 x 1.6 mm, FR4, on ground",
        "f0 = 2.45 GHz",
        "sweep 2 to 3 GHz, 201 points",
        "mirror plane x = 0, PMC",
        "wave along −z, E along x",
        "far field every 2 deg",
    ):
        user.type(text)
    sheet = page.get_by_label("Build sheet")
    expect(sheet.locator("[data-step='plans.0']")).to_contain_text("2 GHz to 3 GHz, 201 points")
    expect(sheet.locator("[data-step='surround.0']")).to_contain_text("PMC at x = 0")
    expect(sheet.locator("[data-step='parameters.0']")).to_contain_text("2.45 GHz")
    field = page.get_by_label("Type a step")
    field.fill("box 9 x 9 x 2 mm, cooper")
    field.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("did you mean “copper”?")
    expect(field).to_have_value("box 9 x 9 x 2 mm, cooper")


def test_steps_are_selected_found_and_changed_on_the_stage(page: Page) -> None:
    blank(page)
    user = Counted(page)
    for text in (
        "box 40 x 20 x 2 mm, FR4, called board",
        "box 10 x 10 x 5 mm, copper, called lid",
        "cylinder radius 5 mm, height 20 mm, copper",
    ):
        user.type(text)
    stage, sheet = page.locator("[data-stage]"), page.get_by_label("Build sheet")
    expect(stage).to_have_attribute("data-bodies", "3")
    steps = sheet.locator("[data-step^='parts.']")

    def choose(at: int, *keys: Any) -> None:
        steps.nth(at).get_by_role("button", name=re.compile("^Select step")).click(
            modifiers=list(keys)
        )

    choose(0)
    choose(2, "Shift")
    tools = page.get_by_role("toolbar", name="Selected steps")
    expect(tools).to_contain_text("3 steps selected")
    choose(0, "Control")
    expect(tools).to_contain_text("2 steps selected")
    tools.get_by_role("button", name="Suspend").click()
    expect(stage).to_have_attribute("data-bodies", "1")
    tools.get_by_role("button", name="Use again").click()
    expect(stage).to_have_attribute("data-bodies", "3")
    page.keyboard.press("Delete")
    expect(steps).to_have_count(1)
    expect(tools).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(steps).to_have_count(3)

    choose(0)
    page.locator("[data-dimension]").first.get_by_role("button").click()
    field = page.locator("[data-dimension] input")
    field.fill("55 mm")
    field.press("Enter")
    expect(steps.first).to_contain_text("55 mm")
    expect(page.locator("[data-dimension]").first).to_contain_text("55 mm")

    page.locator("h1").first.click()
    page.keyboard.press("Control+f")
    search = page.get_by_role("search")
    search.get_by_label("Find on the sheet").fill("copper")
    expect(search).to_contain_text("2 steps")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    expect(steps.nth(2)).to_be_in_viewport()
    page.keyboard.press("Escape")
    expect(search).to_have_count(0)


def test_lenses_are_seen_together_and_axes_are_clicked(page: Page) -> None:
    page.goto(f"{dipole(page)}/bench")
    expect(page.get_by_role("button", name="Solve")).to_be_enabled()
    page.keyboard.press("Control+Enter")
    finished_run(page, r"run 1.*dB at")
    stage = page.locator("[data-stage]")
    page.locator("label", has_text=re.compile("^pattern$")).click()
    expect(stage).to_have_attribute("data-lens", "pattern")
    expect(page.get_by_role("img", name="Colours: realized gain, dBi")).to_be_visible()
    page.get_by_role("button", name="Show current too").click()
    expect(page.get_by_role("img", name="Colours: |I| along wires")).to_be_visible()
    expect(page.get_by_role("img", name="Colours: realized gain, dBi")).to_be_visible()
    page.get_by_role("button", name="Show current too").click()
    expect(page.get_by_role("img", name="Colours: |I| along wires")).to_have_count(0)

    page.get_by_role("application", name=re.compile("^Model")).focus()
    for key in ("ArrowLeft", "Shift+ArrowUp", "+"):
        before = page.locator("[data-stage] canvas").screenshot()
        page.keyboard.press(key)
        until(lambda last=before: page.locator("[data-stage] canvas").screenshot() != last)

    page.locator("[data-view-axes] [data-view=top]").click()
    views = page.get_by_role("group", name="Views")
    expect(views.get_by_role("button", name="top")).to_have_attribute("aria-pressed", "true")


def test_the_palette_leads_and_finds(page: Page) -> None:
    page.goto(f"{dipole(page)}/bench")
    expect(page.get_by_role("button", name="Solve")).to_be_enabled()
    page.keyboard.press("Control+Enter")
    finished_run(page, r"run 1.*dB at")
    page.keyboard.press("Control+k")
    palette = page.get_by_role("dialog")
    first = palette.get_by_role("option").first
    expect(first).to_contain_text("Solve")
    expect(palette.locator("[aria-disabled=true]")).to_have_count(0)
    page.get_by_placeholder("What next?").fill("go to part rod")
    page.keyboard.press("Enter")
    expect(page.locator("[data-step='parts.0'] :focus")).to_have_count(1)
    page.keyboard.press("Control+k")
    page.get_by_placeholder("What next?").fill("project twin")
    expect(palette.get_by_role("option", name="Project: Twin loops")).to_be_visible()
    page.get_by_placeholder("What next?").fill("run 1")
    expect(palette.get_by_role("option", name=re.compile("^Run 1:"))).to_be_visible()


def test_chapters_stay_folded(page: Page) -> None:
    blank(page)
    page.get_by_role("button", name=re.compile("^3 Materials")).click()
    expect(page.get_by_role("button", name=re.compile("^3 Materials"))).to_have_attribute(
        "aria-expanded", "false"
    )
    page.reload()
    expect(page.get_by_role("button", name=re.compile("^3 Materials"))).to_have_attribute(
        "aria-expanded", "false"
    )


def test_a_slider_moves_the_model_and_is_saved_when_let_go(page: Page) -> None:
    document = {
        "name": "Slid",
        "parameters": [
            {"name": "L", "expression": "80 mm", "unit": "mm", "low": "40 mm", "high": "120 mm"}
        ],
        "parts": [
            {
                "kind": "wire",
                "name": "rod",
                "start": ["0", "0", "0"],
                "end": ["0", "0", "L"],
                "radius": "1 mm",
            }
        ],
        "plans": [{"f_start": "800 MHz", "f_stop": "900 MHz"}],
    }
    made = call(page, "POST", "/projects", {"document": document})
    page.goto(f"{page.url.rstrip('/')}/projects/{made['id']}/bench")
    slider = page.get_by_role("slider", name="L between its limits")
    slider.focus()
    for _ in range(3):
        slider.press("ArrowRight")
    expect(page.locator("[data-step='parameters.0']")).to_contain_text("80.3 mm")
    expect(page.get_by_role("status").filter(has_text="saved")).to_be_visible()
    kept = call(page, "GET", f"/projects/{made['id']}")
    assert kept["document"]["parameters"][0]["expression"] == "80.3 mm"


def test_help_opens_where_one_is_and_the_guide_is_searched(page: Page) -> None:
    blank(page)
    page.get_by_text("Captures", exact=True).hover()
    page.keyboard.press("Shift+?")
    help_ = page.get_by_role("dialog")
    expect(help_.get_by_role("heading", name="Captures")).to_be_in_viewport()
    help_.get_by_role("link", name="Open in the Guide").click()
    expect(page.get_by_role("heading", name="The build sheet")).to_be_attached()
    page.get_by_label("Search the guide").fill("extinction")
    page.get_by_role("navigation", name="Contents").get_by_role(
        "link", name=re.compile("radar cross-section of a sphere")
    ).first.click()
    expect(page.get_by_role("heading", name="The radar cross-section of a sphere")).to_be_visible()


def faults(page: Page) -> list[str]:
    """What axe finds on the page, in a line each."""
    page.evaluate(AXE)
    found: dict[str, Any] = page.evaluate("rules => axe.run(document, rules)", RULES)
    return [
        f"{v['id']}: {n['target'][0]}: {n['failureSummary'].splitlines()[-1].strip()}"
        for v in found["violations"]
        for n in v["nodes"][:3]
    ]


@pytest.mark.parametrize("theme", ["day", "dusk"])
def test_every_screen_is_for_everybody(page: Page, theme: str) -> None:
    """WCAG 2.1 AA by axe, without a violation, of all screens in both themes."""
    base = page.url.rstrip("/")
    if theme == "dusk":
        page.keyboard.press("Control+Shift+l")
    own = dipole(page)
    page.goto(f"{own}/bench")
    page.get_by_text("all clear").wait_for()
    page.keyboard.press("Control+Enter")
    finished_run(page, r"run 1.*dB at")
    empty = call(page, "POST", "/projects", {})["id"]
    found: dict[str, list[str]] = {}
    for name, address, shown in (
        ("shelf", base, "Projects"),
        ("empty bench", f"{base}/projects/{empty}/bench", "What is to be solved?"),
        ("bench", f"{own}/bench", "all clear"),
        ("ledger", f"{own}/ledger", "Open in Readout"),
        ("no study", f"{own}/studies", "No study yet"),
        ("readout", f"{own}/readout", "Smith chart"),
        ("report", f"{own}/report", "Parameters"),
        ("guide", f"{base}/guide/index", "your first antenna"),
    ):
        page.goto(address)
        page.get_by_text(shown).first.wait_for(timeout=PATIENCE_MS)
        page.wait_for_timeout(400)
        found[name] = faults(page)
    page.goto(f"{own}/bench")
    page.get_by_text("all clear").wait_for()
    for name, key in (("palette", "Control+k"), ("help", "Shift+?")):
        page.keyboard.press(key)
        page.get_by_role("dialog").first.wait_for()
        page.wait_for_timeout(300)
        found[name] = faults(page)
        page.keyboard.press("Escape")
    print({name: len(lines) for name, lines in found.items()})
    assert {name: lines for name, lines in found.items() if lines} == {}


def test_motion_is_reduced_and_narrow_and_wide_windows_fit(page: Page) -> None:
    base = page.url.rstrip("/")
    own = dipole(page)
    page.emulate_media(reduced_motion="reduce")
    moving = page.evaluate(
        """() => {
          const e = document.body.appendChild(document.createElement('div'));
          e.className = 'waits transition-transform';
          const { animationName, transitionDuration } = getComputedStyle(e);
          return [animationName, transitionDuration];
        }"""
    )
    assert moving == ["none", "0s"]
    for width in (1100, 1920):
        page.set_viewport_size({"width": width, "height": 800})
        for screen in (
            base,
            f"{base}/guide/index",
            *(f"{own}/{name}" for name in ("bench", "studies", "ledger", "readout")),
        ):
            page.goto(screen)
            page.wait_for_timeout(300)
            over = page.evaluate("() => document.documentElement.scrollWidth - innerWidth")
            assert over <= 0, f"{screen} at {width}"
