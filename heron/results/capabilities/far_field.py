"""The far field of what is driven: directivity, gains, polarisation."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

import numpy as np
import xarray as xr

from heron.formats.tables import table
from heron.quantities import Quantity
from heron.results import patterns
from heron.results.capabilities.contract import (
    FINER,
    Capability,
    Context,
    Floats,
    Judged,
    Rounds,
    decibels,
)
from heron.results.capabilities.power import FED
from heron.results.errors import FLOOR_DB, PATTERN_LEVEL
from heron.results.polarisation import ellipse
from heron.results.power import budget
from heron.results.quantity import quantity

GAINS = ("directivity", "gain", "realized_gain")
PEAK = ("peak_theta", "peak_phi")
PATTERN_STEP = 10.0  # degrees between directions at which patterns are compared
PATTERN_POINTS = 11  # frequencies at most at which they are
COLUMNS = [
    "frequency_hz",
    "theta_deg",
    "phi_deg",
    "e_theta_re",
    "e_theta_im",
    "e_phi_re",
    "e_phi_im",
    "gain_dbi",
]


class FarField(Capability):
    """Directivity, gain and realized gain: the largest, and in any direction; axial ratio."""

    name: ClassVar[str] = "far field"
    words: ClassVar[str] = "a far field with gain"
    judged: ClassVar[Mapping[str, Judged]] = {
        "gain_db": Judged("the gain", 0.1, 0.5, decibels, FINER),
    }
    powers: ClassVar[frozenset[str]] = frozenset(GAINS)
    directional: ClassVar[tuple[str, ...]] = (*GAINS, "axial_ratio")

    def in_older(self, results: xr.Dataset) -> bool:
        return not results.attrs.get("lit", 0)

    def names(self) -> list[str]:
        return [*GAINS, *PEAK]

    def find(self, run: Context, name: str) -> Quantity | None:
        if name in GAINS:
            return quantity(_against_frequency(run, name + "_dbi", lambda v: 10 ** (v / 10)))
        if name in PEAK:
            return quantity(_against_frequency(run, name + "_deg", np.radians))
        return None

    def towards(self, run: Context, name: str, theta: float, phi: float) -> Quantity | None:
        """Gains and axial ratio."""
        if name not in self.directional:
            return None
        out = np.full(len(run.frequency), np.nan)
        power = {
            "directivity": run.powers.radiated,
            "gain": run.powers.accepted,
            "realized_gain": run.powers.available,
        }.get(name)
        for i, _ in run.far:
            field = patterns.far_field(
                run.results, i, np.array([np.degrees(theta)]), np.array([np.degrees(phi)])
            )
            out[i] = (
                ellipse(field).axial_ratio[0]
                if power is None
                else 4 * np.pi * patterns.intensity(field)[0] / power[i]
            )
        return quantity(out)

    def summary(self, results: xr.Dataset, model: Any, indices: list[int]) -> dict[str, Any]:
        return {"far_field": [patterns.as_dict(f) for f in patterns.figures(results, indices)]}

    def pattern(
        self, results: xr.Dataset, index: int, theta: Floats, phi: Floats, shown: Any
    ) -> Floats | None:
        """dBi of a component."""
        return patterns.levels(
            results, index, theta, phi, shown.quantity, shown.component, np.radians(shown.reference)
        )

    def compared(self, results: xr.Dataset) -> dict[str, Any]:
        """Gain at the same frequencies in every round, as it differs more from one to the next than
        from round to round.
        """
        f, powers = results["frequency"].values, budget(results)
        theta = np.arange(0, 180.1, PATTERN_STEP)
        t, p = (
            x.ravel()
            for x in np.meshgrid(theta, np.arange(0, 360, 2 * PATTERN_STEP), indexing="ij")
        )
        gains = np.full((min(PATTERN_POINTS, len(f)), len(t)), np.nan)
        fed = powers.accepted > FED * powers.available
        for n, i in enumerate(np.linspace(0, len(f) - 1, len(gains)).round().astype(int).tolist()):
            if fed[i]:
                level = patterns.intensity(patterns.far_field(results, i, t, p))
                gains[n] = 4 * np.pi * level / float(powers.accepted[i])
        return {"gain": gains} if np.isfinite(gains).any() else {}

    def state_errors(self, rounds: Rounds) -> None:
        error = rounds.error("gain")
        error = None if error is None else rounds.wavers * error
        values = None if error is None else (rounds.values("gain")[-1], error)
        floor = float(np.hypot(FLOOR_DB, 8.7 * rounds.ring))
        rounds.put("gain_db", None if values is None else _peak_db(*values), floor)
        rounds.put("pattern_db", None if values is None else _pattern_db(*values), FLOOR_DB)


def pattern_csv(
    results: xr.Dataset, indices: list[int], step_theta_deg: float, step_phi_deg: float
) -> str:
    """A table in the order of :data:`COLUMNS`: r·E in V under the drive, gain over accepted
    power.
    """
    theta, phi = patterns.grid(step_theta_deg, step_phi_deg)
    t, p = np.repeat(theta, len(phi)), np.tile(phi, len(theta))
    accepted, rows = budget(results).accepted, []
    for index in indices:
        field = patterns.far_field(results, index, t, p)
        gain = patterns.decibel(4 * np.pi * patterns.intensity(field) / accepted[index])
        f = np.full(len(t), float(results["frequency"].values[index]))
        parts = [field[:, k] for k in (0, 1)]
        columns = [part for c in parts for part in (c.real, c.imag)]
        rows.append(np.column_stack((f, t, p, *columns, gain)))
    return table(COLUMNS, np.vstack(rows))


def _against_frequency(run: Context, key: str, change: Any) -> Floats:
    out = np.full(len(run.frequency), np.nan)
    for i, f in run.far:
        out[i] = np.nan if f[key] is None else change(f[key])
    return out


def _peak_db(gain: Floats, error: Floats) -> Floats:
    """dB by which the largest gain (f,) may be off."""
    fed = np.flatnonzero(np.isfinite(gain).all(axis=1))
    at = fed, gain[fed].argmax(axis=1)
    return np.asarray(10 * np.log10(1 + error[at] / gain[at]))


def _pattern_db(gain: Floats, error: Floats) -> Floats:
    """dB by which gain above −20 dB of the largest may be off, RMS over directions (f,)."""
    gain, error = (x[np.isfinite(gain).all(axis=1)] for x in (gain, error))
    strong = gain > gain.max(axis=1, keepdims=True) * 10 ** (PATTERN_LEVEL / 10)
    db = np.where(strong, 10 * np.log10(1 + error / np.maximum(gain, 1e-30)), np.nan)
    return np.asarray(np.sqrt(np.nanmean(db**2, axis=1)))
