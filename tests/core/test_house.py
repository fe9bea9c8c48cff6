"""A new engine and a new capability are one file each: this one has both, and they go through
preflight, forecast, solve, summary, formulas, spec lines, trust and the command line.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import Any

import numpy as np
import pytest
import xarray as xr

from heron import fields
from heron.checks import examine, trust_card
from heron.cli import main
from heron.engines import ENGINES, NO_INPUTS, Event, Forecast, Inputs, Stage, Verdict, silent
from heron.engines.contract import Change, Progress, View, band
from heron.errors import ModelError, QuantityError
from heron.fields import radiator_name
from heron.jobs import Job, execute
from heron.model import load_document
from heron.phrases import printed, step_from
from heron.problems import Problem
from heron.quantities import Quantity
from heron.results import specs
from heron.results.capabilities import (
    CAPABILITIES,
    Capability,
    Headline,
    Judged,
    TrustItem,
    provided,
)
from heron.results.capabilities.contract import Context, Rounds, plain
from heron.results.formulas import Quantities
from heron.results.quantity import quantity
from heron.results.readout import headline, sweep
from heron.runner import solve
from heron.steps import forget, register
from heron.steps.contract import Found, SettingsKind
from heron.steps.fields import Number, Step
from tests.models import dipole, plan


class Tides(Capability):
    """A quantity that rises with frequency, and how wrong it is."""

    name = "tides"
    words = "tides"
    leading = "tide"
    judged = {"tide": Judged("the tide", 0.01, 0.05, plain, "wait for the ebb")}
    directional = ("flow",)

    def in_older(self, results: xr.Dataset) -> bool:
        return False

    def names(self) -> list[str]:
        return ["tide"]

    def find(self, run: Context, name: str) -> Quantity | None:
        return quantity(run.results["tide"].values) if name == "tide" else None

    def towards(self, run: Context, name: str, theta: float, phi: float) -> Quantity | None:
        return quantity(run.results["tide"].values * np.cos(theta)) if name == "flow" else None

    def headline(self, results: xr.Dataset) -> Headline:
        return Headline(results["tide"].values, 1e8, 0.0, "high water")

    def overview(self, results: xr.Dataset) -> dict[str, Any]:
        return {"tides": 2}

    def summary(self, results: xr.Dataset, model: Any, indices: list[int]) -> dict[str, Any]:
        return {"tide": results["tide"].values.tolist()}

    def files(self, results: xr.Dataset, summary: Any) -> dict[str, str]:
        return {"tide.csv": "tide\n" + "\n".join(map(str, summary["tide"]))}

    def compared(self, results: xr.Dataset) -> dict[str, Any]:
        return {"tide": results["tide"].values}

    def state_errors(self, rounds: Rounds) -> None:
        rounds.put("tide", rounds.error("tide"), 1e-3)

    def trust(self, results: xr.Dataset) -> list[TrustItem]:
        return [TrustItem("Moon", "full", "good")]


class Marsh:
    """An engine that solves anything: tide = f/f0 · (1 + size/100)."""

    name = "marsh"

    def suits(self, model: Any, geometry: Any) -> Verdict:
        refused = [] if "marsh" in model.document.notes else ["there is no marsh in the notes"]
        return Verdict(9.0, "there is a marsh", refused)

    def layout(self, model: Any, geometry: Any, size: float = 1.0) -> Sequence[Any]:
        return ()

    def discretise(
        self, model: Any, geometry: Any, size: float = 1.0, like: Sequence[Any] = ()
    ) -> Any:
        return type("Puddles", (), {"errors": [], "size": size, "held": False})()

    def rounds(self, plan: Any) -> list[float]:
        return [2.0, 2**0.5, 1.0]

    def cost_order(self, discretisation: Any) -> float:
        return 1.0

    views: Mapping[str, View] = MappingProxyType({})

    def stage(self, model: Any, discretisation: Any) -> dict[str, Any]:
        return {"puddles": 7}

    def finer(self, plan: Any, factor: float) -> list[Change]:
        depth = plan.settings.marsh.depth * factor
        return [Change("depth", depth, "deep")]

    def longer(self, plan: Any) -> tuple[list[Change], float]:
        return [], 1.0

    def forecast(self, model: Any, discretisation: Any) -> Forecast:
        return Forecast(self.name, 7, "puddles", "depth", 1, (Stage("wading", 0.1, 0.0, 1.0, 1e3),))

    def checks(self, model: Any, geometry: Any, discretisation: Any) -> list[Problem]:
        return [Problem("look", "ebb", "the water is low")]

    def trust(self, results: xr.Dataset) -> list[TrustItem]:
        return [TrustItem("Puddles", "7", "good")]

    def solve(
        self,
        model: Any,
        discretisation: Any,
        progress: Progress = silent,
        inputs: Inputs = NO_INPUTS,
    ) -> xr.Dataset:
        progress(Event("wading", 0.5))
        f = band(model.plan)
        return xr.Dataset(
            {
                "tide": (("frequency",), f / f[0] * (1 + discretisation.size / 100) + len(inputs)),
                "solved": (("frequency",), np.ones(len(f), dtype=bool)),
            },
            coords={"frequency": f},
            attrs={
                "engine": self.name,
                "provides": json.dumps(["tides"]),
                "unknowns": 7,
                "solves": 1,
                "status": "ebb",
                "interpolation_error": 0.0,
                "stopped": 0,
            },
        )


class MarshSettings(Step):
    depth: Number = "3"


def check(plan: Any, own: Any) -> Found:
    if own.depth <= 0:
        yield "depth", "a marsh has some depth"


SETTINGS = SettingsKind(
    "marsh", "settings", MarshSettings, "Marsh engine", "[, {depth} deep]", check=check
)


@pytest.fixture
def house(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setitem(ENGINES, "marsh", Marsh())
    monkeypatch.setitem(CAPABILITIES, "tides", Tides())
    register(SETTINGS)
    yield
    forget(SETTINGS)


def document(**more: Any) -> dict[str, Any]:
    return dipole() | {"plan": plan("100 MHz", "200 MHz", 5)} | more


@pytest.mark.usefixtures("house")
def test_an_engine_is_chosen_by_what_it_says_of_itself() -> None:
    assert examine(load_document(document())).engine == "moments"
    found = examine(load_document(document(notes="a salt marsh")))
    assert (found.engine, found.engine_reason) == ("marsh", "there is a marsh")
    assert found.forecast is not None and found.forecast.what == "puddles"
    assert "the water is low" in [p.message for p in found.problems]
    asked = document()
    asked["plan"]["engine"] = "marsh"
    refused = examine(load_document(asked))
    assert refused.errors[0].message == "there is no marsh in the notes"
    asked["plan"]["engine"] = "peat"
    unknown = examine(load_document(asked)).errors[0]
    assert "there are moments, transient, marsh" in unknown.message
    assert unknown.path == ("plans", 0, "engine")


@pytest.mark.usefixtures("house")
def test_fields_of_other_runs_reach_an_engine_that_takes_them() -> None:
    solved = solve(examine(load_document(dipole())))
    other = fields.source(solved.results, 0, solved.results["drive"].values)
    made = load_document(document(notes="marsh"))
    alone, driven = (
        execute(Job(made, inputs=inputs)).run.results["tide"].values
        for inputs in ({}, {"mast": other})
    )
    assert driven == pytest.approx(alone + 1)
    with pytest.raises(ModelError, match="takes no fields of other runs, such as “mast”"):
        execute(Job(load_document(dipole()), inputs={"mast": other}))


@pytest.mark.usefixtures("house")
def test_an_engine_brings_its_settings_which_are_typed_checked_and_advised() -> None:
    made = load_document(document(notes="marsh"))
    typed = step_from("plan; marsh settings: 5 deep", made, [])
    assert typed.step["settings"] == {"marsh": {"depth": "5"}}
    assert printed("plans", typed.step).endswith("; marsh settings: 5 deep")
    dry = made.model_dump(mode="json")
    dry["plans"][0]["settings"] = {"marsh": {"depth": "-1"}}
    (problem,) = examine(load_document(dry)).errors
    assert problem.message == "a marsh has some depth"
    assert problem.path == ("plans", 0, "settings", "marsh", "depth")
    run = solve(examine(made))
    assert run.summary["advice"]["plan"]["settings.marsh.depth"] > 3
    assert " deep" in run.summary["advice"]["words"]


@pytest.mark.usefixtures("house")
def test_a_run_goes_all_the_way_by_what_it_provides() -> None:
    run = solve(examine(load_document(document(notes="marsh"))))
    assert run.summary["tide"] == pytest.approx(1.01 * np.linspace(1, 2, 5))
    error = run.summary["error_estimate"]["tide"]["value"]
    assert 0.01 < error < 0.1, "coarser rounds are off by 0.02 and 0.0141 of up to 2"
    found = Quantities(run.results)
    assert found.curve("2*tide").values[-1] == pytest.approx(4.04)
    assert found.curve("flow(60 deg, 0)").values[0] == pytest.approx(0.505)
    with pytest.raises(QuantityError, match="this run has no s11; it has f, tide"):
        found.curve("s11")
    assert specs.judge(specs.read("tide < 3"), found).passed
    assert specs.judge(specs.read("flow > 0.4 at theta = 60"), found).passed
    shown = sweep(run.results)
    assert shown["provides"] == ["tides"] and shown["tides"] == 2
    assert "ports" in shown["lacks"] and shown["ports"] == []
    assert headline(run.results)["text"] == "high water"
    names = [item.name for item in trust_card(run.results)]
    assert names == ["Error of the tide", "Moon", "Puddles"]


@pytest.mark.usefixtures("house")
def test_the_command_line_writes_what_a_run_provides(tmp_path: Path) -> None:
    model = tmp_path / "marsh.json"
    model.write_text(json.dumps(document(notes="marsh")))
    assert main(["solve", str(model), "--quiet", "--out", str(tmp_path / "out")]) == 0
    written = {p.name for p in (tmp_path / "out").iterdir()}
    assert written == {"summary.json", "tide.csv", "run.nc"}
    assert json.loads((tmp_path / "out/summary.json").read_text())["engine"] == "marsh"


@pytest.mark.parametrize(
    ("attributes", "names"),
    [
        ({}, ["ports", "power", "far field"]),
        ({"lit": 1, "empty": 0, "repeated": 0}, ["scattering"]),
        ({"lit": 1, "empty": 0, "repeated": 1}, ["cells"]),
        ({"lit": 1, "empty": 1, "repeated": 0}, ["noise floor", "scattering"]),
        ({"lit": 1, "empty": 1, "repeated": 1}, ["noise floor", "cells"]),
    ],
)
def test_older_runs_provide_what_they_did(attributes: dict[str, int], names: list[str]) -> None:
    assert [c.name for c in provided(xr.Dataset(attrs=attributes))] == names


@pytest.mark.parametrize(
    ("variables", "name"),
    [
        (["segment_start"], "wires"),
        (["surface_point"], "surface"),
        (["surface_point", "layer_height"], "surface in layers"),
        ([], "none"),
    ],
)
def test_older_runs_radiate_as_they_did(variables: list[str], name: str) -> None:
    assert radiator_name(xr.Dataset({v: ((), 0.0) for v in variables})) == name
