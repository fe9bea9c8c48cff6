"""The thinnest slice by hand: sign in, change a dimension, solve, read, export, undo."""

from __future__ import annotations

import json
import re
from pathlib import Path

import numpy as np
import psycopg
import pytest
import skrf
from playwright.sync_api import Page, Route, expect

from heron.model import load_document
from heron.results import ports
from server.config import ROOT, load
from tests.browser.conftest import DATABASE, finished_run, set_token
from tests.models import solve
from tests.waiting import until

pytestmark = pytest.mark.browser


def open_project(page: Page, name: str) -> None:
    page.get_by_role("heading", name="Projects").wait_for()
    # the demo's own; copies made by other tests are newer
    page.locator("li a", has_text=name).last.click()
    page.get_by_role("button", name="Solve").wait_for()
    page.locator("[data-stage] canvas").wait_for()


def extent(page: Page) -> float:
    return float(page.locator("[data-stage]").get_attribute("data-extent") or 0)


def test_change_a_length_solve_read_export_undo(page: Page, tmp_path: Path) -> None:
    open_project(page, "Mast dipole")
    expect(page.locator("[data-value-of=length]")).to_have_text("160.3 mm")
    before = extent(page)
    set_token(page, "length", "0.5 * lambda0")
    expect(page.locator("[data-value-of=length]")).to_have_text("172.7 mm")
    assert extent(page) == pytest.approx(before * 0.5 / 0.464, rel=1e-3), (
        "the stage follows the sheet"
    )
    expect(page.get_by_role("status").first).to_have_text("revision 2 · saved")

    page.get_by_role("button", name="Solve").click()
    page.get_by_role("status", name=re.compile("Run 2")).wait_for()
    chip = finished_run(page, r"run 2.*dB at")
    document = json.loads((ROOT / "examples" / "mast-dipole.json").read_text())
    load_document(document)
    core = solve(document, length="0.5 * lambda0")
    frequency, level = ports.minimum(
        core["frequency"].values, ports.magnitude_db(core["s"].values[:, 0, 0])
    )
    found = re.search(r"(−[\d.]+)(?: ± [\d.]+)? dB at ([\d.]+) MHz", chip.inner_text())
    assert found
    shown = float(found[1].replace("−", "-"))
    print(f"|S11| minimum {shown} dB on the page, {level:.3f} dB from the core")
    assert shown == pytest.approx(level, rel=0.01)
    assert float(found[2]) * 1e6 == pytest.approx(frequency, rel=0.01)

    chip.click()
    page.get_by_role("region", name="Smith chart").wait_for()
    cards = [
        "|S11|",
        "Smith chart",
        "Input impedance",
        "Cuts",
        "VSWR",
        "Peak gain",
        "Efficiency",
        "Current",
        "Near field on a line",
        "Near field on a plane",
    ]
    for card in cards:
        expect(page.get_by_role("region", name=card).locator("[data-plot]").first).to_be_attached()
    page.wait_for_timeout(1500)
    drawn = {c: picture(page, c) for c in cards}
    page.get_by_label("Frequency").fill("100")
    expect(page.locator("output")).to_have_text("1.1 GHz")
    page.wait_for_timeout(1500)
    same = [c for c in cards if picture(page, c) == drawn[c]]
    assert not same, f"these did not follow the cursor: {same}"

    with page.expect_download() as download:
        page.get_by_role("button", name="Touchstone").click()
    file = tmp_path / download.value.suggested_filename
    download.value.save_as(file)
    network = skrf.Network(str(file))
    assert file.suffix == ".s1p"
    assert np.abs(network.s[:, 0, 0] - core["s"].values[:, 0, 0]).max() < 1e-6

    page.get_by_role("link", name="Bench").click()
    page.get_by_role("button", name="Solve").wait_for()
    page.locator("body").press("Control+z")
    expect(page.locator("[data-value-of=length]")).to_have_text("160.3 mm")
    assert extent(page) == pytest.approx(before, rel=1e-6)


def picture(page: Page, card: str) -> bytes:
    """What a card shows."""
    return page.get_by_role("region", name=card, exact=True).screenshot()


def test_errors_appear_where_they_are_made(page: Page) -> None:
    page.get_by_role("button", name=re.compile("^Ground whip")).click()
    page.get_by_role("button", name="Solve").wait_for()
    set_token(page, "Wire radius", "-1 mm")
    alert = page.locator("[data-step='parts.0']").get_by_role("alert")
    expect(alert).to_contain_text("above zero")
    expect(page.get_by_role("button", name="Solve")).to_be_disabled()
    set_token(page, "Wire radius", "nothing")
    expect(alert).to_contain_text("“nothing” is not defined")
    set_token(page, "height", "height + 1 mm")
    expect(page.get_by_text("depend on each other in a circle: height → height")).to_be_visible()
    page.get_by_role("button", name=re.compile("^height: ")).first.click()
    page.get_by_role("textbox", name="height").fill("3 s")
    expect(page.get_by_text("3 s", exact=True).last).to_be_visible()
    page.keyboard.press("Escape")
    set_token(page, "height", "80 mm")
    set_token(page, "Wire radius", "1 mm")
    expect(page.get_by_role("button", name="Solve")).to_be_enabled()


def test_building_from_nothing_by_keyboard(page: Page) -> None:
    page.get_by_role("button", name="New project").click()
    page.get_by_text("What is to be solved?").wait_for()
    page.locator("[data-step='plans.0']").wait_for()
    for command in ("Add: Wire", "Add: Gap feed"):
        page.keyboard.press("Control+k")
        page.get_by_placeholder("What next?").fill(command)
        page.keyboard.press("Enter")
        page.wait_for_timeout(400)
    expect(page.locator("[data-stage]")).to_have_attribute("data-parts", "1")
    expect(page.get_by_text("all clear")).to_be_visible()
    page.keyboard.press("Control+Enter")
    finished_run(page, r"run 1.*dB at")


def test_lenses_and_themes(page: Page) -> None:
    open_project(page, "Twin loops")
    canvas = page.locator("[data-stage] canvas")
    page.wait_for_timeout(1200)
    shots = [canvas.screenshot()]
    for lens in ("current", "near field", "pattern"):
        page.get_by_text(lens, exact=True).click()
        until(lambda: canvas.screenshot() not in shots)
        shots.append(canvas.screenshot())
    # a pattern has shades that a picture of two thin loops has not
    until(lambda: len(canvas.screenshot()) > 1.3 * len(shots[0]))
    background = page.evaluate("getComputedStyle(document.body).backgroundColor")
    page.keyboard.press("Control+Shift+L")
    page.wait_for_timeout(300)
    assert page.evaluate("getComputedStyle(document.body).backgroundColor") != background


def test_a_near_miss_is_named_and_mended_in_one_click(page: Page) -> None:
    page.get_by_role("button", name=re.compile("^Mast dipole")).last.click()
    page.locator("[data-step='parts.0']").wait_for()
    page.keyboard.press("Control+k")
    page.get_by_placeholder("What next?").fill("Add: Wire")
    page.keyboard.press("Enter")
    row = page.locator("[data-step='parts.1']")
    row.wait_for()
    for axis, value in ((0, "4 mm"), (2, "length / 2")):
        row.get_by_role("button", name=re.compile(f"^Wire start {axis}: ")).click()
        field = row.get_by_role("textbox")
        field.fill(value)
        field.press("Enter")
    row.get_by_role("button", name=re.compile("^Wire end 0: ")).click()
    row.get_by_role("textbox").fill("60 mm")
    row.get_by_role("textbox").press("Enter")
    expect(row).to_contain_text("without joining")
    row.get_by_role("button", name="Join them").click()
    expect(row.get_by_role("button", name="joined to rod")).to_be_visible()


def test_server_and_worker_survive_a_restart_of_the_database(page: Page) -> None:
    """Every connection is cut, as a restart of PostgreSQL cuts them; the page, the server and the
    worker go on.
    """
    with psycopg.connect(
        f"{load().database_url.rsplit('/', 1)[0]}/{DATABASE}", autocommit=True
    ) as admin:
        cut = admin.execute(
            "select count(pg_terminate_backend(pid)) from pg_stat_activity where datname ="
            " current_database() and pid <> pg_backend_pid()"
        ).fetchone()
    assert cut is not None
    assert cut[0] > 0
    page.wait_for_timeout(500)
    page.get_by_role("button", name=re.compile("^Ground whip")).last.click()
    expect(page.get_by_text("all clear")).to_be_visible()
    page.get_by_role("button", name="Solve").click()
    expect(
        page.get_by_role("status", name=re.compile("Run 1"))
        .or_(page.get_by_role("button", name=re.compile("run 1")))
        .first
    ).to_be_visible()
    finished_run(page, r"run 1.*dB at")


def test_what_the_server_could_not_answer_is_asked_for_again(page: Page) -> None:
    """A database that restarts answers with an error for a moment; lists that were asked for just
    then come all the same.
    """
    failed: set[str] = set()

    def once(route: Route) -> None:
        if route.request.url in failed:
            route.continue_()
        else:
            failed.add(route.request.url)
            route.fulfill(status=500, json={"detail": "the database is away"})

    page.route("**/api/projects**", once)
    page.reload()
    expect(page.get_by_role("button", name=re.compile("^Ground whip")).last).to_be_visible()
    assert failed


REDRAW = """before => new Promise(done => {
  const stage = document.querySelector('[data-stage]');
  let start = 0;
  new MutationObserver((_, o) => {
    if (stage.dataset.extent === before) return;
    o.disconnect();
    requestAnimationFrame(() => setTimeout(() => done(performance.now() - start), 0));
  }).observe(stage, {attributes: true});
  start = performance.now();
  const enter = {key: 'Enter', bubbles: true, cancelable: true};
  document.activeElement.dispatchEvent(new KeyboardEvent('keydown', enter));
})"""


@pytest.mark.parametrize(
    ("name", "parameter", "values"),
    [
        ("Mast dipole", "length", ["150 mm", "151 mm", "152 mm", "153 mm"]),
        ("Buoy helix", "turns", ["4.5", "5.5", "6.5", "7"]),
    ],
)
def test_a_change_redraws_quickly(page: Page, name: str, parameter: str, values: list[str]) -> None:
    """From Enter to the stage's next frame.

    The goal of 150 ms is judged on the printed figures, as machines are shared.
    """
    page.get_by_role("button", name=re.compile(f"^{name}")).last.click()
    page.locator("[data-step='parts.0']").wait_for()
    page.wait_for_timeout(1000)
    times = []
    for value in values:
        page.get_by_role("button", name=re.compile(f"^{parameter}: ")).first.click()
        page.get_by_role("textbox", name=parameter, exact=True).fill(value)
        page.wait_for_timeout(300)
        times.append(
            page.evaluate(REDRAW, page.locator("[data-stage]").get_attribute("data-extent"))
        )
    print(f"{name}: stage redrawn after, ms:", [round(t) for t in times])
    assert min(times) < 2000, "the stage did follow"


def test_the_patch_is_solved_on_a_coarse_grid_to_its_efficiency_curve(page: Page) -> None:
    open_project(page, "Roof patch")
    for label, value in (
        ("Plan settings transient cells_per_wavelength", "10"),
        ("Plan settings transient decay", "30"),
        ("points", "21"),
    ):
        set_token(page, label, value)
    expect(
        page.get_by_text(re.compile(r"\d+ k cells · \d+ MiB · about \d+ (s|min)"))
    ).to_be_visible()
    grid_and_pulse(page)
    page.get_by_role("button", name="Solve").click()
    expect(page.get_by_role("status", name=re.compile("Run 1 running"))).to_contain_text("dB left")
    chip = finished_run(page, r"run 1.*dB at")
    chip.click()
    card = page.get_by_role("region", name="Efficiency")
    expect(card.locator("[data-plot]").first).to_be_attached()
    page.get_by_label("Frequency").fill("9")
    expect(card).to_contain_text(re.compile(r"radiation (6|7|8)\d(\.\d)? ± \d+(\.\d)? %"))
    expect(card).to_contain_text("dielectric")
    expect(page.get_by_text("Ring-down")).to_be_visible()
    shares = page.get_by_role("region", name="Where the power goes")
    shares.get_by_label("View").select_option("cursor")
    for name in ("radiated", "substrate", "patch", "ground"):
        expect(shares).to_contain_text(name)
    expect(page.get_by_role("region", name="Current", exact=True)).to_contain_text("feed pin")
    expect(page.get_by_role("region", name="Current", exact=True)).to_contain_text(
        re.compile(r"± \d+(\.\d+)?\s%, \d+(\.\d+)?\s% at most")
    )
    pictures = page.get_by_role("region", name="Snapshots")
    pictures.get_by_label("Picture").wait_for()
    before = pictures.locator("canvas").screenshot()
    pictures.get_by_label("Picture").fill("60")
    expect(pictures).to_contain_text(re.compile(r"\d ns"))
    page.wait_for_timeout(400)
    assert pictures.locator("canvas").screenshot() != before, "another picture"
    page.get_by_role("link", name="Bench").click()
    page.get_by_text("current", exact=True).click()
    expect(page.get_by_text("|K| on surfaces")).to_be_visible()
    page.wait_for_timeout(1500)
    shown = page.locator("[data-stage] canvas").screenshot()
    page.get_by_text("shape", exact=True).click()
    page.wait_for_timeout(500)
    assert page.locator("[data-stage] canvas").screenshot() != shown


def grid_and_pulse(page: Page) -> None:
    """What will be solved, looked at before it is."""
    page.get_by_text("grid", exact=True).click()
    panel = page.locator("[data-grid-panel]")
    expect(panel).to_contain_text("ε 3.55")
    expect(panel).to_contain_text(re.compile(r"\d+ × \d+ × \d+ = \d+ k cells"))
    expect(panel).to_contain_text("above λ/15")
    page.wait_for_timeout(800)
    first = page.locator("[data-stage] canvas").screenshot()
    panel.get_by_role("button", name="cell sizes").click()
    page.wait_for_timeout(800)
    assert page.locator("[data-stage] canvas").screenshot() != first
    panel.get_by_role("button", name="z", exact=True).click()
    panel.get_by_label("Position of the cut").fill("20")
    expect(panel).to_contain_text(re.compile(r"z = −\d"))
    page.get_by_text("shape", exact=True).click()
    page.get_by_role("button", name=re.compile("^Pulse: .* ns long")).click()
    pulse = page.get_by_role("dialog")
    expect(pulse).to_contain_text("dB at 2.2 GHz")
    expect(pulse.locator("[data-plot] canvas").first).to_be_attached()
    page.keyboard.press("Escape")
