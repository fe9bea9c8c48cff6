"""How wrong near fields and currents may be, place by place: from their values in rounds, as shares
of what they are there.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from heron.results import currents, near
from heron.results.convergence import HELD, Floats, error_by

FREQUENCIES = 3  # at which fields and currents are compared
PLACES = 1500  # of a capture that are compared, at most
FAINT = 0.1  # of the median over all places: errors of what is weaker are shares of this
FLOOR = 5e-3  # what is left at any fineness, measured
SPANS = np.linspace(0, 1, 51)  # along wires
NEIGHBOURS = 4  # between which is interpolated
FITTED = 8  # through which a plane is laid

Values = NDArray[np.complex128]


@dataclass(frozen=True)
class Fields:
    """Of one round, at a few sweep points: E, V/m, and H, A/m, (f, n, 2, 3) by capture at some of
    its points; currents (f, parts, spans) A along wires; and by capture the currents on surfaces,
    at frequencies of their own.
    """

    near: dict[str, Values]
    wires: Values | None
    surfaces: dict[str, list[currents.SurfaceCurrent]]


def sampled(results: xr.Dataset) -> list[int]:
    """The sweep points at which fields are compared."""
    n = results.sizes["frequency"]
    return sorted(set(np.linspace(0, n - 1, FREQUENCIES).round().astype(int).tolist()))


def few(count: int) -> slice:
    """Which of so many places are compared."""
    return slice(None, None, max(1, -(-count // PLACES)))


def read(results: xr.Dataset, places: Mapping[str, Floats]) -> Fields:
    """Of a solve, at the ``places`` (n, 3) in m of captures; without those that cannot be read."""

    def fields(name: str, points: Floats) -> Values:
        return np.array(
            [np.stack(near.near_field(results, i, points, name), axis=1) for i in sampled(results)]
        )

    at: dict[str, Values] = {}
    for name, points in places.items():
        with suppress(LookupError):
            try:
                at[name] = fields(name, points[few(len(points))])
            except LookupError:  # what was recorded can be read whole only
                at[name] = fields(name, points)[:, few(len(points))]
    wires = (
        np.array([currents.along_wires(results, i, SPANS) for i in sampled(results)])
        if "current" in results
        else None
    )
    surfaces = {
        name: [
            currents.surface_current(results, name, f) for f in currents.frequencies(results, name)
        ]
        for name in currents.surface_names(results)
    }
    return Fields(at, wires, surfaces)


def assign(results: xr.Dataset, rounds: Sequence[Fields], sizes: Sequence[float]) -> xr.Dataset:
    """The last round's results with the errors of fields and currents: shares of their size there,
    from 0 to 1.
    """
    if len(rounds) < 2:
        return results
    new: dict[str, Any] = {}
    known = [
        name
        for name in rounds[-1].near
        if len({r.near[name].shape for r in rounds if name in r.near}) == 1
        and all(name in r.near for r in rounds)
    ]
    for k, name in enumerate(known):
        new[f"near error {k}"] = (
            ("compared", f"near error {k} point", "field"),
            _shares([r.near[name] for r in rounds], sizes).astype(np.float32),
        )
    if all(r.wires is not None for r in rounds):
        new["current_error"] = (
            ("compared", "wire", "span"),
            _shares([r.wires[..., None] for r in rounds if r.wires is not None], sizes).astype(
                np.float32
            ),
        )
    for k, name in enumerate(currents.surface_names(results)):
        own = [
            [
                at_rectangles(s, last)
                for s, last in zip(r.surfaces[name], rounds[-1].surfaces[name], strict=True)
            ]
            for r in rounds
        ]
        new[f"surface {k}_error"] = (
            (f"surface {k} frequency", f"surface {k} rectangle whole"),
            _shares([np.array(k) for k in own], sizes).astype(np.float32),
        )
    return (
        results.assign(new)
        .assign_attrs(near_errors=known)
        .assign_coords(compared=results["frequency"].values[sampled(results)])
    )


def _shares(values: list[Values], sizes: Sequence[float]) -> Floats:
    """Errors of vectors (f, …, components) over their size (f, …), at most 1; the places along axis
    1.

    Edges, where currents and fields grow without bound, differ much from round to round: what is
    typical of a field is the middle of its differences.
    """
    size = np.linalg.norm(values[-1], axis=-1)
    scale = np.maximum(size, FAINT * np.median(size, axis=1, keepdims=True))
    scale = np.where(scale > 0, scale, 1)
    found = error_by(
        [np.linalg.norm(b - a, axis=-1) / scale for a, b in pairwise(values)],
        sizes,
        HELD,
        lambda d: float(np.median(d)),
    )
    return np.asarray(np.clip(np.hypot(found, FLOOR), 0, 1))


def at_rectangles(of: currents.SurfaceCurrent, last: currents.SurfaceCurrent) -> Values:
    """Current per width (n, 3) of a coarser round at the pieces of the last one, between those
    that face alike; 0 where there are none.
    """
    if of is last:
        return last.k
    out = np.zeros((len(last.facing), 3), dtype=complex)
    for facing in np.unique(last.facing):
        own, wanted = of.facing == facing, last.facing == facing
        if own.any() and wanted.any():
            out[wanted] = _planes(of.middle[own], last.middle[wanted])(of.k[own])
    return out


def _planes(points: Floats, wanted: Floats) -> Callable[[Any], Any]:
    """Takes values at ``points`` (n, 3) to those at ``wanted`` (m, 3): of the plane through the
    nearest, by least squares weighted by 1/distance².
    """
    distance, index = (
        np.asarray(x).reshape(len(wanted), -1)
        for x in cKDTree(points).query(wanted, k=min(FITTED, len(points)))
    )
    scale = np.maximum(distance[:, -1:], 1e-30)
    basis = np.concatenate(
        (np.ones((*index.shape, 1)), (points[index] - wanted[:, None]) / scale[..., None]), axis=2
    )
    weight = 1 / np.maximum(distance / scale, 1e-3) ** 2
    normal = np.einsum("mk,mki,mkj->mij", weight, basis, basis) + 1e-6 * weight.sum(axis=1)[
        :, None, None
    ] * np.eye(4)
    own = np.linalg.solve(normal, np.einsum("mk,mki->mik", weight, basis))[:, 0]
    return lambda values: np.einsum("mk,mk...->m...", own, values[index])


def _between(points: Floats, wanted: Floats) -> Callable[[Any], Any]:
    """Takes values at ``points`` (n, 3) to those at ``wanted`` (m, 3): means of the nearest,
    weighted by 1/distance².
    """
    distance, index = (
        np.asarray(x).reshape(len(wanted), -1)
        for x in cKDTree(points).query(wanted, k=min(NEIGHBOURS, len(points)))
    )
    weight = 1 / np.maximum(distance, 1e-9 * max(float(np.ptp(points, axis=0).max()), 1e-30)) ** 2
    weight /= weight.sum(axis=1, keepdims=True)
    return lambda values: np.einsum("mk,mk...->m...", weight, values[index])


def of_capture(results: xr.Dataset, name: str, points: Floats, frequency: float) -> Floats | None:
    """Shares (n, 2) by which E and H of a capture may be off at its points (n, 3) m, between the
    frequencies that were compared; ``None`` where nothing is known, as after one round only.
    """
    known = [str(n) for n in np.ravel(results.attrs.get("near_errors", []))]
    if name not in known:
        return None
    found = _at_frequency(results[f"near error {known.index(name)}"], frequency)
    return np.asarray(_between(points[few(len(points))], points)(found))


def of_wires(results: xr.Dataset, frequency: float) -> Floats | None:
    """Shares (segments, 2) by which the currents at both ends of segments may be off; ``None``
    where nothing is known.
    """
    if "current_error" not in results:
        return None
    found = _at_frequency(results["current_error"], frequency)
    part, span = results["segment_part"].values.astype(int), results["segment_span"].values
    return np.array([np.interp(span[n], SPANS, found[p]) for n, p in enumerate(part)]).reshape(
        -1, 2
    )


def of_surface(results: xr.Dataset, name: str, frequency: float) -> Floats | None:
    """Shares (rectangles,) by which the current on a surface may be off, at the capture's frequency
    nearest to one in Hz; ``None`` where nothing is known.
    """
    names = currents.surface_names(results)
    key = f"surface {names.index(name)}_error" if name in names else ""
    if key not in results:
        return None
    return np.asarray(
        results[key].values[
            int(np.abs(np.array(currents.frequencies(results, name)) - frequency).argmin())
        ]
    )


def _at_frequency(errors: xr.DataArray, frequency: float) -> Floats:
    """Between those that were compared."""
    f = errors["compared"].values
    at = float(np.interp(frequency, f, np.arange(len(f))))
    low = min(int(at), max(len(f) - 2, 0))
    high = min(low + 1, len(f) - 1)
    return np.asarray((1 - (at - low)) * errors.values[low] + (at - low) * errors.values[high])
