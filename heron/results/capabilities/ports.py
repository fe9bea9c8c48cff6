"""Ports that are driven: scattering parameters, impedances, matching."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, ClassVar

import numpy as np
import xarray as xr

from heron.errors import QuantityError
from heron.formats.tables import table
from heron.formats.touchstone import touchstone
from heron.quantities import Quantity, engineering
from heron.results import ports
from heron.results.capabilities.contract import (
    FINER,
    Capability,
    Context,
    Floats,
    Headline,
    Judged,
    Rounds,
    percent,
    plain,
)
from heron.results.convergence import FLOOR_IMPEDANCE, error_of_wavering
from heron.results.errors import (
    FLOOR_FREQUENCY,
    FLOOR_S,
    errors_in,
    level_error,
    uncertain,
)
from heron.results.quantity import OHM, SIEMENS, quantity

# |ΔS| for each wavelength of the radius of a wire with a gap on a grid: what its gap and ends are
# beside a tube's, at any fineness, measured
GAP_S = 2.5

# of quantities of ports, by kind and numbers
PORT_QUANTITY = re.compile(r"^(s)(\d)(\d)$|^(s)(\d+)_(\d+)$|^(z|y|vswr|return_loss)(\d*)$")
_ERROR = re.compile(r"^error_s(\d)(\d)$|^error_s(\d+)_(\d+)$")


class Ports(Capability):
    """S, impedance, VSWR and return loss of every port, and their errors."""

    name: ClassVar[str] = "ports"
    words: ClassVar[str] = "ports that are driven"
    leading: ClassVar[str] = "s"
    judged: ClassVar[Mapping[str, Judged]] = {
        "s": Judged("S", 0.01, 0.05, plain, FINER),
        "s_beside_shift": Judged("S, shift aside", 0.01, 0.05, plain, FINER),
        "resonance_relative": Judged("the minimum's frequency", 0.002, 0.01, percent, FINER),
        "impedance_relative": Judged("the feeds' impedance", 0.01, 0.05, percent, FINER),
    }

    def in_older(self, results: xr.Dataset) -> bool:
        return not results.attrs.get("lit", 0)

    def names(self) -> list[str]:
        return ["s11", "z1", "y1", "vswr1", "return_loss1"]

    def knows(self, name: str) -> bool:
        return PORT_QUANTITY.match(name) is not None

    def find(self, run: Context, name: str) -> Quantity | None:
        wrong = _ERROR.match(name)
        if wrong and "s_error" in run.results:
            known = _numbers(run.results)
            to, by = (int(g) for g in wrong.groups() if g)
            if to in known and by in known:
                return quantity(run.results["s_error"].values[:, known.index(to), known.index(by)])
        found = PORT_QUANTITY.match(name)
        return None if found is None else _of(run, *(g for g in found.groups() if g is not None))

    def headline(self, results: xr.Dataset) -> Headline:
        """The lowest reflection of the first port."""
        level = ports.magnitude_db(results["s"].values[:, 0, 0])
        at, low = ports.minimum(results["frequency"].values, level)
        found = errors_in(results)
        s, depth, off = (
            found.get(name, {}).get("value") for name in ("s", "depth", "resonance_relative")
        )
        error = level_error(s if depth is None else depth, low)
        return Headline(level, at, low, f"{uncertain(low, error, 1)} dB at {_frequency(at, off)}")

    def overview(self, results: xr.Dataset) -> dict[str, Any]:
        known = _numbers(results)
        return {
            "ports": known,
            "z0_ohm": results["z0"].values.tolist(),
            "badges": {str(a): _badges(results, i) for i, a in enumerate(known)},
        }

    def summary(self, results: xr.Dataset, model: Any, indices: list[int]) -> dict[str, Any]:
        z = ports.impedances(results)
        return {
            "input_impedance_ohm": {
                str(p): np.column_stack((z[:, i].real, z[:, i].imag)).tolist()
                for i, p in enumerate(results["port"].values)
            }
        }

    def files(self, results: xr.Dataset, summary: Mapping[str, Any]) -> dict[str, str]:
        z0 = results["z0"].values
        one = np.full_like(z0, z0[0])
        s = ports.scattering(results, None if (z0 == z0[0]).all() else one)
        known = errors_in(results).get("s", {})
        comment = (
            f" estimated error of S: {known['value']:.2g}, by {known['basis']}"
            if known.get("value") is not None
            else " error of S: not known"
        )
        text = touchstone(results["frequency"].values, s, float(z0[0]), comment)
        return {f"ports.s{results.sizes['port']}p": text, "ports.csv": _csv(results)}

    def offered(self, results: xr.Dataset, index: int) -> float | None:
        return float((np.abs(results["drive"].values) ** 2).sum() / 2)

    def compared(self, results: xr.Dataset) -> dict[str, Any]:
        f, s = results["frequency"].values, results["s"].values
        found = [dip(f, np.abs(s[:, p, p])) for p in range(s.shape[1])]
        return {
            "s": s,
            "z0": results["z0"].values,
            "resonance": np.array([at for at, _ in found]),
            "depth": np.array([low for _, low in found]),
        }

    def state_errors(self, rounds: Rounds) -> None:
        results = rounds.results
        floor = float(
            np.hypot(FLOOR_S, np.hypot(rounds.ring, float(results.attrs["interpolation_error"])))
        )
        gap = GAP_S * float(results.attrs.get("fed_radius", 0.0))
        s = rounds.error("s")
        rounds.put("s", s, floor, gap)
        if s is not None:
            note = {"units": "1", "long_name": "estimated error of S"}
            dims = ("frequency", "port", "port_in")
            rounds.assign("s_error", (dims, np.hypot(s + gap, floor), note))
        ohms = np.array(rounds.values("z0"))
        if len(ohms) > 1 and np.ptp(ohms, axis=0).any():
            # of line and guide feeds, which the grid gives theirs: it wavers about its limit
            relative = error_of_wavering(list(ohms)) / ohms[-1]
            rounds.put("impedance_relative", relative, FLOOR_IMPEDANCE)
        resonance = rounds.values("resonance")[-1] if rounds.sizes else np.zeros(0)
        off = rounds.error("resonance")
        relative = None if off is None else off / resonance
        rounds.put("resonance_relative", relative, FLOOR_FREQUENCY)
        beside = _aligned(rounds)
        error = rounds.error_of(beside) if beside else None
        depth = rounds.error("depth")
        if rounds.wavers > 1 and depth is not None and error is not None:
            there = _at_dips(error, results["frequency"].values, resonance)
            depth = rounds.wavers * np.maximum(depth, there)
        rounds.put("depth", depth, floor, 0.5 * gap)
        rounds.put("s_beside_shift", error, floor, 0.5 * gap)


def dip(f: Floats, level: Floats) -> tuple[float, float]:
    """Frequency and size of the lowest |S| inside the band, by the parabola through its neighbours;
    NaN where it lies at an end.
    """
    k = int(level.argmin())
    if not 0 < k < len(f) - 1:
        return float("nan"), float("nan")
    bend, slope, low = np.polyfit(f[k - 1 : k + 2] / f[k] - 1, level[k - 1 : k + 2] ** 2, 2)
    shift = -slope / (2 * bend) if bend > 0 else 0.0
    return float(f[k] * (1 + shift)), float(np.sqrt(max(low + 0.5 * slope * shift, 0.0)))


def _numbers(results: xr.Dataset) -> list[int]:
    return [int(p) for p in results["port"].values]


def _of(run: Context, kind: str, *numbers: str) -> Quantity:
    known = _numbers(run.results)
    wanted = [int(n) if n else known[0] for n in numbers]
    for n in wanted:
        if n not in known:
            raise QuantityError(f"this run has no port {n}; it has {', '.join(map(str, known))}")
    at = [known.index(n) for n in wanted]
    s = run.results["s"].values
    if kind == "s":
        return quantity(s[:, at[0], at[1]])
    own = s[:, at[0], at[0]]
    if kind in ("z", "y"):
        z = ports.impedances(run.results)[:, at[0]]
        return quantity(z, OHM) if kind == "z" else quantity(1 / z, SIEMENS)
    return quantity(ports.vswr(own)) if kind == "vswr" else quantity(-ports.magnitude_db(own))


def _frequency(at: float, relative: float | None) -> str:
    """With as many digits as a relative error allows, four at most."""
    digits = 4 if not relative else int(np.clip(np.ceil(-np.log10(relative)), 1, 4))
    return engineering(at, "Hz", digits)


def _badges(results: xr.Dataset, port: int) -> dict[str, Any]:
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


def _csv(results: xr.Dataset) -> str:
    """S, input impedance and VSWR of every port against frequency."""
    f, s, z = results["frequency"].values, results["s"].values, ports.impedances(results)
    columns, data = ["frequency_hz"], [f]
    names = results["port"].values
    for i, a in enumerate(names):
        for j, b in enumerate(names):
            columns += [f"s{a}_{b}_re", f"s{a}_{b}_im"]
            data += [s[:, i, j].real, s[:, i, j].imag]
    for i, a in enumerate(names):
        columns += [f"z{a}_re_ohm", f"z{a}_im_ohm", f"vswr{a}"]
        data += [z[:, i].real, z[:, i].imag, ports.vswr(s[:, i, i])]
    return table(columns, np.column_stack(data))


def _at_dips(error: Floats, f: Floats, resonance: Floats) -> Floats:
    """Errors (P,) of S (f, P, P) of every port where it reflects least; NaN where that is at an
    end.
    """
    return np.array(
        [
            np.interp(at, f, error[:, p, p]) if np.isfinite(at) else np.nan
            for p, at in enumerate(resonance)
        ]
    )


def _aligned(rounds: Rounds) -> list[Any]:
    """S (f, P, P) of rounds, those before the last moved in frequency so that their lowest
    reflections fall together; none without a lowest reflection in the band.

    A resonance that moves changes S much at any one frequency: its error is one of frequency, and
    what is left beside that.
    """
    f = rounds.results["frequency"].values
    found = list(zip(rounds.values("s"), rounds.values("resonance"), strict=True))
    if len(found) < 2:
        return []
    wanted = found[-1][1]
    out = []
    for s, resonance in found:
        ratios = resonance / wanted
        if not np.isfinite(ratios).any():
            return []
        at = f * float(np.nanmean(ratios))
        flat = s.reshape(len(f), -1)
        moved = np.stack(
            [np.interp(at, f, c.real) + 1j * np.interp(at, f, c.imag) for c in flat.T], axis=1
        )
        moved[(at < f[0]) | (at > f[-1])] = np.nan
        out.append(moved.reshape(s.shape))
    return out
