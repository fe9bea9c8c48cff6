"""Studies against published designs and closed forms: a Yagi-Uda array tuned to what the National
Bureau of Standards published, the yield of a circuit, a surrogate at places that it has not seen,
and derivatives by all lengths together.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy import stats
from scipy.stats import qmc

from heron.cli import main
from heron.interface import Model
from heron.model import Document, load_document
from heron.studies.surrogate import COVERS, surrogate
from tests.models import rod, strips

DIRECTIVITY = "largest db10(directivity)"


def yagi(**lengths: str) -> dict[str, Any]:
    """Five elements on a boom of 0.8 wavelengths, 0.2 apart, 0.0085 thick; lengths over λ."""
    parts = [
        {
            "kind": "wire",
            "name": f"{name} rod",
            "start": [f"{x} * w", f"-{length} * w / 2", "0"],
            "end": [f"{x} * w", f"{length} * w / 2", "0"],
            "radius": "0.00425 * w",
        }
        for name, x, length in (
            ("reflector", "-0.2", "reflector"),
            ("driven", "0", "0.47"),
            ("first", "0.2", "first"),
            ("second", "0.4", "second"),
            ("third", "0.6", "third"),
        )
    ]
    own = [{"name": n, "expression": e} for n, e in {"w": "c0 / 300 MHz", **lengths}.items()]
    return {
        "name": "yagi",
        "parameters": own,
        "parts": parts,
        "feeds": [{"kind": "gap", "number": 1, "part": "driven rod"}],
        "plans": [{"f_start": "299.9 MHz", "f_stop": "300.1 MHz", "points": "3", "rounds": "1"}],
    }


def test_a_yagi_is_tuned_to_the_bureau_s_directivity(tmp_path: Path) -> None:
    """P. P. Viezbicke, NBS Technical Note 688 (1976), table 1, boom 0.8 λ: reflector 0.482,
    directors 0.428, 0.424, 0.428, gain 9.2 dB over a dipole; from memory.
    """
    published = Model(
        load_document(yagi(reflector="0.482", first="0.428", second="0.424", third="0.428"))
    )
    theirs = float(10 * np.log10(published.solve().directivity.max()))
    print(f"their lengths: {theirs:.2f} dBi here, 11.35 dBi there")
    assert theirs == pytest.approx(9.2 + 2.15, abs=0.5)
    model = tmp_path / "yagi.json"
    model.write_text(json.dumps(yagi(reflector="0.50", first="0.40", second="0.40", third="0.40")))
    ranges = ("reflector=0.46:0.52", "first=0.38:0.46", "second=0.38:0.46", "third=0.38:0.46")
    words = [word for r in ranges for word in ("--vary", r)]
    goal = f"directivity > {theirs:.3f} dBi at 300 MHz"
    out = tmp_path / "out"
    more = ["--budget", "80", "--outcome", DIRECTIVITY, "--out", str(out), "--quiet"]
    assert main(["study", str(model), "--tune", goal, *words, *more]) == 0
    told = json.loads((out / "study.json").read_text())
    best = told["best"]
    before, after = (
        told["variants"][k]["outcome"][DIRECTIVITY]["value"] for k in (0, best["variant"])
    )
    print(f"{len(told['variants'])} variants: {before:.2f} to {after:.2f} dBi, {best['values']}")
    assert best["met"] and len(told["variants"]) <= 80


def test_the_yield_of_a_loaded_wire_is_that_of_its_circuit(tmp_path: Path) -> None:
    """R, L and C in series with a short dipole: its impedance at one frequency is what the dipole
    has without them and theirs, so that the yield over a normal spread of L is a difference of two
    values of the normal distribution.
    """

    def rod(**load: str) -> dict[str, Any]:
        return {
            "name": "loaded",
            "parameters": [{"name": "coil", "expression": "60 nH"}],
            "parts": [
                {
                    "kind": "wire",
                    "name": "rod",
                    "start": ["0", "0", "-55 mm"],
                    "end": ["0", "0", "55 mm"],
                    "radius": "1 mm",
                }
            ],
            "feeds": [{"kind": "gap", "number": 1, "part": "rod"}],
            "loads": [{"kind": "series", "name": "tank", "part": "rod", "at": "0.5", **load}],
            "plans": [{"f_start": "867 MHz", "f_stop": "869 MHz", "points": "3", "rounds": "1"}],
        }

    bare = Model(load_document(rod(resistance="0.001 ohm"))).solve()
    reactance = float(bare.z1[1].imag)
    omega = 2 * np.pi * 868e6
    coil, spread, r = -reactance / omega + 1 / (omega**2 * 4e-12), 0.05, 30.0
    loaded = rod(resistance=f"{r} ohm", inductance="coil", capacitance="4 pF")
    loaded["parameters"][0]["expression"] = f"{coil!r} H"
    z = Model(load_document(loaded)).solve().z1[1]
    assert abs(z.imag) < 1.0, "the circuit is in series with the wire"
    limit = 10 ** (-15 / 20)
    # |S11| < limit as long as |X| is below: (R - Z0)² + X² = limit² ((R + Z0)² + X²)
    x2 = (limit**2 * (z.real + 50) ** 2 - (z.real - 50) ** 2) / (1 - limit**2)
    reach = np.sqrt(x2) / omega / (spread * coil)
    exact = float(stats.norm.cdf(reach) - stats.norm.cdf(-reach))
    path = tmp_path / "loaded.json"
    path.write_text(json.dumps(loaded))
    out = tmp_path / "out"
    words = ["--tolerance", "coil=5 %", "--spec", "|S11| < -15 dB at 868 MHz", "--samples", "64"]
    assert main(["study", str(path), *words, "--quiet", "--out", str(out)]) == 0
    own = json.loads((out / "study.json").read_text())["yield"]
    print(f"yield {own['value']:.3f} ({own['low']:.3f} to {own['high']:.3f}), exact {exact:.3f}")
    assert 0.3 < exact < 0.95
    assert own["low"] <= exact <= own["high"]


def test_the_dials_band_holds_places_that_were_not_solved() -> None:
    """A dipole of three parameters: forty variants, and a hundred others drawn by chance."""
    document = {
        "name": "post",
        "parameters": [
            {"name": "length", "expression": "160 mm"},
            {"name": "radius", "expression": "1 mm"},
            {"name": "place", "expression": "0.5"},
        ],
        "parts": [
            {
                "kind": "wire",
                "name": "rod",
                "start": ["0", "0", "-length / 2"],
                "end": ["0", "0", "length / 2"],
                "radius": "radius",
            }
        ],
        "feeds": [{"kind": "gap", "number": 1, "part": "rod", "at": "place"}],
        "plans": [{"f_start": "700 MHz", "f_stop": "1.1 GHz", "points": "17", "rounds": "1"}],
    }
    model = Model(load_document(document))
    low, high = np.array([0.15, 0.5e-3, 0.4]), np.array([0.17, 2e-3, 0.6])

    def curves(points: Any) -> Any:
        return np.array(
            [model.solve(length=f"{a} m", radius=f"{b} m", place=str(c)).s11 for a, b, c in points]
        )

    known = low + (high - low) * qmc.Sobol(3, rng=1868).random(64)[:40]
    fresh = low + (high - low) * np.random.default_rng(7).random((100, 3))
    grid = model.solve().frequency
    found = surrogate(known, curves(known), grid)
    said, band = found(fresh)
    off = np.abs(said - curves(fresh))
    inside = off <= band
    print(
        f"off by {np.sqrt(np.mean(off**2)):.1e} (RMS), band {np.median(band):.1e}; inside:"
        f" {inside.mean():.3f} of samples, {inside.all(axis=1).mean():.2f} of whole curves"
    )
    assert inside.mean() >= COVERS
    assert np.sqrt(np.mean(off**2)) < 5e-3


@pytest.mark.parametrize(
    ("document", "parameters", "within"),
    [(rod, ["length", "radius"], 0.01), (strips, ["L", "W", "k"], 0.03)],
    ids=["moments", "transient"],
)
def test_derivatives_by_all_lengths_add_up_to_what_scaling_does(
    document: Callable[[], Document], parameters: list[str], within: float, tmp_path: Path
) -> None:
    """A perfectly conducting antenna that is larger in every way is resonant as much lower (the
    principle of similitude: Stratton, *Electromagnetic Theory*, 1941, section 9.3): the resonance's
    relative derivatives by all lengths are -1 together, whichever way each goes.
    """
    path = tmp_path / "model.json"
    path.write_text(document().model_dump_json())
    words = [w for name in parameters for w in ("--sensitivity", name)]
    text = "f where im(z1) is zero"
    out = tmp_path / "out"
    assert main(["study", str(path), *words, "--outcome", text, "--quiet", "--out", str(out)]) == 0
    own = json.loads((out / "study.json").read_text())["sensitivities"][text]
    shares = {n: 100 * own["by"][n]["per_cent"] / own["value"] for n in parameters}
    print(f"{shares}: {sum(shares.values()):.4f} for -1")
    assert sum(shares.values()) == pytest.approx(-1, abs=within)
