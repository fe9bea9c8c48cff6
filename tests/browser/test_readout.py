"""Readout and ledger by hand: cursor, overlay, markers, spec lines, reference curves with
their grade, formulas, animation, report, keys, themes.
"""

from __future__ import annotations

import json
import re
import time
import zipfile
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import add_person, call, sign_in
from tests.waiting import PATIENCE_MS, until

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def project(site: str, browser: Browser) -> int:
    """A mast dipole with three runs of different length, the first a short sweep."""
    page = browser.new_context().new_page()
    sign_in(page, site)
    made = call(page, "POST", "/projects", {"example": "mast-dipole"})
    for length in ("160 mm", "155 mm", "165 mm"):
        call(
            page,
            "POST",
            f"/projects/{made['id']}/runs",
            {"overrides": {"length": length, "points": "31"}},
        )
    for _ in range(150):
        states = [r["status"] for r in call(page, "GET", f"/projects/{made['id']}/runs")]
        if all(s == "finished" for s in states):
            break
        time.sleep(0.4)
    assert states == ["finished"] * 3
    page.context.close()
    return int(made["id"])


@pytest.fixture
def readout(page: Page, project: int) -> Page:
    kinds = ["s-parameters", "smith", "cuts", "figures", "vswr", "impedance", "gain", "efficiency"]
    cards = [{"id": k, "kind": k, "width": 1, "height": 1, "settings": {}} for k in kinds]
    call(
        page,
        "PUT",
        f"/projects/{project}/readout",
        {
            "version": call(page, "GET", f"/projects/{project}/readout")["version"],
            "content": {"template": "mine", "cards": cards},
        },
    )
    for reference in call(page, "GET", f"/projects/{project}/references"):
        call(page, "DELETE", f"/projects/{project}/references/{reference['number']}")
    page.goto(f"{page.url.split('/projects')[0].rstrip('/')}/projects/{project}/readout")
    card(page, "|S11|").wait_for()
    return page


def arrange(page: Page, name: str) -> None:
    page.get_by_role("button", name=re.compile("▾")).click()
    page.get_by_role("menuitem", name=re.compile(f"^{name}")).click()


def card(page: Page, name: str):
    return page.get_by_role("region", name=name, exact=True)


def menu(page: Page, name: str, item: str) -> None:
    page.get_by_role("button", name=f"{name}: card").click()
    page.get_by_role("menuitem", name=item, exact=True).click()


def test_errors_stand_beside_their_numbers(readout: Page, project: int) -> None:
    """A band round the curve, ± on its badge, in the run's headline; the trust card says which
    number made the grade.
    """
    own = card(readout, "|S11|")
    expect(own.locator("[data-plot]")).to_have_attribute("data-spreads", "1")
    expect(own).to_contain_text(re.compile(r"min −[\d.]+ ± [\d.]+ dB at [\d.]+ MHz"))
    lines = call(readout, "GET", f"/projects/{project}/runs")
    assert all(" ± " in line["headline"]["text"] for line in lines) and all(
        line["gain_error_db"] > 0 for line in lines
    )
    detail = call(readout, "GET", f"/projects/{project}/runs/1")
    assert detail["trust"][0]["name"].startswith("Error of") and detail["trust"][0][
        "value"
    ].startswith("± ")
    assert detail["grade"] == (
        "C"
        if any(i["mark"] == "stop" for i in detail["trust"])
        else "B"
        if any(i["mark"] == "look" for i in detail["trust"])
        else "A"
    )


def cursor(page: Page) -> float:
    return float(page.locator("output").get_attribute("data-cursor"))


def test_one_cursor_for_all_cards_by_mouse_and_keys(readout: Page) -> None:
    page = readout
    plot = card(page, "|S11|").locator("[data-plot]")
    plot.locator("[data-cursor-line]").wait_for()
    box = plot.bounding_box()
    page.mouse.click(box["x"] + 0.75 * box["width"], box["y"] + box["height"] / 2)
    first = cursor(page)
    low, high = (float(v) for v in plot.get_attribute("data-span").split())
    share = (0.75 * box["width"] - 48) / (box["width"] - 60)
    assert first / 1e6 == pytest.approx(low + share * (high - low), abs=(high - low) / 30)
    page.locator("body").press("ArrowRight")
    assert cursor(page) > first, "a step of the sweep"
    expect(card(page, "Figures")).to_contain_text(page.locator("output").inner_text())
    page.wait_for_timeout(500)  # cards out of view follow to where the cursor rests
    for name in ("VSWR", "Efficiency", "Input impedance"):
        line = card(page, name).locator("[data-cursor-line]")
        assert line.bounding_box()["x"] == pytest.approx(
            card(page, name).locator("[data-plot]").bounding_box()["x"]
            + 48
            + (cursor(page) / 1e6 - low) / (high - low) * (box["width"] - 60),
            abs=6,
        )
    page.get_by_role("button", name="play", exact=True).click()
    page.wait_for_timeout(700)
    page.get_by_role("button", name="pause", exact=True).click()
    assert cursor(page) != first


def test_overlays_are_told_apart_by_what_differs(readout: Page) -> None:
    page = readout
    for n in (1, 2):
        page.get_by_label(f"run {n}", exact=True).check()
    plot = card(page, "|S11|")
    for text in ("3: length 165 mm", "2: length 155 mm", "1: length 160 mm"):
        expect(plot).to_contain_text(text)
    expect(plot.locator("[data-plot]")).to_have_attribute("data-curves", "3")
    dashes = plot.locator("li svg line").evaluate_all(
        "all => all.map((l) => l.getAttribute('stroke-dasharray'))"
    )
    assert len(set(dashes)) == 3, "pattern as well as colour"
    page.get_by_label("Play over").select_option("runs")
    page.get_by_role("button", name="play", exact=True).click()
    page.wait_for_timeout(1700)
    page.get_by_role("button", name="pause", exact=True).click()
    assert page.locator("aside input[type=checkbox]:checked").count() == 1, (
        "one run after the other"
    )


def test_markers_are_set_moved_named_and_compared(readout: Page, project: int) -> None:
    page = readout
    menu(page, "|S11|", "Marker at the minimum")
    menu(page, "|S11|", "Marker at the cursor")
    table = page.get_by_role("region", name="Markers")
    expect(table.locator("[data-marker=m1]")).to_contain_text("dB")
    flag = card(page, "|S11|").get_by_label("Marker m2")
    before = flag.bounding_box()
    page.mouse.move(before["x"] + 8, before["y"] + 8)
    page.mouse.down()
    page.mouse.move(before["x"] + 70, before["y"] + 8, steps=4)
    page.mouse.up()
    assert flag.bounding_box()["x"] > before["x"] + 40, "moved by mouse"
    at = flag.bounding_box()["x"]
    for _ in range(5):
        flag.press("Shift+ArrowRight")
    assert flag.bounding_box()["x"] > at, "moved by keys"
    table.locator("[data-marker=m2]").hover()
    table.get_by_label("Delta from m2").click()
    expect(table.locator("[data-marker='m2−m1']")).to_contain_text(re.compile(r"[\d.]+ dB"))
    table.get_by_label("Name of m1").fill("dip")
    page.wait_for_timeout(1200)
    kept = call(page, "GET", f"/projects/{project}/readout")["content"]["markers"]
    assert [m["name"] for m in kept] == ["dip", "m2", "m2−m1"]
    assert kept[2]["mode"] == "delta"
    menu(page, "|S11|", "Marker at a crossing…")
    expect(table.locator("[data-marker=m1]")).to_contain_text("−10 dB")


def test_spec_lines_are_judged_in_card_side_and_ledger(readout: Page) -> None:
    page = readout
    field = page.get_by_label("New spec line")
    for line in ("|S11| < -10 dB from 820 to 840 MHz", "gain > 5 dBi at theta = 90", "VSWR < much"):
        field.fill(line)
        field.press("Enter")
    side = page.get_by_role("region", name="Spec lines")
    expect(side.locator("li").nth(0)).to_have_attribute("data-passed", "true")
    expect(side.locator("li").nth(1)).to_have_attribute("data-passed", "false")
    expect(side.locator("li").nth(1)).to_contain_text(re.compile(r"[12]\.\d+ dBi"))
    expect(side.locator("li").nth(2)).to_contain_text("is no limit")
    expect(card(page, "|S11|")).to_contain_text(re.compile(r"✓ −1\d\.?\d* dB, limit < −10"))
    page.wait_for_timeout(1000)
    page.get_by_role("link", name="Ledger").first.click()
    row = page.locator("[data-run='3']")
    expect(row.locator("[data-verdict=true]")).to_have_count(1)
    expect(row.locator("[data-verdict=false]")).to_have_count(1)


CURVE = "freq_MHz, S11_dB\n" + "\n".join(
    f"{f}, {-1 - 14 / (1 + ((f - 840) / 40) ** 2):.3f}" for f in range(700, 1000, 5)
)


def test_a_curve_from_elsewhere_is_read_laid_over_and_graded(readout: Page, tmp_path: Path) -> None:
    page = readout
    page.get_by_role("button", name="Add a reference curve").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Columns", exact=True).fill("800 -3\n900 x")
    expect(dialog.get_by_role("alert")).to_contain_text("line 2: “x” is not a number")
    file = tmp_path / "bench.csv"
    file.write_text(CURVE)
    dialog.get_by_label("Curve file").set_input_files(file)
    expect(dialog.get_by_label("Unit of the first column")).to_have_value("MHz")
    expect(dialog.get_by_label("Column 1 is")).to_have_value("s11")
    dialog.get_by_label("Column 1 is").select_option("")
    expect(dialog.get_by_role("alert")).to_contain_text("No column is used")
    dialog.get_by_label("Column 1 is").select_option("s11")
    dialog.get_by_label("Column 1 as").select_option("db20")
    dialog.get_by_role("button", name="Keep the curve").click()
    page.locator("[data-reference=bench]").wait_for()
    expect(card(page, "|S11|").locator("[data-plot]")).to_have_attribute("data-curves", "2")
    card(page, "|S11|").get_by_role("button", name="against bench").click()
    expect(dialog.locator("[data-measure=gdm]")).to_contain_text(re.compile(r"GDM.*\d\.\d{3}"))
    expect(dialog).to_contain_text("run 3 − bench")
    dialog.get_by_label("Close").click()
    page.locator("[data-reference=bench] input").uncheck()
    expect(card(page, "|S11|").locator("[data-plot]")).to_have_attribute("data-curves", "1")


def test_a_formula_of_ones_own(readout: Page) -> None:
    page = readout
    page.get_by_role("button", name="Add a card").click()
    page.get_by_role("menuitem", name="Formula").click()
    own = card(page, "Formula")
    field = own.get_by_role("textbox", name="Formula")
    field.fill("db10(realized_gain/gain)")
    field.press("Enter")
    expect(own.locator("[data-plot]")).to_have_attribute("data-curves", "1")
    expect(own).to_contain_text(re.compile(r"−0\.\d+ dB at the cursor"))
    field = own.get_by_role("textbox", name="Formula")
    field.fill("c0/f/1000000")
    field.press("Enter")
    expect(own).to_contain_text(re.compile(r"\d nm at the cursor"))
    field = own.get_by_role("textbox", name="Formula")
    field.fill("colour + 1")
    field.press("Enter")
    expect(own.get_by_role("alert")).to_contain_text(
        "“colour” is neither a quantity of a run nor a parameter"
    )


def test_an_axis_is_set_by_hand_and_another_quantity_has_its_own(readout: Page) -> None:
    own = card(readout, "|S11|")
    plot = own.locator("[data-plot]")
    expect(plot).to_have_attribute("data-curves", re.compile(r"[1-9]"))
    left = plot.get_attribute("data-curves") or ""
    answers = iter(["-40, -5", "no_such_quantity", "realized_gain", ""])
    readout.on("dialog", lambda d: d.accept(next(answers)))
    menu(readout, "|S11|", "Axis range…")
    menu(readout, "|S11|", "Right axis…")
    expect(own.get_by_role("alert")).to_contain_text("no_such_quantity")
    menu(readout, "|S11|", "Right axis: no_such_quantity…")
    expect(own.get_by_role("alert")).to_have_count(0)
    expect(own).to_contain_text("realized_gain")
    expect(plot).not_to_have_attribute("data-curves", left)
    menu(readout, "|S11|", "Right axis: realized_gain…")
    expect(own).not_to_contain_text("realized_gain")
    expect(plot).to_have_attribute("data-curves", left)


def test_the_page_is_arranged_kept_and_undone(readout: Page, project: int) -> None:
    page = readout

    def names() -> list[str]:
        sections = page.locator("[data-cards] section")
        found: list[str] = sections.evaluate_all(
            "all => all.map((s) => s.getAttribute('aria-label'))"
        )
        return found

    menu(page, "VSWR", "Remove")
    menu(page, "Smith chart", "Later")
    menu(page, "|S11|", "Wider")
    card(page, "Cuts").get_by_label("Form").select_option("cartesian")
    expect(card(page, "Cuts").locator("[data-plot]")).to_have_attribute("data-span", "-180 180")
    assert names()[:2] == ["|S11|", "Cuts"]
    page.reload()  # at once: what was changed last is sent as the page is left
    until(lambda: "cartesian" in json.dumps(call(page, "GET", f"/projects/{project}/readout")))
    page.reload()
    card(page, "|S11|").wait_for()
    assert names()[:2] == ["|S11|", "Cuts"]
    assert "VSWR" not in names()
    expect(card(page, "Cuts").get_by_label("Form")).to_have_value("cartesian")
    box, other = card(page, "|S11|").bounding_box(), card(page, "Figures").bounding_box()
    assert box["width"] > 1.8 * other["width"]
    menu(page, "Figures", "Remove")
    page.locator("body").press("Control+z")
    expect(card(page, "Figures")).to_be_visible()
    page.on("dialog", lambda d: d.accept("survey page"))
    page.get_by_role("button", name=re.compile("▾")).click()
    with page.expect_response(lambda r: "readout-templates" in r.url and r.request.method != "GET"):
        page.get_by_role("menuitem", name="Keep this page as a template…").click()
    arrange(page, "resonant antenna")
    assert "VSWR" in names()
    expect(card(page, "Pattern")).to_be_visible()
    arrange(page, "survey page")
    assert "VSWR" not in names()
    page.get_by_role("button", name=re.compile("▾")).click()
    page.get_by_label("Delete template survey page").click()


def test_animation_and_files(readout: Page, tmp_path: Path) -> None:
    page = readout
    page.get_by_role("button", name="Smith chart: card").click()
    with page.expect_download(timeout=PATIENCE_MS) as download:
        page.get_by_role("menuitem", name="Save as animation over frequency").click()
    file = tmp_path / "a.gif"
    download.value.save_as(file)
    data = file.read_bytes()
    assert data[:6] in (b"GIF89a", b"GIF87a")
    assert data.count(b"\x21\xf9\x04") > 24, "a frame for each point of the sweep"
    page.get_by_label("Play over").select_option("runs")
    page.get_by_role("button", name="|S11|: card").click()
    with page.expect_download(timeout=PATIENCE_MS) as download:
        page.get_by_role("menuitem", name="Save as animation over runs").click()
    download.value.save_as(file)
    assert file.read_bytes().count(b"\x21\xf9\x04") == 3, "a frame for each run"
    page.get_by_label("run 3", exact=True).wait_for()
    for item, start in (
        ("Save as PNG", b"\x89PNG"),
        ("Save as SVG", b"<svg"),
        ("Save as CSV", b"frequency_hz"),
    ):
        page.get_by_role("button", name="|S11|: card").click()
        with page.expect_download() as download:
            page.get_by_role("menuitem", name=item).click()
        download.value.save_as(file)
        assert file.read_bytes().startswith(start), item
        assert file.stat().st_size > 800


def test_currents_move_with_their_phase(readout: Page) -> None:
    page = readout
    arrange(page, "fields and currents")
    own = card(page, "Current")
    own.scroll_into_view_if_needed()
    own.get_by_label("Form").select_option("moment")
    own.get_by_label("Phase").fill("0")
    page.wait_for_timeout(600)
    first = own.screenshot()
    own.get_by_label("Phase").fill("6")
    expect(own).to_contain_text("90°")
    page.wait_for_timeout(600)
    assert own.screenshot() != first
    plane = card(page, "Near field on a plane")
    plane.scroll_into_view_if_needed()
    plane.get_by_label("Field", exact=True).select_option("ez")
    plane.get_by_label("Form").select_option("moment")
    expect(plane.get_by_label("Phase")).to_be_visible()
    plane.get_by_label("Field", exact=True).select_option("s")
    expect(plane).to_contain_text("W/m²")


def test_the_report_prints(readout: Page) -> None:
    page = readout
    page.get_by_label("New spec line").fill("VSWR < 3 from 800 to 860 MHz")
    page.get_by_label("New spec line").press("Enter")
    page.wait_for_timeout(1000)
    page.get_by_role("button", name="Report").click()
    expect(page.get_by_role("heading", name="Mast dipole")).to_be_visible()
    expect(page.get_by_text("VSWR < 3 from 800 to 860 MHz: met")).to_be_visible()
    expect(page.get_by_text("165 mm").first).to_be_visible()
    expect(
        page.get_by_text("Wire rod from (0, 0, −length / 2) to (0, 0, length / 2)")
    ).to_be_visible()
    expect(card(page, "|S11|").locator("[data-plot] canvas")).to_be_visible()
    page.wait_for_timeout(1500)
    pdf = page.pdf(print_background=True, format="A4")
    assert pdf[:4] == b"%PDF"
    assert (
        pdf.count(b"/Type /Page\n")
        + pdf.count(b"/Type /Page ")
        + len(re.findall(rb"/Type\s*/Page\b(?!s)", pdf))
        >= 2
    )
    assert len(pdf) > 100_000, "with its drawings"


def test_the_ledger_notes_pins_compares_searches_and_downloads(
    readout: Page, project: int, tmp_path: Path
) -> None:
    page = readout
    page.get_by_role("link", name="Ledger").first.click()
    note = page.get_by_label("Note on run 2")
    note.fill("a little short")
    note.press("Enter")
    page.locator("[data-run='1']").hover()
    page.get_by_label("Run 1 as the baseline").click()
    expect(page.get_by_label("Run 1 is the baseline")).to_be_visible()
    page.get_by_label("Search runs").fill("little 155")
    expect(page.locator("[data-run]")).to_have_count(1)
    page.get_by_label("Search runs").fill("")
    for n, on in ((3, False), (2, True)):
        page.get_by_label(f"Show run {n}").set_checked(on)
    page.get_by_role("button", name="Differences").click()
    dialog = page.get_by_role("dialog", name="Run 1 against run 2")
    expect(dialog).to_contain_text(re.compile(r"length\s*160 mm\s*155 mm"))
    dialog.get_by_label("Close").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Download").click()
    file = tmp_path / "runs.zip"
    download.value.save_as(file)
    assert "run-2.s1p" in zipfile.ZipFile(file).namelist()


def test_both_themes_and_a_reader(readout: Page, site: str, browser: Browser, project: int) -> None:
    page = readout
    plot = card(page, "|S11|").locator("[data-plot]")
    plot.locator("canvas").wait_for()
    page.wait_for_timeout(500)
    day = plot.screenshot()
    page.keyboard.press("Control+Shift+L")
    page.wait_for_timeout(800)
    assert plot.screenshot() != day
    page.keyboard.press("Control+Shift+L")
    add_person("readout-reader", "reads-only-868")
    call(page, "PUT", f"/projects/{project}/members/readout-reader", {"role": "reader"})
    other = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    sign_in(other, site, "readout-reader", "reads-only-868")
    other.goto(f"{site}/projects/{project}/readout")
    card(other, "|S11|").wait_for()
    assert other.get_by_label("New spec line").count() == 0
    expect(other.get_by_role("button", name="Add a card")).to_be_disabled()
    other.get_by_role("button", name="|S11|: card").click()
    assert other.get_by_role("menuitem", name="Remove").count() == 0
    other.context.close()


def test_twenty_cards_follow_the_cursor(page: Page, site: str, project: int) -> None:
    """Those in view while it is dragged, all where it rests; the frames a second are printed, not
    judged: docs/performance.md.
    """
    call(
        page,
        "PUT",
        f"/projects/{project}/readout",
        {"version": call(page, "GET", f"/projects/{project}/readout")["version"], "content": None},
    )
    kinds = ["s-parameters", "impedance", "vswr", "gain", "efficiency"]
    cards = [
        {"id": f"c{i}", "kind": kinds[i % 5], "width": 1, "height": 1, "settings": {}}
        for i in range(20)
    ]
    state = call(page, "GET", f"/projects/{project}/readout")
    call(
        page,
        "PUT",
        f"/projects/{project}/readout",
        {
            "version": state["version"],
            "content": {"template": "many", "cards": cards, "markers": [], "specs": []},
        },
    )
    page.goto(f"{site}/projects/{project}/readout")
    card(page, "|S11|").first.locator("[data-cursor-line]").wait_for()
    frames = page.evaluate("""() => new Promise((done) => {
      const slider = document.getElementById('cursor');
      const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
      let n = 0; const start = performance.now();
      const step = () => {
        set.call(slider, String(n % 31));
        slider.dispatchEvent(new Event('input', { bubbles: true }));
        n += 1;
        if (performance.now() - start < 1000) requestAnimationFrame(step); else done(n);
      };
      requestAnimationFrame(step);
    })""")
    print(json.dumps({"frames_per_second": frames}))
    slider = page.locator("#cursor")
    lines = page.locator("[data-cursor-line]")
    assert lines.count() == 20
    slider.fill("3")
    places = "[...document.querySelectorAll('[data-cursor-line]')].map((e) => e.style.transform)"
    alike = f"() => {{ const p = {places}; return p.every((q, i) => q === p[i % 5]); }}"
    page.wait_for_function(alike)
    # No timer fires between microtasks: what moves in them moves with the cursor itself.
    left, now = page.evaluate(
        """async () => {
      const slider = document.getElementById('cursor'), left = PLACES;
      Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(slider, '28');
      slider.dispatchEvent(new Event('input', { bubbles: true }));
      for (let i = 0; i < 100; i += 1) await null;
      return [left, PLACES];
    }""".replace("PLACES", places)
    )
    moved = [a != b for a, b in zip(now, left, strict=True)]
    assert all(moved[:6]) and not moved[-1], "those in view move with it, those out of view wait"
    page.wait_for_function(alike)
    assert all(a != b for a, b in zip(page.evaluate(f"() => {places}"), left, strict=True)), (
        "all of them where it rests"
    )
