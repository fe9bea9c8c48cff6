"""Models and runs from Python, as docs/python.md shows them."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import heron
from heron.errors import HeronError
from tests.models import dipole, plan

ROOT = Path(__file__).parents[2]


@pytest.fixture
def model(tmp_path: Path) -> Any:
    document = dipole() | {"plan": plan("280 MHz", "320 MHz", 3)}
    document["parameters"] = [{"name": "L", "expression": "0.48 m"}]
    document["parts"][0] |= {"start": ["0", "0", "-L/2"], "end": ["0", "0", "L/2"]}
    document["captures"] = [{"kind": "far_field", "name": "far", "theta_step": "15 deg"}]
    file = tmp_path / "rod.json"
    file.write_text(json.dumps(document))
    return heron.open(file)


def test_a_model_is_solved_with_other_values(model: Any) -> None:
    run, longer = model.solve(), model.solve(L="0.5 m")
    assert run.frequency.tolist() == [280e6, 300e6, 320e6]
    assert run.s11.shape == (3,) and np.iscomplexobj(run.s11)
    assert np.allclose(run.curve("abs(s11)"), abs(run.s11))
    assert abs(longer.s11 - run.s11).max() > 0.01
    assert run.best in run.frequency
    field = run.far([90, 0], [0, 0])
    assert field.shape == (2, 2) and abs(field[0, 0]) > 100 * abs(field[1]).max()
    assert run.trust and run.summary["engine"] == "moments"
    with pytest.raises(AttributeError, match="this run has no port 2"):
        _ = run.s21
    with pytest.raises(HeronError, match="there is no parameter “W”; there are L"):
        model.solve(W="1 mm")
    with pytest.raises(HeronError, match="there is no part “leg” to leave out"):
        model.solve(without=("leg",))
    with pytest.raises(HeronError, match=r"no part|feed"):
        model.solve(without=("rod",))


def test_files_are_those_that_were_asked_for(model: Any, tmp_path: Path) -> None:
    run = model.solve()
    names = run.save(tmp_path / "out")
    assert set(names) == {p.name for p in (tmp_path / "out").iterdir()}
    assert {"summary.json", "ports.s1p", "pattern.csv", "run.nc"} <= set(names)
    few = (tmp_path / "out/pattern.csv").read_text().count("\n")
    run.save(tmp_path / "all", every=True)
    every = (tmp_path / "all/pattern.csv").read_text().count("\n")
    assert every - 1 == 3 * (few - 1), "one frequency, the best match, and all three"


def test_the_example_of_the_documentation_runs(tmp_path: Path, monkeypatch: Any) -> None:
    text = (ROOT / "docs/python.md").read_text()
    blocks = re.findall(r"```python\n(.*?)```", text, re.DOTALL)
    assert blocks
    monkeypatch.chdir(ROOT)
    code = "\n".join(blocks).replace('"out"', repr(str(tmp_path / "out")))
    exec(compile(code, "docs/python.md", "exec"), {})
    assert (tmp_path / "out/summary.json").exists()
