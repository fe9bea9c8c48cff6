"""Readout pages, formulas, spec lines, reference curves, comparisons and files, over HTTP on the
real database.
"""

from __future__ import annotations

import io
import json
import zipfile
from time import perf_counter

import numpy as np
import pytest
import skrf

from heron.results import patterns
from server.projects.models import Project
from server.runs import store
from server.runs.models import Run
from tests.models import planned
from tests.server.conftest import Api, solved, unpacked

pytestmark = pytest.mark.django_db


@pytest.fixture
def at(project: Project) -> str:
    return f"/projects/{project.id}"


@pytest.fixture
def run(api: Api, project: Project) -> int:
    return solved(api, project.id)


CARD = {
    "id": "a",
    "kind": "s-parameters",
    "width": 2,
    "height": 1,
    "settings": {"form": "dB", "all": True, "level": -10},
}


def test_a_page_is_kept_and_conflicts_lose_nothing(
    api: Api, reader: Api, stranger: Api, at: str
) -> None:
    assert api.ask("get", f"{at}/readout").json() == {"version": 0, "content": None}
    content = {
        "template": "resonant antenna",
        "cards": [CARD],
        "markers": [{"id": "m", "card": "a", "name": "m1", "mode": "at", "x": 868e6}],
        "specs": [{"id": "s", "text": "VSWR < 2"}],
    }
    saved = api.ask("put", f"{at}/readout", {"version": 0, "content": content})
    assert saved.status_code == 200, saved.json()
    assert saved.json()["version"] == 1
    read = reader.ask("get", f"{at}/readout").json()
    assert read["content"]["cards"] == [CARD]
    assert read["content"]["markers"][0]["x"] == 868e6
    late = api.ask("put", f"{at}/readout", {"version": 0, "content": {**content, "cards": []}})
    assert late.status_code == 409
    assert late.json()["content"]["cards"] == [CARD]
    assert reader.ask("put", f"{at}/readout", {"version": 1, "content": content}).status_code == 403
    assert stranger.ask("get", f"{at}/readout").status_code == 404


@pytest.mark.parametrize(
    ("card", "path"),
    [
        ({**CARD, "width": 9}, "width"),
        ({**CARD, "colour": "red"}, "colour"),
        ({**CARD, "settings": {"a": "x" * 5000}}, "settings"),
    ],
)
def test_pages_that_are_none(api: Api, at: str, card: dict, path: str) -> None:
    answer = api.ask("put", f"{at}/readout", {"version": 0, "content": {"cards": [card]}})
    assert answer.status_code == 422
    assert any(path in e["path"] for e in answer.json()["errors"])


def test_templates_belong_to_their_owner(api: Api, editor: Api) -> None:
    assert api.ask("put", "/projects/readout-templates/mine", {"cards": [CARD]}).status_code == 204
    assert (
        api.ask(
            "put", "/projects/readout-templates/mine", {"cards": [CARD, {**CARD, "id": "b"}]}
        ).status_code
        == 204
    )
    assert [
        (t["name"], len(t["cards"])) for t in api.ask("get", "/projects/readout-templates").json()
    ] == [("mine", 2)]
    assert editor.ask("get", "/projects/readout-templates").json() == []
    assert editor.ask("delete", "/projects/readout-templates/mine").status_code == 404
    assert api.ask("delete", "/projects/readout-templates/mine").status_code == 204


def test_curves_by_formula(api: Api, stranger: Api, project: Project, at: str, run: int) -> None:
    formulas = ["db20(s11)", "s11", "f*length/c0", "nonsense", "gain(90 deg, 0)"]
    answer = api.ask(
        "post",
        f"{at}/curves",
        {"sources": [f"run {run}", "run 99", "tree 1"], "formulas": formulas},
    )
    assert answer.status_code == 404, "a run that is not there"
    header, arrays = unpacked(
        api.ask(
            "post", f"{at}/curves", {"sources": [f"run {run}", "tree 1"], "formulas": formulas}
        ).content
    )
    s = store.load(Run.objects.get(project=project, number=run).id)["s"].values[:, 0, 0]
    assert np.allclose(arrays["re0.0"], 20 * np.log10(np.abs(s)), atol=1e-4)
    assert np.allclose(arrays["re0.1"] + 1j * arrays["im0.1"], s, atol=1e-6)
    assert arrays["re0.2"].max() < 1
    assert [c["error"] == "" for c in header["curves"][0]] == [True, True, True, False, True]
    assert "neither a quantity" in header["curves"][0][3]["error"]
    assert "a source of curves is" in header["curves"][1][0]["error"]
    assert stranger.ask("post", f"{at}/curves", {"sources": [], "formulas": []}).status_code == 404
    assert (
        stranger.ask(
            "post", f"{at}/curves", {"sources": [f"run {run}"], "formulas": ["f"]}
        ).status_code
        == 404
    )


def test_spec_lines_are_judged_for_every_run(api: Api, project: Project, at: str, run: int) -> None:
    longer = solved(api, project.id, length="0.6 * lambda0")
    lines = api.ask(
        "post",
        f"{at}/specs",
        {
            "texts": [
                "|S11| < -10 dB from 860 to 876 MHz",
                "gain > 1.5 dBi at theta = 90",
                "much < more",
            ]
        },
    ).json()
    assert lines[0]["verdicts"][str(run)]["passed"] is True
    assert lines[0]["verdicts"][str(longer)]["passed"] is False
    assert lines[0]["spec"]["low_hz"] == 860e6
    assert lines[1]["verdicts"][str(run)]["passed"] is True
    assert "is no limit" in lines[2]["error"]


REFERENCE = "freq_MHz,S11_dB\n" + "\n".join(
    f"{f},{-5 - abs(f - 868) % 7}" for f in range(780, 960, 4)
)


def test_reference_curves_from_preview_to_grade(api: Api, reader: Api, at: str, run: int) -> None:
    seen = api.ask(
        "post", "/projects/reference-preview", {"text": REFERENCE, "filename": "bench.csv"}
    ).json()
    assert (
        seen["x_unit"],
        seen["count"],
        seen["columns"][0]["quantity"],
        seen["columns"][0]["form"],
    ) == ("MHz", 45, "s11", "db20")
    wrong = api.ask(
        "post", "/projects/reference-preview", {"text": REFERENCE, "columns": [{"quantity": ""}]}
    ).json()
    assert "no column is used" in wrong["error"]
    assert api.ask("post", "/projects/reference-preview", {"text": "nothing"}).status_code == 422
    made = api.ask(
        "post",
        f"{at}/references",
        {"name": "bench curve", "text": REFERENCE, "filename": "bench.csv"},
    )
    assert made.status_code == 201, made.json()
    assert made.json()["points"] == 45
    assert (
        reader.ask("post", f"{at}/references", {"name": "x", "text": REFERENCE}).status_code == 403
    )
    header, arrays = unpacked(
        api.ask(
            "post", f"{at}/curves", {"sources": ["reference 1"], "formulas": ["db20(s11)", "gain"]}
        ).content
    )
    assert arrays["re0.0"][0] == pytest.approx(-5 - 88 % 7, abs=1e-4)
    assert header["curves"][0][1]["error"]
    grade = api.ask(
        "post",
        f"{at}/grade",
        {"first": f"run {run}", "second": "reference 1", "formula": "db20(s11)"},
    ).json()
    assert grade["gdm"] > 0.1
    assert sum(grade["histogram"]["gdm"].values()) == pytest.approx(1)
    assert len(grade["difference"]) == len(grade["x_hz"])
    same = api.ask(
        "post",
        f"{at}/grade",
        {"first": f"run {run}", "second": f"run {run}", "formula": "db20(s11)", "low_hz": 800e6},
    ).json()
    assert (same["gdm"], same["grade"]) == (0, "excellent")
    assert min(same["x_hz"]) >= 800e6
    assert (
        "complex"
        in api.ask(
            "post",
            f"{at}/grade",
            {"first": f"run {run}", "second": "reference 1", "formula": "s11"},
        ).json()["title"]
    )
    assert api.ask("patch", f"{at}/references/1", {"name": "other"}).json()["name"] == "other"
    assert api.ask("delete", f"{at}/references/1").status_code == 204
    assert api.ask("get", f"{at}/references").json() == []


def test_a_pattern_from_elsewhere(api: Api, at: str) -> None:
    text = "theta (deg), gain (dBi)\n" + "\n".join(
        f"{a},{-abs(a) / 10}" for a in range(-90, 91, 10)
    )
    assert (
        api.ask("post", f"{at}/references", {"name": "cut", "text": text}).json()["axis"] == "angle"
    )
    cut = api.ask("get", f"{at}/references/1/cut").json()
    assert cut["level_db"]["gain"][0] == pytest.approx(-9)


def test_patterns_directions_and_phase_centre(
    api: Api, project: Project, at: str, run: int
) -> None:
    here = f"{at}/runs/{run}"
    cut = api.ask(
        "get", f"{at}/cuts?runs={run}&frequency=868e6&planes=phi=0,theta=90&quantity=directivity"
    ).json()[0]
    assert cut[0]["beamwidth_deg"] == pytest.approx(79, abs=2)
    assert max(cut[1]["level_dbi"]) == pytest.approx(2.1, abs=0.1)
    assert (
        max(
            api.ask(
                "get", f"{at}/cuts?runs={run}&frequency=868e6&planes=phi=0&component=theta,phi"
            ).json()[1][0]["level_dbi"]
        )
        < -60
    )
    assert (
        "a component is one of"
        in api.ask("get", f"{at}/cuts?runs={run}&frequency=868e6&component=up").json()["title"]
    )
    assert (
        "a cut is named"
        in api.ask("get", f"{at}/cuts?runs={run}&frequency=868e6&planes=north").json()["title"]
    )
    header, arrays = unpacked(
        api.ask("get", f"{here}/pattern?frequency=868e6&step=1&quantity=gain").content
    )
    assert arrays["level_dbi"].shape == (181, 361)
    results = store.load(Run.objects.get(project=project, number=run).id)
    assert header["peak_dbi"] == pytest.approx(
        patterns.figures(results, [patterns.nearest_index(results, 868e6)])[0].gain_dbi, abs=0.01
    )
    ellipse = api.ask("get", f"{here}/polarisation?frequency=868e6&theta=90&phi=10").json()
    assert ellipse["axial_ratio_db"] > 60
    assert ellipse["realized_gain_dbi"]["theta"] == pytest.approx(
        ellipse["realized_gain_dbi"]["total"], abs=1e-6
    )
    assert ellipse["realized_gain_dbi"]["right"] == pytest.approx(
        ellipse["realized_gain_dbi"]["total"] - 3.01, abs=0.01
    )
    centre = api.ask("get", f"{here}/phase-centre?theta=90&phi=0&cone=20").json()["rows"]
    assert np.abs(centre[0]["place_m"]).max() < 0.02, "a dipole's phase centre is its middle"
    assert api.ask("get", f"{here}/phase-centre?cone=200").status_code == 422
    assert "at most a tenth" in api.ask("get", f"{here}/time-domain").json()["title"]


def test_notes_baseline_and_differences(
    api: Api, reader: Api, project: Project, at: str, run: int
) -> None:
    document = api.ask("get", at).json()
    changed = document["document"]
    changed = planned(changed, points="11")
    changed["notes"] = "shorter sweep"
    assert (
        api.ask(
            "post", f"{at}/revisions", {"parent": document["revision"], "document": changed}
        ).status_code
        == 200
    )
    other = solved(api, project.id, length="0.5 * lambda0")
    assert (
        api.ask("patch", f"{at}/runs/{run}", {"note": "as built", "baseline": True}).json()["note"]
        == "as built"
    )
    assert api.ask("patch", f"{at}/runs/{other}", {"baseline": True}).status_code == 200
    lines = {r["number"]: r for r in api.ask("get", f"{at}/runs").json()}
    assert (lines[run]["baseline"], lines[other]["baseline"], lines[run]["note"]) == (
        False,
        True,
        "as built",
    )
    assert lines[run]["engine"] == "moments"
    assert lines[run]["efficiency"] > 0.9
    assert reader.ask("patch", f"{at}/runs/{run}", {"note": "x"}).status_code == 403
    found = api.ask("get", f"{at}/differences?first={run}&second={other}").json()
    assert "length" in [v["name"] for v in found["values"]]
    assert any(s["field"] == "points" and s["second"] == "11" for s in found["steps"])
    assert any(r["name"] == "revision" for r in found["results"])


def test_files_of_runs(api: Api, stranger: Api, project: Project, at: str, run: int) -> None:
    whole = zipfile.ZipFile(io.BytesIO(api.ask("get", f"{at}/export?runs={run}").content))
    assert sorted(whole.namelist()) == [f"run-{run}-ports.csv", f"run-{run}.nc", f"run-{run}.s1p"]
    source = io.StringIO(whole.read(f"run-{run}.s1p").decode())
    source.name = "run.s1p"
    assert skrf.Network(source).s.shape[1:] == (1, 1)
    assert api.ask("get", f"{at}/export?runs=a").status_code == 422
    assert stranger.ask("get", f"{at}/export?runs={run}").status_code == 404
    glb = api.ask("get", f"{at}/runs/{run}/export/pattern.glb?frequency=868e6").content
    assert glb[:4] == b"glTF"
    size = int.from_bytes(glb[12:16], "little")
    gltf = json.loads(glb[20 : 20 + size])
    meshes = {
        m["name"]: gltf["accessors"][m["primitives"][0]["attributes"]["POSITION"]]
        for m in gltf["meshes"]
    }
    sides = {name: np.subtract(a["max"], a["min"]) for name, a in meshes.items()}
    assert sides["pattern"][1] < 0.9 * sides["pattern"][0], (
        "a dipole's pattern is a flat ring, and y is up"
    )
    rod = next(s for name, s in sides.items() if name != "pattern")
    assert max(rod) == pytest.approx(0.1603, abs=1e-3), "the structure is in it, in m"


def test_near_fields_as_vtk_and_their_decay(api: Api, project: Project, at: str) -> None:
    document = api.ask("get", at).json()
    changed = document["document"]
    changed["captures"] += [
        {
            "kind": "near_line",
            "name": "out",
            "start": ["0.5 m", "0", "0"],
            "end": ["1.5 m", "0", "0"],
            "count": "41",
        },
        {
            "kind": "near_plane",
            "name": "sheet",
            "corner": ["0.1 m", "0", "0"],
            "along": ["0.2 m", "0", "0"],
            "across": ["0", "0", "0.3 m"],
            "counts": ["3", "4"],
        },
    ]
    answer = api.ask(
        "post", f"{at}/revisions", {"parent": document["revision"], "document": changed}
    )
    assert answer.status_code == 200, answer.json()
    run = solved(api, project.id)
    fit = api.ask("get", f"{at}/runs/{run}/decay/out?frequency=868e6").json()
    k = 2 * np.pi * 868e6 / 299792458
    assert fit["beta_rad_per_m"] == pytest.approx(k, rel=0.02), "a wave outwards"
    assert fit["length_m"] > 0
    text = api.ask("get", f"{at}/runs/{run}/export/near/sheet.vtk?frequency=868e6").content.decode()
    _, whole = unpacked(api.ask("get", f"{at}/runs/{run}/near/sheet?frequency=868e6").content)
    _, part = unpacked(
        api.ask("get", f"{at}/runs/{run}/near/sheet?frequency=868e6&quantity=ez").content
    )
    _, power = unpacked(
        api.ask("get", f"{at}/runs/{run}/near/sheet?frequency=868e6&quantity=sx").content
    )
    assert (whole["re"].shape, part["re"].shape, "re" in power) == ((12, 3), (12, 1), False)
    assert np.allclose(part["value"], np.hypot(part["re"], part["im"])[:, 0], rtol=1e-5)
    assert power["value"].min() > 0, "power flows away from a dipole"
    assert (
        "a near field shows"
        in api.ask("get", f"{at}/runs/{run}/near/sheet?frequency=868e6&quantity=mood").json()[
            "title"
        ]
    )
    assert "DIMENSIONS 3 4 1" in text
    assert text.count("VECTORS") == 4
    points = np.array(
        [
            [float(v) for v in line.split()]
            for line in text.split("POINTS 12 double\n")[1].split("\n")[:12]
        ]
    )
    assert np.allclose(points[1] - points[0], [0.1, 0, 0]), "the first count is the fastest"
    assert (
        api.ask("get", f"{at}/runs/{run}/export/near/nowhere.vtk?frequency=868e6").status_code
        == 404
    )


def test_a_fine_pattern_opens_within_a_second(api: Api, project: Project, at: str) -> None:
    """201 frequencies, 1° x 1°: only the one at the cursor is worked out."""
    document = api.ask("get", at).json()
    changed = document["document"]
    changed = planned(changed, points="201")
    api.ask("post", f"{at}/revisions", {"parent": document["revision"], "document": changed})
    run = solved(api, project.id)
    store.load.cache_clear()
    times = []
    for f in (800e6, 868e6, 900e6):
        begun = perf_counter()
        answer = api.ask("get", f"{at}/runs/{run}/pattern?frequency={f}&step=1")
        times.append(perf_counter() - begun)
        assert answer.status_code == 200
    print(
        f"first {times[0]:.2f} s, then {times[1]:.3f} and {times[2]:.3f} s;"
        f" {len(answer.content) / 1e3:.0f} kB each"
    )
    assert len(answer.content) < 300_000
