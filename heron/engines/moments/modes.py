"""Characteristic modes of metal: currents J with X J = λ R J, of the impedance matrix R + jX
(Harrington and Mautz, IEEE Trans. Antennas Propag. 19 (1971)).

Modes of a |λ| that is not large are those of a few directions in which R does not vanish. With
R = L Lᵀ, L (m, r) by a pivoted Cholesky factorisation, 1/λ are the eigenvalues of the symmetric
Lᵀ X⁻¹ L (r, r), of eigenvectors u, and J = X⁻¹ L u.
"""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray
from scipy.linalg import solve
from scipy.linalg.lapack import dpstrf
from scipy.optimize import linear_sum_assignment

from heron.engines.moments.surface_system import SurfaceSystem
from heron.engines.patience import attended
from heron.engines.progress import Event, Progress, Signal

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

LEAST = 1e-7  # of the largest resistance: what is below is rounding and integration
SPARE = 4  # modes more than twice those asked for are followed, as they change places
ALIKE = 0.3  # least correlation with a mode's current at the frequency before
FAINT = 1e-9  # W that a mode still radiates at other frequencies, to be known again
RADIATED = 1.0  # W, of every mode


def characteristic(resistance: Floats, reactance: Floats, count: int) -> tuple[Floats, Floats]:
    """Eigenvalues (count,), those of the least size first, and currents (m, count) that radiate
    1 W each, peak; fewer where fewer radiate.
    """
    factor, pivots, rank, _ = dpstrf(
        resistance, tol=LEAST * float(resistance.diagonal().max()), lower=1
    )
    lower = np.zeros((len(resistance), rank))
    lower[pivots - 1] = np.tril(factor)[:, :rank]
    answer = solve(reactance, lower, assume_a="sym", check_finite=False)
    reduced = lower.T @ answer
    inverse, vectors = np.linalg.eigh((reduced + reduced.T) / 2)
    best = np.argsort(-np.abs(inverse))[:count]
    inverse = inverse[best]
    # of J = X⁻¹ L u is Jᵀ R J = 1/λ²
    currents = answer @ vectors[:, best] * (np.sqrt(2 * RADIATED) / np.abs(inverse))
    return 1 / inverse, np.asarray(currents)


def with_modes(
    results: xr.Dataset,
    system: SurfaceSystem,
    asked: Any,
    progress: Progress,
) -> xr.Dataset:
    """The dataset with the modes that a capture asks for, followed from the top of its band down,
    and the shares that they have in what the run's drive radiates. Stopping keeps none.
    """
    count, f = int(asked.count), results["frequency"].values
    grid = np.linspace(f[0], f[-1], int(asked.points)) if len(f) > 1 else f
    eigenvalues: list[Floats] = []
    currents: list[Floats] = []
    shares: list[Floats] = []
    driven = np.einsum("p,fpm->fm", results["drive"].values, results["edge_current"].values)
    for i in range(len(grid))[::-1]:
        hz = float(grid[i])
        done = 0.9 + 0.1 * (len(grid) - 1 - i) / len(grid)
        found = attended(
            lambda hz=hz: _at(system, hz, 2 * count + SPARE),  # type: ignore[misc]
            lambda done=done: progress(Event("modes", done)),  # type: ignore[misc]
        )
        if found is None or progress(Event("modes", done)) is Signal.STOP:
            return results.assign_attrs(stopped=1, status="stopped before all modes were found")
        own, modes, resistance = found
        if currents:
            own, modes = _followed(currents[-1], own, modes, resistance)
        eigenvalues.append(own)
        currents.append(modes)
        share = _shares(_between(f, driven, hz), modes, resistance)
        shares.append(np.where(np.isfinite(own), share, np.nan))
    values, known = np.array(eigenvalues)[::-1], np.isfinite(eigenvalues)[::-1]
    significance = np.where(known, 1 / np.hypot(1, values), 0.0)
    kept = np.argsort(-significance.mean(axis=0))[:count]
    flowing = np.moveaxis(np.array(currents)[::-1], -1, 1)
    flowing = np.where(known[..., None], flowing, 0.0)[:, kept]
    provides = [*json.loads(results.attrs["provides"]), "characteristic modes"]
    return results.assign_attrs(provides=json.dumps(provides)).assign(
        mode_frequency=(("mode_point",), grid, {"units": "Hz"}),
        mode_eigenvalue=(
            ("mode_point", "mode"),
            values[:, kept],
            {"units": "1", "long_name": "reactance over resistance of a characteristic mode"},
        ),
        mode_share=(
            ("mode_point", "mode"),
            np.array(shares)[::-1, kept],
            {"units": "1", "long_name": "share of the power that the drive radiates"},
        ),
        mode_current=(
            ("mode_point", "mode", "unknown"),
            flowing.astype(np.float32),
            {"units": "A/m", "long_name": "across edges, radiating 1 W"},
        ),
    )


def _at(system: SurfaceSystem, frequency: float, count: int) -> tuple[Floats, Floats, Floats]:
    matrix = system.outer(frequency)
    resistance = np.ascontiguousarray(matrix.real)
    found, currents = characteristic(resistance, np.ascontiguousarray(matrix.imag), count)
    short = count - len(found)
    if short > 0:  # as many columns at every frequency
        found = np.append(found, np.full(short, np.nan))
        currents = np.hstack((currents, np.zeros((len(currents), short))))
    return found, currents, resistance


def _followed(
    before: Floats, found: Floats, modes: Floats, resistance: Floats
) -> tuple[Floats, Floats]:
    """Modes in the order of those ``before`` (m, n), by what their currents would radiate of one
    another; one that is like none of them is not known here.
    """
    field = resistance @ before
    radiated = np.einsum("mn,mn->n", before, field)
    alike = np.abs(field.T @ modes) / np.sqrt(np.maximum(radiated, FAINT) * 2 * RADIATED)[:, None]
    rows, columns = linear_sum_assignment(-alike)
    values, currents = np.full(len(found), np.nan), np.zeros_like(modes)
    values[rows], currents[:, rows] = found[columns], modes[:, columns]
    lost = rows[alike[rows, columns] < ALIKE]
    values[lost] = np.nan
    # a current's sign means nothing: it goes on as it was
    currents *= np.where(np.einsum("mn,mn->n", field, currents) < 0, -1.0, 1.0)
    currents[:, lost] = before[:, lost]
    return values, currents


def _between(f: Floats, driven: Complexes, hz: float) -> Complexes:
    """Driven current (m,) between those at frequencies (f, m)."""
    at = float(np.interp(hz, f, np.arange(len(f))))
    low = int(at)
    high = min(low + 1, len(f) - 1)
    return np.asarray((1 - (at - low)) * driven[low] + (at - low) * driven[high])


def _shares(driven: Complexes, modes: Floats, resistance: Floats) -> Floats:
    """Of the power that a current (m,) radiates, those of modes (m, n), which add up to all."""
    field = resistance @ driven
    radiated = 0.5 * float((driven.conj() @ field).real)
    weight = modes.T @ field / (2 * RADIATED)
    return np.asarray(RADIATED * np.abs(weight) ** 2 / max(radiated, 1e-300))
