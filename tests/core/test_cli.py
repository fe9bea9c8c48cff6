"""The headless run, as a program."""

from __future__ import annotations

import csv
import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import skrf

from heron.cli import main
from heron.formats import netcdf
from server.config import ROOT


def run(*arguments: str | Path) -> subprocess.CompletedProcess[str]:
    # No database, no Django: the environment names neither.
    env = {k: v for k, v in os.environ.items() if not k.startswith(("ODD_HERON", "DJANGO"))}
    return subprocess.run(
        [sys.executable, "-m", "heron.cli", *map(str, arguments)],
        cwd=ROOT,
        env=env,
        capture_output=True,
        text=True,
        check=False,
    )


def test_solve_writes_its_files(tmp_path: Path) -> None:
    done = run(
        "solve",
        ROOT / "examples" / "twin-loops.json",
        "--set",
        "points=5",
        "--set",
        "spacing=0.8 m",
        "--out",
        tmp_path,
        "--all",
    )
    assert done.returncode == 0, done.stderr
    assert "solving" in done.stderr
    summary = json.loads((tmp_path / "summary.json").read_text())
    wanted = {
        "engine",
        "unknowns",
        "wall_s",
        "peak_mb",
        "frequency_hz",
        "input_impedance_ohm",
        "far_field",
        "power_balance_error",
        "warnings",
    }
    assert wanted <= summary.keys()
    assert summary["engine"] == "moments"
    assert len(summary["frequency_hz"]) == 5
    assert set(summary["input_impedance_ohm"]) == {"1", "2"}
    assert {
        "frequency_hz",
        "directivity_dbi",
        "gain_dbi",
        "realized_gain_dbi",
        "radiation_efficiency",
        "total_efficiency",
        "peak_theta_deg",
        "peak_phi_deg",
    } == summary["far_field"][0].keys()
    network = skrf.Network(str(tmp_path / "ports.s2p"))
    z = 50 * (1 + network.s[:, 0, 0]) / (1 - network.s[:, 0, 0])
    assert np.abs(z - np.array(summary["input_impedance_ohm"]["1"]) @ [1, 1j]).max() < 1e-6
    with (tmp_path / "pattern.csv").open() as file:
        rows = list(csv.DictReader(file))
    assert list(rows[0]) == [
        "frequency_hz",
        "theta_deg",
        "phi_deg",
        "e_theta_re",
        "e_theta_im",
        "e_phi_re",
        "e_phi_im",
        "gain_dbi",
    ]
    peak = max(
        float(r["gain_dbi"]) for r in rows if float(r["frequency_hz"]) == summary["frequency_hz"][2]
    )
    assert peak == pytest.approx(summary["far_field"][2]["gain_dbi"], abs=0.05)
    data = netcdf.read(tmp_path / "run.nc")
    assert data["through both_e"].shape == (5, 41 * 41, 3)
    assert data["s"].shape == (5, 2, 2)


def test_a_slip_is_one_line_and_exit_code_two_of_the_program_too(tmp_path: Path) -> None:
    done = run(
        "solve",
        ROOT / "examples" / "mast-dipole.json",
        "--set",
        "length",
        "--out",
        tmp_path / "out",
    )
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1)


def test_quiet_is_quiet(tmp_path: Path) -> None:
    done = run(
        "solve",
        ROOT / "examples" / "ground-whip.json",
        "--set",
        "points=2",
        "--quiet",
        "--out",
        tmp_path,
    )
    assert (done.returncode, done.stderr, done.stdout) == (0, "", "")


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--set", "length=nothing"], "“nothing” is not defined"),
        (["--set", "length=3 s"], "a time"),
        (["--set", "lenght=1 m"], "there is no parameter “lenght”"),
        (["--set", "length"], "name=expression"),
        (["--set", "radius=0 mm"], "above zero"),
        (["--set", "points=1000000000"], "whole number"),
        (["--set", "f_stop=1 MHz"], "below its start"),
        (["--engine", "magic"], "no engine"),
        (["--set", "length=2 * length"], "circle: length → length"),
    ],
)
def test_bad_input_is_one_line_and_exit_code_two(
    arguments: list[str], words: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert (
        main(
            [
                "solve",
                str(ROOT / "examples" / "mast-dipole.json"),
                *arguments,
                "--out",
                str(tmp_path / "out"),
            ]
        )
        == 2
    )
    said = capsys.readouterr().err
    assert words in said
    assert said.count("\n") == 1
    assert not (tmp_path / "out").exists()


@pytest.mark.parametrize(
    ("content", "words"), [("{", "not JSON"), ('{"version": 99}', "newer"), ('{"plan": 3}', "plan")]
)
def test_bad_files(
    content: str, words: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    model = tmp_path / "model.json"
    model.write_text(content)
    assert main(["solve", str(model), "--out", str(tmp_path / "out")]) == 2
    said = capsys.readouterr().err
    assert words in said
    assert said.count("\n") == 1


def test_a_missing_file_is_named(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["solve", str(tmp_path / "none.json"), "--out", str(tmp_path / "out")]) == 2
    assert "none.json" in capsys.readouterr().err


def test_benchmark_of_the_time_domain_kernels_reports_ratios() -> None:
    from benchmarks.transient import run as bench

    row = bench((40,), 1)[0]
    assert {
        "cells",
        "mcells_per_s",
        "triad_gb_per_s",
        "roofline_ratio",
        "layers_ratio",
        "records_ratio",
        "light_ratio",
        "poles_ratio",
        "mode_ratio",
        "beam_ratio",
    } == row.keys()
    assert row["cells"] == 64000
    assert row["roofline_ratio"] == pytest.approx(
        row["mcells_per_s"] * 72e-3 / row["triad_gb_per_s"], rel=1e-6
    )


def test_benchmark_reports_ratios() -> None:
    from benchmarks.moments import run as bench

    row, plate, small, large, growth = bench((120,), 1, (300,), (300, 700))
    own = {"of", "unknowns", "fill_s", "factor_s", "solve_s", "lu_alone_s", "ratio"}
    assert row.keys() == own
    assert plate.keys() == own | {"mixed_s", "mixed_ratio", "residual"}
    assert row["ratio"] == pytest.approx(
        (row["fill_s"] + row["factor_s"] + row["solve_s"]) / row["lu_alone_s"]
    )
    assert plate["residual"] < 1e-6
    assert small["error"] < 1e-4 and small["megabytes"] < large["megabytes"]
    assert 0 < growth["memory_power"] < 2
