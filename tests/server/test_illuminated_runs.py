"""Runs of illuminated models through the API: what they offer and refuse, their noise floor."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from heron.results import cross_sections, near
from server.errors import Problem
from server.projects.actions import create_project
from server.projects.models import Project
from server.runs import store
from server.runs.fields import CaptureField, without
from server.runs.models import Run
from tests.server.conftest import Api, solved, unpacked

BALL: dict[str, Any] = {
    "version": 1,
    "name": "ball",
    "parts": [
        {"kind": "sphere", "name": "ball", "radius": "20 mm", "material": "perfect conductor"}
    ],
    "illuminations": [
        {"name": "lamp", "amplitude": "2 V/m"},
        {"name": "side lamp", "travels": ["1", "0", "0"], "electric": ["0", "0", "1"]},
    ],
    "captures": [
        {"kind": "scattered_cut", "name": "cut", "phi": "0", "step": "10 deg"},
        {"kind": "near_point", "name": "beside", "point": ["0", "0", "-25 mm"]},
    ],
    "plan": {
        "engine": "transient",
        "f_start": "1.5 GHz",
        "f_stop": "3 GHz",
        "points": "4",
        "cells_per_wavelength": "10",
        "decay": "30",
        "rounds": "1",
    },
}


@pytest.fixture
def ball(owner: Any) -> Project:
    from heron.model import load_document

    return create_project(owner, load_document(BALL))


def test_a_lit_run_offers_cross_sections_and_refuses_ports(api: Api, ball: Project) -> None:
    number = solved(api, ball.id)
    base = f"/projects/{ball.id}/runs/{number}"
    run = Run.objects.get(project=ball, number=number)
    results = store.load(run.id)
    sweep = api.ask("get", f"{base}/sweep").json()
    assert sweep["ports"] == [] and sweep["receives"] == [] and sweep["provides"] == ["scattering"]
    assert [(light["name"], round(light["theta_deg"])) for light in sweep["illuminations"]] == [
        ("lamp", 180),
        ("side lamp", 90),
    ]
    line = api.ask("get", base).json()
    assert (
        "dBsm at" in line["headline"]["text"]
        and line["trust"][0]["name"] == "Error of the radar cross-section"
    )
    assert line["grade"] == "C", "ten cells a wavelength are too few for a cross-section"

    cut = api.ask("get", f"{base}/scattered?frequency=3e9&phi=0,90").json()
    assert [c["phi_deg"] for c in cut] == [0, 90]
    assert cut[0]["level_dbsm"][180] == pytest.approx(
        10 * np.log10(cross_sections.monostatic(results)[-1]), abs=1e-3
    )
    other = api.ask("get", f"{base}/scattered?frequency=3e9&phi=0&illumination=1").json()
    assert other[0]["level_dbsm"][270] == pytest.approx(
        10 * np.log10(cross_sections.monostatic(results, 1)[-1]), abs=1e-3
    )

    header, arrays = unpacked(
        api.ask(
            "post",
            f"/projects/{ball.id}/curves",
            {
                "sources": [f"run {number}"],
                "formulas": ["rcs", "rcs(90 deg, 0)", "absorbed_section", "s11"],
            },
        ).content
    )
    assert np.allclose(arrays["re0.0"], cross_sections.monostatic(results), rtol=1e-5)
    assert header["curves"][0][0]["unit"] == "m²"
    assert "this run has no s11; it has f, rcs" in header["curves"][0][3]["error"]

    field, values = unpacked(api.ask("get", f"{base}/near/beside?frequency=3e9&quantity=r").content)
    assert "error" not in values, "one round says nothing"
    assert 0.2 < values["value"][0] < 3, "times the incident field"
    assert field["kind"] == "near_point"
    for what, share in (("ex", 1.0), ("s", None)):
        steady, raw = (
            unpacked(
                api.ask("get", f"{base}/near/beside?frequency=2e9&quantity={what}{more}").content
            )[1]["value"][0]
            for more in ("", "&raw=true")
        )
        level = abs(results["pulse_spectrum"].values[1, 0])
        assert raw == pytest.approx(steady * (level if share else level**2), rel=1e-5), (
            "raw pulse spectrum"
        )
    wide = unpacked(
        api.ask("get", f"{base}/near/beside?frequency=2e9&quantity=ex&width=2e9").content
    )
    assert set(wide[1]) == {"points", "value"}, "an average does not move"
    assert wide[1]["value"][0] == pytest.approx(
        near.averaged(results, 1, np.array([[0, 0, -0.025]]), "beside", 2e9, "ex")[0], rel=1e-5
    )
    assert (
        "fewer than three points within 10 MHz"
        in api.ask("get", f"{base}/near/beside?frequency=2e9&width=1e7").json()["title"]
    )
    assert api.ask("get", f"{base}/near/beside?frequency=2e9&width=2e9&raw=true").status_code == 422
    rows = api.ask("get", f"{base}/export/scattering.csv").content.decode().splitlines()
    assert rows[0].startswith("frequency_hz,theta_deg") and len(rows) == 1 + 2 * (4 + 36)
    for path in (
        "export/touchstone",
        "export/ports.csv",
        "export/pattern.csv?frequency=3e9",
        "time-domain",
        "polarisation?frequency=3e9",
    ):
        answer = api.ask("get", f"{base}/{path}")
        assert answer.status_code == 422 and "has no" in answer.json()["title"], path
    assert (
        api.ask("get", f"/projects/{ball.id}/cuts?runs={number}&frequency=3e9").status_code == 422
    )
    assert api.ask("get", f"{base}/scattered?frequency=3e9&phi=up").status_code == 422
    assert api.ask("get", f"{base}/scattered?frequency=3e9&illumination=7").status_code == 404


def test_over_layers_there_are_cross_sections_above_and_below(api: Api, owner: Any) -> None:
    from heron.model import load_document

    sunk = {
        **BALL,
        "illuminations": [{"name": "lamp", "travels": ["0.3", "0", "-1"]}],
        "surround": {"layers": [{"material": "optical glass"}]},
    }
    project = create_project(owner, load_document(sunk))
    number = solved(api, project.id)
    base = f"/projects/{project.id}/runs/{number}"
    sweep = api.ask("get", f"{base}/sweep").json()
    assert sweep["provides"] == ["scattering"] and sweep["layered"]
    _, arrays = unpacked(
        api.ask(
            "post",
            f"/projects/{project.id}/curves",
            {
                "sources": [f"run {number}"],
                "formulas": [
                    "scattered_section",
                    "scattered_below_section",
                    "extinction_section",
                    "rcs",
                ],
            },
        ).content
    )
    scattered, below, extinction, back = (arrays[f"re0.{n}"] for n in range(4))
    assert (below < scattered).all() and (below > 0.1 * scattered).all()
    assert np.allclose(scattered, extinction, rtol=0.1), "ten cells a wavelength"
    cut = api.ask("get", f"{base}/scattered?frequency=3e9&phi=0").json()[0]
    level = np.array(cut["level_dbsm"])
    assert level[90] < level.max() - 40, "nothing goes along the layers"
    theta = round(np.degrees(np.arctan(0.3)))
    assert level[360 - theta] == pytest.approx(10 * np.log10(back[-1]), abs=0.1), "back to the lamp"
    header, _ = unpacked(api.ask("get", f"{base}/pattern?frequency=3e9&step=10").content)
    assert header["peak_dbi"] == pytest.approx(level.max(), abs=3)
    card = api.ask("get", base).json()["trust"]
    assert "Scattered + absorbed = taken out" in [i["name"] for i in card]
    rows = Run.objects.get(project=project, number=number).summary["cross_sections"]
    assert rows[-1]["scattered_below_m2"] == pytest.approx(below[-1], rel=1e-5)


def test_repeated_cells_send_back_and_let_through(api: Api, owner: Any) -> None:
    from heron.model import load_document

    cell = {
        "version": 1,
        "name": "pane",
        "parts": [
            {
                "kind": "box",
                "name": "pane",
                "corner": ["-10 mm", "-10 mm", "-5 mm"],
                "size": ["20 mm", "20 mm", "5 mm"],
                "material": "PTFE",
            }
        ],
        "illuminations": [{"name": "lamp", "travels": ["0", "0", "-1"]}],
        "surround": {"period": ["20 mm", "20 mm", None]},
        "captures": [{"kind": "near_point", "name": "inside", "point": ["0", "0", "-2 mm"]}],
        "plan": BALL["plan"] | {"rounds": "3"},
    }
    project = create_project(owner, load_document(cell))
    number = solved(api, project.id)
    base = f"/projects/{project.id}/runs/{number}"
    assert api.ask("get", f"{base}/sweep").json()["provides"] == ["cells"]
    line = api.ask("get", base).json()
    assert line["headline"]["text"].startswith("reflects −") and [i["name"] for i in line["trust"]][
        :3
    ] == ["Error of the reflection", "Error of the transmission", "Power in = power out"]
    header, arrays = unpacked(
        api.ask(
            "post",
            f"/projects/{project.id}/curves",
            {
                "sources": [f"run {number}"],
                "formulas": [
                    "reflectance + transmittance + absorptance",
                    "abs(transmission)^2 - transmittance",
                    "rcs",
                    "gain(0, 0)",
                ],
            },
        ).content
    )
    assert np.allclose(arrays["re0.0"], 1, atol=0.01) and np.abs(arrays["re0.1"]).max() < 1e-3
    assert all("has no" in header["curves"][0][n]["error"] for n in (2, 3))
    field, values = unpacked(api.ask("get", f"{base}/near/inside?frequency=3e9&quantity=r").content)
    assert field["kind"] == "near_point" and 0.5 < values["value"][0] < 1
    assert values["error"].shape == (1, 2) and (values["error"] < 0.2).all(), (
        "shares by which E and H may be off, from rounds"
    )
    rows = api.ask("get", f"{base}/export/scattering.csv").content.decode().splitlines()
    assert rows[0].startswith("frequency_hz,reflectance,transmittance") and len(rows) == 5
    assert api.ask("get", f"{base}/pattern?frequency=3e9").status_code == 422
    assert api.ask("get", f"{base}/scattered?frequency=3e9").status_code == 422


def test_the_noise_floor_is_a_run_of_its_own(api: Api, ball: Project) -> None:
    number = solved(api, ball.id, empty=True)
    line = api.ask("get", f"/projects/{ball.id}/runs/{number}").json()
    assert line["empty"] and line["cells"] == int(
        store.load(Run.objects.get(project=ball, number=number).id).attrs["cells"]
    )
    assert api.ask("get", f"/projects/{ball.id}/runs/{number}/sweep").json()["provides"] == [
        "noise floor",
        "scattering",
    ]
    assert line["headline"]["text"].startswith("noise floor −")
    run = Run.objects.get(project=ball, number=number)
    assert run.summary["noise_floor_db"] < -90
    assert [i["name"] for i in line["trust"]] == ["Noise floor"]

    # Total fields less those of the empty box are what the ball adds.
    whole = solved(api, ball.id)
    ask = f"/projects/{ball.id}/runs/{whole}/near/beside?frequency=3e9"
    total, empty = (
        near.near_field(
            store.load(Run.objects.get(project=ball, number=n).id), 3, np.array([[0, 0, -0.025]])
        )[0]
        for n in (whole, number)
    )
    _, values = unpacked(api.ask("get", f"{ask}&minus={number}").content)
    assert values["value"][0] == pytest.approx(np.linalg.norm(total - empty) / np.sqrt(2), rel=1e-4)
    assert np.linalg.norm(empty) > 0.5
    assert api.ask("get", f"{ask}&minus=99").status_code == 404
    one = CaptureField("beside", "near_point", 3e9, [1], np.array([[0, 0, -0.025]]), total, total)
    for other, words in (
        (replace(one, points=one.points * 1.1), "at other points"),
        (replace(one, frequency=2.9e9), "no field at 3 GHz"),
    ):
        with pytest.raises(Problem, match=words):
            without(one, other, 7)


def test_a_driven_model_has_no_noise_floor_and_no_cross_section(api: Api, project: Project) -> None:
    refused = api.ask("post", f"/projects/{project.id}/runs", {"empty": True})
    assert refused.status_code == 422 and "add a plane wave" in refused.json()["title"]
    number = solved(api, project.id)
    base = f"/projects/{project.id}/runs/{number}"
    assert api.ask("get", f"{base}/scattered?frequency=9e8").status_code == 422
    assert api.ask("get", f"{base}/export/scattering.csv").status_code == 422
    header, _ = unpacked(
        api.ask(
            "post",
            f"/projects/{project.id}/curves",
            {"sources": [f"run {number}"], "formulas": ["rcs"]},
        ).content
    )
    assert "this run has no rcs; it has f, s11" in header["curves"][0][0]["error"]


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ({"surround": {"box": "1 mm"}}, "does not clear the model"),
        ({"surround": {"box": "100 mm"}}, "open walls"),
        ({"surround": {"margin": "5 mm"}}, "move the walls at least"),
        ({"surround": {"kind": "ground", "height": "-40 mm"}}, "comes from open space"),
        ({"surround": {"layers": [{"material": "moonrock"}]}}, "no medium “moonrock”"),
        (
            {"surround": {"top": "-30 mm", "layers": [{"material": "FR4"}, {"material": "FR4"}]}},
            "only the lowest layer",
        ),
        (
            {
                "captures": [{"kind": "near_point", "name": "far off", "point": ["0", "0", "9 m"]}],
                "surround": {"top": "-30 mm", "layers": [{"material": "optical glass"}]},
            },
            "beyond the walls, and over layers",
        ),
        (
            {
                "captures": [
                    {
                        "kind": "near_line",
                        "name": "long",
                        "start": ["0", "0", "-300 mm"],
                        "end": ["0", "0", "-25 mm"],
                    }
                ]
            },
            "on both sides of the total-field box",
        ),
        (
            {
                "captures": [
                    {"kind": "near_point", "name": "there", "point": ["0", "0", "-73 mm"]}
                ],
                "surround": {"margin": "80 mm", "box": "52 mm"},
            },
            "where the wave enters",
        ),
        (
            {
                "captures": [
                    {
                        "kind": "near_point",
                        "name": "late",
                        "point": ["0", "0", "-25 mm"],
                        "opens": "2 ns",
                        "closes": "1 ns",
                    }
                ]
            },
            "closes before it opens",
        ),
        (
            {
                "captures": [
                    {
                        "kind": "near_point",
                        "name": "late",
                        "point": ["0", "0", "-25 mm"],
                        "opens": "1 ms",
                    }
                ]
            },
            "before it opens; open it earlier",
        ),
        (
            {
                "captures": [
                    {
                        "kind": "near_point",
                        "name": "far",
                        "point": ["0", "0", "-9 m"],
                        "reading": "nearest grid point",
                    }
                ]
            },
            "between them only",
        ),
        (
            {"captures": [{"kind": "point_trace", "name": "far", "point": ["0", "0", "-9 m"]}]},
            "against time it is recorded between them only",
        ),
        (
            {"captures": [{"kind": "far_trace", "name": "away", "distance": "0"}]},
            "distance must be above zero",
        ),
        (
            {"captures": [{"kind": "far_trace", "name": "away", "theta": "190 deg"}]},
            "between 0 and 180",
        ),
        (
            {
                "captures": [{"kind": "far_trace", "name": "away"}],
                "surround": {"top": "-30 mm", "layers": [{"material": "optical glass"}]},
            },
            "open space only",
        ),
        (
            {
                "captures": [],
                "surround": {"top": "-30 mm", "layers": [{"material": "FR4"}]},
                "illuminations": [{"name": "lamp"}],
            },
            "takes power from it",
        ),
        (
            {
                "captures": [],
                "surround": {"top": "-30 mm", "layers": [{"material": "optical glass"}]},
                "illuminations": [
                    {"name": "lamp", "travels": ["1", "0", "1"], "electric": ["0", "1", "0"]}
                ],
            },
            "reflect this wave as a whole",
        ),
        ({"illuminations": [{"name": "lamp", "travels": ["0", "0", "0"]}]}, "travels nowhere"),
        ({"illuminations": [{"name": "lamp", "electric": ["0", "0", "1"]}]}, "lies along the wave"),
        (
            {"illuminations": [{"kind": "gaussian_beam", "name": "lamp", "waist": "90 mm"}]},
            "narrower than half a wavelength, 99.9 mm",
        ),
        (
            {"illuminations": [{"kind": "gaussian_beam", "name": "lamp", "waist": "0"}]},
            "waist must be above zero",
        ),
        (
            {
                "illuminations": [
                    {
                        "kind": "gaussian_beam",
                        "name": "lamp",
                        "waist": "100 mm",
                        "focus": ["0", "0", "60 m"],
                    }
                ]
            },
            "plane waves, and up to",
        ),
        ({"illuminations": [{"name": "lamp", "amplitude": "0 V/m"}]}, "every amplitude is zero"),
        ({"illuminations": [{"name": "lamp"}, {"name": "lamp"}]}, "already the name"),
        ({"illuminations": []}, "needs an illumination"),
        (
            {
                "illuminations": [{"kind": "gaussian_beam", "name": "lamp", "waist": "100 mm"}],
                "plan": {**BALL["plan"], "engine": "moments"},
            },
            "has plane waves only",
        ),
        (
            {
                "materials": [
                    {
                        "kind": "table",
                        "name": "short",
                        "rows": [["1.6 GHz", "4", "0"], ["2 GHz", "3", "0"]],
                    }
                ],
                "parts": [{**BALL["parts"][0], "material": "short"}],
            },
            "does not cover the band",
        ),
        (
            {
                "materials": [
                    {
                        "kind": "dispersive",
                        "name": "odd",
                        "permittivity": "0.5",
                        "debye": [{"strength": "1", "time": "1 ns"}],
                    }
                ]
            },
            "vacuum, 1, at least",
        ),
    ],
)
def test_what_would_spoil_a_lit_run_is_said_before_it(
    api: Api, change: dict[str, Any], message: str
) -> None:
    found = api.ask("post", "/projects/examine", {"document": {**BALL, **change}}).json()
    errors = [p["message"] for p in found["problems"] if p["level"] == "error"]
    assert any(message in e for e in errors), errors
