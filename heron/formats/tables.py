"""CSV tables of results. Fixed English column names with units, full double precision."""

from __future__ import annotations

from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.results import patterns, ports
from heron.results.power import budget

PATTERN_COLUMNS = [
    "frequency_hz",
    "theta_deg",
    "phi_deg",
    "e_theta_re",
    "e_theta_im",
    "e_phi_re",
    "e_phi_im",
    "gain_dbi",
]


def table(columns: list[str], rows: NDArray[np.float64]) -> str:
    line = ",".join(["%.10g"] * len(columns)) + "\n"
    return ",".join(columns) + "\n" + "".join([line % tuple(row) for row in rows.tolist()])


def pattern_rows(
    results: xr.Dataset, index: int, step_theta_deg: float, step_phi_deg: float
) -> NDArray[np.float64]:
    """Rows (d, 8) in the order of :data:`PATTERN_COLUMNS`: r·E in V under the drive, gain over
    accepted power.
    """
    theta, phi = patterns.grid(step_theta_deg, step_phi_deg)
    t, p = np.repeat(theta, len(phi)), np.tile(phi, len(theta))
    field = patterns.far_field(results, index, t, p)
    gain = patterns.decibel(4 * np.pi * patterns.intensity(field) / budget(results).accepted[index])
    f = np.full(len(t), float(results["frequency"].values[index]))
    return np.column_stack(
        (f, t, p, field[:, 0].real, field[:, 0].imag, field[:, 1].real, field[:, 1].imag, gain)
    )


SCATTERING_COLUMNS = (
    "frequency_hz",
    "theta_deg",
    "phi_deg",
    "rcs_m2",
    "monostatic",
    "illumination",
)
CELL_COLUMNS = (
    "frequency_hz",
    "reflectance",
    "transmittance",
    "absorptance",
    "reflection_real",
    "reflection_imag",
    "transmission_real",
    "transmission_imag",
    "illumination",
)


def lit_csv(summary: dict[str, Any]) -> str:
    """Of a lit run its radar cross-sections, or what repeated cells send back and let through, as
    in ``summary.json``.
    """
    columns, rows = (
        (CELL_COLUMNS, summary["cells_lit"])
        if "cells_lit" in summary
        else (SCATTERING_COLUMNS, summary["scattering"])
    )
    lines = [",".join(columns)]
    lines += [
        ",".join(f"{r[c]:.10g}" if isinstance(r[c], float) else str(r[c]) for c in columns)
        for r in rows
    ]
    return "\n".join(lines) + "\n"


MODE_COLUMNS = [
    "frequency_hz",
    "mode",
    "index_re",
    "index_im",
    "impedance_re_ohm",
    "impedance_im_ohm",
    "index_error",
    "impedance_error_ohm",
]


def mode_rows(study: Any) -> NDArray[np.float64]:
    """Rows (f · modes, 8) in the order of :data:`MODE_COLUMNS`, mode by mode: effective index and
    impedance over frequency, and their errors, NaN where not known.
    """
    count, modes = study.index.shape
    number = np.repeat(np.arange(1.0, modes + 1), count)
    values = [
        part.T.ravel()
        for value in (study.index, study.impedance)
        for part in (value.real, value.imag)
    ]
    values += [
        (np.full(study.index.shape, np.nan) if error is None else error).T.ravel()
        for error in (study.index_error, study.impedance_error)
    ]
    return np.column_stack((np.tile(study.frequency, modes), number, *values))


def mode_fields(study: Any) -> tuple[list[str], NDArray[np.float64]]:
    """Columns and rows of the fields of modes in the middles of the cells of their opening: places
    in m, mode, E along both axes over the largest |E|.
    """
    u, v = (0.5 * (line[1:] + line[:-1]) for line in (study.u, study.v))
    a, b = ("xyz"[k] for k in study.axes)
    where = np.argwhere(study.inside)
    rows = []
    for mode, field in enumerate(study.field, start=1):
        own = field[where[:, 0], where[:, 1]]
        rows.append(
            np.column_stack(
                (
                    u[where[:, 0]],
                    v[where[:, 1]],
                    np.full(len(where), mode),
                    own[:, 0].real,
                    own[:, 0].imag,
                    own[:, 1].real,
                    own[:, 1].imag,
                )
            )
        )
    return [
        f"{a}_m",
        f"{b}_m",
        "mode",
        f"e_{a}_re",
        f"e_{a}_im",
        f"e_{b}_re",
        f"e_{b}_im",
    ], np.vstack(rows)


def ports_csv(results: xr.Dataset) -> str:
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
