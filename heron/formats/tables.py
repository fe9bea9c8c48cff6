"""CSV tables of results. Fixed English column names with units, full double precision."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray


def table(columns: list[str], rows: NDArray[np.float64]) -> str:
    """Rows under headings, as CSV."""
    line = ",".join(["%.10g"] * len(columns)) + "\n"
    return ",".join(columns) + "\n" + "".join([line % tuple(row) for row in rows.tolist()])


def mixed_table(columns: Sequence[str], rows: Sequence[Mapping[str, Any]]) -> str:
    """Of rows that have text and numbers by the names of the columns."""
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
