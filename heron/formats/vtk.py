"""Fields on points as legacy VTK files: structured grids in ASCII (*VTK File Formats*, version
3.0).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


def structured(
    title: str, points: Floats, counts: tuple[int, int, int], vectors: dict[str, Complexes]
) -> str:
    """Points (n, 3) in m with the first count along the fastest index, and complex vectors (n, 3):
    real and imaginary parts and magnitude of each.
    """
    lines = [
        "# vtk DataFile Version 3.0",
        title[:255].replace("\n", " "),
        "ASCII",
        "DATASET STRUCTURED_GRID",
        "DIMENSIONS " + " ".join(map(str, counts)),
        f"POINTS {len(points)} double",
        _rows(points),
        f"POINT_DATA {len(points)}",
    ]
    for name, v in vectors.items():
        lines += [
            f"VECTORS {name}_re double",
            _rows(v.real),
            f"VECTORS {name}_im double",
            _rows(v.imag),
            f"SCALARS {name}_rms double 1",
            "LOOKUP_TABLE default",
            _rows(np.sqrt(0.5 * (np.abs(v) ** 2).sum(axis=1))[:, None]),
        ]
    return "\n".join(lines) + "\n"


def _rows(values: Floats) -> str:
    return "\n".join(" ".join(f"{x:.9g}" for x in row) for row in values.tolist())
