"""What the readout page shows of one run: curves against frequency and verdict badges, as plain
JSON values.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.quantities import engineering
from heron.results import ports, scattering
from heron.results.currents import absorbed, surface_names
from heron.results.power import budget
from heron.results.rounds import errors_in, level_error
from heron.results.signals import trace_names

Floats = NDArray[np.float64]
SPARK_POINTS = 60


def finite(values: Any) -> list[Any]:
    """A list for JSON: NaN and infinities become ``None``."""
    array = np.asarray(values, dtype=float)
    return [v if np.isfinite(v) else None for v in array.tolist()]


def sweep(results: xr.Dataset) -> dict[str, Any]:
    """Frequencies, what was recorded, and of driven runs ports, power shares and badges; of lit
    ones where their waves come from. Curves are asked for by formula.
    """
    return {
        "kind": scattering.kind(results),
        "frequency_hz": results["frequency"].values.tolist(),
        "solved": results["solved"].values.tolist(),
        "surfaces": surface_names(results),
        "traces": trace_names(results),
        "wires": "current" in results,
        **(_lit(results) if scattering.lit(results) else _driven(results)),
    }


def _driven(results: xr.Dataset) -> dict[str, Any]:
    powers = budget(results)
    names = [int(p) for p in results["port"].values]
    share = {
        name: finite(value / powers.available)
        for name, value in (
            ("radiated", powers.radiated),
            ("conductor", powers.conductor),
            ("dielectric", powers.dielectric),
            ("loads", powers.loads),
            ("accepted", powers.accepted),
        )
    }
    return {
        "ports": names,
        "z0_ohm": results["z0"].values.tolist(),
        "power_share": share,
        "illuminations": [],
        "absorbed_share": {
            name: finite(power / powers.available) for name, power in absorbed(results).items()
        },
        "badges": {str(a): badges(results, i) for i, a in enumerate(names)},
    }


def _lit(results: xr.Dataset) -> dict[str, Any]:
    angles = [
        np.degrees(scattering.back(results, n)).tolist() for n in range(results.sizes["port_in"])
    ]
    return {
        "layered": scattering.layered(results),
        "receives": [int(p) for p in results["port"].values],
        "ports": [],
        "z0_ohm": [],
        "power_share": {},
        "absorbed_share": {},
        "badges": {},
        "illuminations": [
            {"name": n, "theta_deg": t, "phi_deg": p}
            for n, (t, p) in zip(scattering.illuminations(results), angles, strict=True)
        ],
    }


@dataclass(frozen=True)
class Headline:
    """What a run comes to in few words: a curve (f,) in dB, the place of its best value, and the
    words for that.
    """

    level: Floats
    at: float
    value: float
    words: str


def _reflection(results: xr.Dataset) -> Headline:
    """The lowest reflection of the first port."""
    level = ports.magnitude_db(results["s"].values[:, 0, 0])
    at, low = ports.minimum(results["frequency"].values, level)
    found = errors_in(results)
    s, depth, off = (
        found.get(name, {}).get("value") for name in ("s", "depth", "resonance_relative")
    )
    error = level_error(s if depth is None else depth, low)
    return Headline(level, at, low, f"{uncertain(low, error, 1)} dB at {_frequency(at, off)}")


def uncertain(value: float, error: float | None, most: int) -> str:
    """A value with no more decimals than its error allows, and ``most`` of them: "−14.2 ± 0.5"."""
    if not error or error < 0.5 * 10.0**-most:
        return f"{value:.{most}f}"
    decimals = max(0, min(most, -int(np.floor(np.log10(error)))))
    return f"{value:.{decimals}f} ± {max(error, 10.0**-decimals):.{decimals}f}"


def _frequency(at: float, relative: float | None) -> str:
    """With as many digits as a relative error allows, four at most."""
    return engineering(
        at, "Hz", 4 if not relative else int(np.clip(np.ceil(-np.log10(relative)), 1, 4))
    )


def _largest(results: xr.Dataset, level: Floats, words: Callable[[float], str]) -> Headline:
    at = float(results["frequency"].values[level.argmax()])
    return Headline(
        level, at, float(level.max()), f"{words(float(level.max()))} at {engineering(at, 'Hz')}"
    )


def _back(results: xr.Dataset) -> Headline:
    """The largest cross-section back to the source."""
    return _largest(
        results, scattering.dbsm(scattering.monostatic(results)), lambda v: f"{v:.1f} dBsm"
    )


def _returns(results: xr.Dataset) -> Headline:
    """The smallest share of the power that is sent back."""
    level = ports.magnitude_db(np.sqrt(np.maximum(scattering.shares(results).reflectance, 0)))
    at, low = ports.minimum(results["frequency"].values, level)
    return Headline(level, at, low, f"sends back {low:.1f} dB at {engineering(at, 'Hz')}")


def _leaks(results: xr.Dataset) -> Headline:
    found = _largest(results, scattering.leakage(results), str)
    return replace(found, words=f"noise floor {found.value:.0f} dB")


HEADLINES: dict[scattering.Kind, Callable[[xr.Dataset], Headline]] = {
    "driven": _reflection,
    "lit": _back,
    "repeated": _returns,
    "empty": _leaks,
}


def headline(results: xr.Dataset) -> dict[str, Any]:
    """The headline of a run as JSON values, with a sparkline of its curve."""
    found = HEADLINES[scattering.kind(results)](results)
    pick = (
        np.linspace(0, len(found.level) - 1, min(len(found.level), SPARK_POINTS))
        .round()
        .astype(int)
    )
    return {
        "text": found.words.replace("-", "−"),
        "level_db": found.value,
        "frequency_hz": found.at,
        "spark": np.round(found.level[pick], 2).tolist(),
    }


def badges(results: xr.Dataset, port: int) -> dict[str, Any]:
    """Resonances, lowest reflection, and the -10 dB and VSWR 2 bands of one port (by position)."""
    f = results["frequency"].values
    level = ports.magnitude_db(results["s"].values[:, port, port])
    z = ports.impedances(results)[:, port]
    at, low = ports.minimum(f, level)
    return {
        "resonances": [
            {
                "frequency_hz": r.frequency,
                "resistance_ohm": r.resistance,
                "rising": r.rising,
                "q": r.q if np.isfinite(r.q) else None,
            }
            for r in ports.resonances(f, z)
        ],
        "minimum": {"frequency_hz": at, "level_db": low},
        "bands": {
            name: [
                {
                    "low_hz": b.low,
                    "high_hz": b.high,
                    "relative": b.relative,
                    "open_low": b.open_low,
                    "open_high": b.open_high,
                }
                for b in ports.bands(f, level, limit)
            ]
            for name, limit in (("-10 dB", -10.0), ("VSWR 2", ports.VSWR_2_DB))
        },
    }
