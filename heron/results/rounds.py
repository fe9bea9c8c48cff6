"""How wrong results may be: what solves on finer and finer grids or meshes say of the last one
(:mod:`heron.results.convergence`).
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.results import confidence, patterns, scattering
from heron.results.convergence import (
    FLOOR_IMPEDANCE,
    HELD,
    ORDERS,
    UNSURE,
    error_of,
    error_of_wavering,
)
from heron.results.power import budget

Floats = NDArray[np.float64]

FLOOR_S = 1e-3  # |ΔS| that layers, feeds and rounding leave at any fineness, measured
FLOOR_DB = 0.02  # the same of far fields
FLOOR_SHARE = 2e-3  # the same of powers and cross-sections, relative
FLOOR_FREQUENCY = 2e-4
# |ΔS| for each wavelength of the radius of a wire with a gap on a grid: what its gap and ends are
# beside a tube's, at any fineness, measured
GAP_S = 2.5
# of the amplitude left at the end: what a record that is cut off may have lost
RING = 1.0
SINGLE = ("resonance", "depth")  # one value for each port, not one for each frequency
PATTERN_STEP = 10.0  # degrees between directions at which patterns are compared
PATTERN_LEVEL = -20.0  # dB: below, patterns are compared by nothing
PATTERN_POINTS = 11  # frequencies at most at which they are
FED = 0.1  # of the available power: gain counts where more is accepted
# fitted: HELD of repeated cells with metal, whose coarse rounds are near each other while edges are
# still off by first order
EDGES_HELD = 0.7
# of the extinction, absorbed: what lossy bodies do is of first order at slanted surfaces
LOSSY = 0.02


@dataclass(frozen=True)
class Round:
    """What one solve came to: ``values`` by name, each an array along frequency or a number;
    ``size`` of its cells or segments over those of the last; ``fields`` and currents at places; and
    how many ``seconds`` it took.
    """

    values: dict[str, Any]
    size: float
    fields: confidence.Fields
    seconds: float


Reader = Callable[[xr.Dataset], dict[str, Any]]


def _driven(results: xr.Dataset) -> dict[str, Any]:
    f, s = results["frequency"].values, results["s"].values
    out: dict[str, Any] = {"s": s}
    out["z0"] = results["z0"].values
    powers = budget(results)
    out["balance"] = np.where(
        powers.accepted > FED * powers.available, np.abs(powers.balance_error), np.nan
    )
    out["efficiency"] = np.where(
        powers.accepted > FED * powers.available,
        powers.radiated / np.maximum(powers.accepted, 1e-30),
        np.nan,
    )
    found = [dip(f, np.abs(s[:, p, p])) for p in range(s.shape[1])]
    out["resonance"] = np.array([at for at, _ in found])
    out["depth"] = np.array([low for _, low in found])
    # At the same frequencies in every round, as gain differs more from one to the next than from
    # round to round.
    theta = np.arange(0, 180.1, PATTERN_STEP)
    t, p = (
        x.ravel() for x in np.meshgrid(theta, np.arange(0, 360, 2 * PATTERN_STEP), indexing="ij")
    )
    gains = np.full((min(PATTERN_POINTS, len(f)), len(t)), np.nan)
    fed = powers.accepted > FED * powers.available
    for n, i in enumerate(np.linspace(0, len(f) - 1, len(gains)).round().astype(int).tolist()):
        if fed[i]:
            gains[n] = (
                4
                * np.pi
                * patterns.intensity(patterns.far_field(results, i, t, p))
                / float(powers.accepted[i])
            )
    if np.isfinite(gains).any():
        out["gain"] = gains
    return out


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


def _illuminated(results: xr.Dataset) -> dict[str, Any]:
    lights = range(results.sizes["port_in"])
    found = [scattering.cross_sections(results, n) for n in lights]
    out = {
        name: np.stack([getattr(c, name) for c in found], axis=1)
        for name in ("scattered", "absorbed", "extinction")
    }
    out["rcs"] = np.stack([scattering.monostatic(results, n) for n in lights], axis=1)
    return out


def _repeated(results: xr.Dataset) -> dict[str, Any]:
    found = [scattering.shares(results, n) for n in range(results.sizes["port_in"])]
    return {
        name: np.stack([getattr(c, name) for c in found], axis=1)
        for name in ("reflection", "transmission", "reflectance", "transmittance")
    }


READERS: dict[str, Reader] = {
    "driven": _driven,
    "lit": _illuminated,
    "repeated": _repeated,
    "empty": lambda results: {},
}


def read(results: xr.Dataset, size: float, places: Mapping[str, Floats], seconds: float) -> Round:
    """What is compared of a solve of so many ``seconds`` whose cells or segments are ``size`` times
    as large as the last one's, with the fields at the ``places`` (n, 3) in m of captures.
    """
    return Round(
        READERS[scattering.kind(results)](results), size, confidence.read(results, places), seconds
    )


def with_errors(results: xr.Dataset, rounds: Sequence[Round]) -> xr.Dataset:
    """The last round's results with what is known of their errors: ``s_error`` against frequency,
    and ``errors``, a JSON object of quantities with ``value`` and ``basis``.
    """
    kind = scattering.kind(results)
    names = set.intersection(*(set(r.values) for r in rounds)) if rounds else set()
    sizes = [r.size for r in rounds]
    edges = kind == "repeated" and bool(results.attrs.get("metal", 0))
    steepest = UNSURE if edges or (kind == "lit" and rounds and _absorbs(rounds[-1])) else ORDERS[1]
    held = EDGES_HELD if edges else HELD
    ring = RING * 10 ** (_left_db(results) / 20)
    of = {
        name: error_of(values, sizes, 1.0 if name in SINGLE else held, steepest)
        for name in names
        if _alike(values := [r.values[name] for r in rounds])
    }
    basis = f"{len(rounds)} rounds" if len(rounds) > 1 else "one round only"
    out: dict[str, Any] = {}

    def put(name: str, value: Any, floor: float, more: float = 0.0) -> None:
        worst = (
            float(np.nanmax(value)) + more
            if value is not None and np.isfinite(value).any()
            else None
        )
        out[name] = {
            "value": None if worst is None else float(np.hypot(worst, floor)),
            "basis": basis,
        }

    if kind == "driven":
        floor = float(
            np.hypot(FLOOR_S, np.hypot(ring, float(results.attrs["interpolation_error"])))
        )
        gap = GAP_S * float(results.attrs.get("fed_radius", 0.0))
        s = of.get("s")
        put("s", s, floor, gap)
        if s is not None:
            results = results.assign(
                s_error=(
                    ("frequency", "port", "port_in"),
                    np.hypot(s + gap, floor),
                    {"units": "1", "long_name": "estimated error of S"},
                )
            )
        ohms = np.array([r.values["z0"] for r in rounds])
        # of line and guide feeds, which the grid gives theirs: it wavers about its limit
        if len(ohms) > 1 and np.ptp(ohms, axis=0).any():
            put("impedance_relative", error_of_wavering(list(ohms)) / ohms[-1], FLOOR_IMPEDANCE)
        put("gain_db", _peak_db(rounds, of.get("gain")), float(np.hypot(FLOOR_DB, 8.7 * ring)))
        put("pattern_db", _pattern_db(rounds, of.get("gain")), FLOOR_DB)
        put(
            "efficiency",
            of.get("efficiency"),
            float(
                np.hypot(FLOOR_SHARE, np.nanmax(rounds[-1].values["balance"], initial=0.0))
                if rounds
                else FLOOR_SHARE
            ),
        )
        resonance = rounds[-1].values["resonance"] if rounds else np.zeros(0)
        off = of.get("resonance")
        put("resonance_relative", None if off is None else off / resonance, FLOOR_FREQUENCY)
        put("depth", of.get("depth"), floor, 0.5 * gap)
        put(
            "s_beside_shift",
            error_of(beside, sizes)
            if (beside := _aligned(rounds, results["frequency"].values))
            else None,
            floor,
            0.5 * gap,
        )
    elif kind == "lit":
        put("rcs_db", _relative_db(rounds, "rcs", of.get("rcs")), FLOOR_DB)
        for name in ("scattered", "absorbed", "extinction"):
            put(
                f"{name}_relative",
                _of_taken(rounds, name, of.get(name)),
                float(np.hypot(FLOOR_SHARE, 2 * ring)),
            )
        out["cross_section_relative"] = max(
            (out[f"{n}_relative"] for n in ("scattered", "extinction")),
            key=lambda e: e["value"] or 0.0,
        )
    elif kind == "repeated":
        for name in ("reflection", "transmission", "reflectance", "transmittance"):
            put(name, of.get(name), float(np.hypot(FLOOR_SHARE, ring)))
    results = confidence.assign(results, [r.fields for r in rounds], sizes)
    return results.assign_attrs(
        errors=json.dumps(out), round_sizes=sizes, round_seconds=[r.seconds for r in rounds]
    )


def _left_db(results: xr.Dataset) -> float:
    left = float(results.attrs.get("energy_left", 0.0))
    return 10 * float(np.log10(max(left, 1e-30)))


def _aligned(rounds: Sequence[Round], f: Floats) -> list[Any]:
    """S (f, P, P) of rounds, those before the last moved in frequency so that their lowest
    reflections fall together; none without a lowest reflection in the band.

    A resonance that moves changes S much at any one frequency: its error is one of frequency, and
    what is left beside that.
    """
    if len(rounds) < 2:
        return []
    wanted = rounds[-1].values["resonance"]
    out = []
    for r in rounds:
        ratios = r.values["resonance"] / wanted
        if not np.isfinite(ratios).any():
            return []
        at = f * float(np.nanmean(ratios))
        flat = r.values["s"].reshape(len(f), -1)
        moved = np.stack(
            [np.interp(at, f, c.real) + 1j * np.interp(at, f, c.imag) for c in flat.T], axis=1
        )
        moved[(at < f[0]) | (at > f[-1])] = np.nan
        out.append(moved.reshape(r.values["s"].shape))
    return out


def _alike(values: list[Any]) -> bool:
    return len({np.shape(v) for v in values}) == 1


def _peak_db(rounds: Sequence[Round], error: Floats | None) -> Floats | None:
    """dB by which the largest gain (f,) may be off."""
    if error is None:
        return None
    gain = rounds[-1].values["gain"]
    fed = np.flatnonzero(np.isfinite(gain).all(axis=1))
    at = fed, gain[fed].argmax(axis=1)
    return np.asarray(10 * np.log10(1 + error[at] / gain[at]))


def _pattern_db(rounds: Sequence[Round], error: Floats | None) -> Floats | None:
    """dB by which gain above −20 dB of the largest may be off, RMS over directions (f,)."""
    if error is None:
        return None
    gain = rounds[-1].values["gain"]
    gain, error = (x[np.isfinite(gain).all(axis=1)] for x in (gain, error))
    strong = gain > gain.max(axis=1, keepdims=True) * 10 ** (PATTERN_LEVEL / 10)
    db = np.where(strong, 10 * np.log10(1 + error / np.maximum(gain, 1e-30)), np.nan)
    return np.asarray(np.sqrt(np.nanmean(db**2, axis=1)))


def _relative_db(rounds: Sequence[Round], name: str, error: Floats | None) -> Floats | None:
    if error is None:
        return None
    value = rounds[-1].values[name]
    strong = value > value.max() * 10 ** (PATTERN_LEVEL / 10)
    return np.where(strong, 10 * np.log10(1 + error / np.maximum(value, 1e-300)), np.nan)


def _absorbs(last: Round) -> bool:
    """Whether anything lit takes power of note."""
    return float(np.max(last.values["absorbed"])) > LOSSY * float(np.max(last.values["extinction"]))


def _of_taken(rounds: Sequence[Round], name: str, error: Floats | None) -> Floats | None:
    """Relative to the values, where a tenth of the largest is left, and to a tenth of the
    extinction at least: of what absorbs nothing there is no share.
    """
    if error is None:
        return None
    value, taken = (np.abs(rounds[-1].values[n]) for n in (name, "extinction"))
    return np.where(
        taken > FED * max(float(taken.max()), 1e-300),
        error / np.maximum(np.maximum(value, FED * taken), 1e-300),
        np.nan,
    )


def errors_in(results: xr.Dataset) -> dict[str, dict[str, Any]]:
    """What :func:`with_errors` found of a run, by quantity; nothing of runs that are older."""
    return dict(json.loads(results.attrs.get("errors", "{}")))


def level_error(error: float | None, level_db: float) -> float | None:
    """dB by which a level may be off whose amplitude is off by ``error``, to first order and no
    more than all of it.
    """
    return (
        None if error is None else float(20 / np.log(10) * min(1.0, error / 10 ** (level_db / 20)))
    )
