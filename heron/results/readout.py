"""What the readout page shows of one run: curves against frequency and verdict badges, as plain JSON values."""

from __future__ import annotations

from typing import Any

import numpy as np
import xarray as xr

from heron.quantities import engineering
from heron.results import ports, scattering
from heron.results.currents import absorbed, surface_names
from heron.results.power import budget
from heron.results.signals import trace_names


def finite(values: Any) -> list[Any]:
    """A list for JSON: NaN and infinities become ``None``."""
    array = np.asarray(values, dtype=float)
    return [v if np.isfinite(v) else None for v in array.tolist()]


def sweep(results: xr.Dataset) -> dict[str, Any]:
    """Frequencies, ports, power shares and badges. Curves are asked for by formula."""
    if scattering.lit(results):
        return _lit(results)
    powers = budget(results)
    names = [int(p) for p in results["port"].values]
    share = {
        name: finite(value / powers.available)
        for name, value in (("radiated", powers.radiated), ("conductor", powers.conductor), ("dielectric", powers.dielectric), ("loads", powers.loads),
                            ("accepted", powers.accepted))
    }
    return {
        "frequency_hz": results["frequency"].values.tolist(),
        "solved": results["solved"].values.tolist(),
        "ports": names,
        "z0_ohm": results["z0"].values.tolist(),
        "power_share": share,
        "illuminations": [], "layered": False,
        "absorbed_share": {name: finite(power / powers.available) for name, power in absorbed(results).items()},
        "surfaces": surface_names(results),
        "traces": trace_names(results),
        "wires": "current" in results,
        "badges": {str(a): badges(results, i) for i, a in enumerate(names)},
    }


def _lit(results: xr.Dataset) -> dict[str, Any]:
    """The same of a lit run: no ports and no shares of power, but where its waves come from."""
    angles = [np.degrees(scattering.back(results, n)).tolist() for n in range(results.sizes["port_in"])]
    return {
        "frequency_hz": results["frequency"].values.tolist(),
        "solved": results["solved"].values.tolist(),
        "ports": [], "z0_ohm": [], "power_share": {}, "absorbed_share": {}, "badges": {},
        "illuminations": [{"name": n, "theta_deg": t, "phi_deg": p} for n, (t, p) in zip(scattering.illuminations(results), angles, strict=True)],
        "layered": scattering.layered(results),
        "surfaces": surface_names(results),
        "traces": trace_names(results),
        "wires": "current" in results,
    }


def headline(results: xr.Dataset) -> dict[str, Any]:
    """What leaks of an empty box; the lowest reflection of the first port, or the largest cross-section back to the source; and a sparkline of it."""
    f = results["frequency"].values
    floor = scattering.noise_floor(results)
    if floor is not None:
        leak = 20 * np.log10(np.maximum(results["outside_field"].values.max(axis=1), 1e-15))
        return {"text": f"noise floor {floor:.0f} dB".replace("-", "−"), "level_db": floor, "frequency_hz": float(f[leak.argmax()]), "spark": leak[:60].round(2).tolist()}
    if scattering.layered(results):
        area = np.maximum(scattering.cross_sections(results).absorbed, 1e-30)
        most = int(area.argmax())
        side = engineering(float(np.sqrt(area[most])), "m", 3)
        return {"text": f"absorbs ({side})² at {engineering(float(f[most]), 'Hz')}", "level_db": float(10 * np.log10(area[most])), "frequency_hz": float(f[most]),
                "spark": area[:60].tolist()}
    if scattering.lit(results):
        level = 10 * np.log10(np.maximum(scattering.monostatic(results), 1e-30))
        peak = int(level.argmax())
        at, value, words = float(f[peak]), float(level[peak]), "dBsm"
    else:
        level = ports.magnitude_db(results["s"].values[:, 0, 0])
        at, value = ports.minimum(f, level)
        words = "dB"
    pick = np.linspace(0, len(f) - 1, min(len(f), 60)).round().astype(int)
    text = f"{value:.1f} {words} at {engineering(at, 'Hz')}".replace("-", "−")
    return {"text": text, "level_db": value, "frequency_hz": at, "spark": np.round(level[pick], 2).tolist()}


def badges(results: xr.Dataset, port: int) -> dict[str, Any]:
    """Resonances, lowest reflection, and the -10 dB and VSWR 2 bands of one port (by position)."""
    f = results["frequency"].values
    level = ports.magnitude_db(results["s"].values[:, port, port])
    z = ports.impedances(results)[:, port]
    at, low = ports.minimum(f, level)
    return {
        "resonances": [{"frequency_hz": r.frequency, "resistance_ohm": r.resistance, "rising": r.rising,
                        "q": r.q if np.isfinite(r.q) else None} for r in ports.resonances(f, z)],
        "minimum": {"frequency_hz": at, "level_db": low},
        "bands": {name: [{"low_hz": b.low, "high_hz": b.high, "relative": b.relative, "open_low": b.open_low, "open_high": b.open_high}
                         for b in ports.bands(f, level, limit)]
                  for name, limit in (("-10 dB", -10.0), ("VSWR 2", ports.VSWR_2_DB))},
    }
