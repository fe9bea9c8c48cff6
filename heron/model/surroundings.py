"""What a model stands in: layers, and periods along which it is repeated."""

from __future__ import annotations

import numpy as np

from heron.model.evaluation import Evaluated
from heron.model.substances import media_of


def periods_of(model: Evaluated) -> dict[int, float]:
    """m, by axis."""
    return (
        {k: float(p) for k, p in enumerate(model.surround.period) if p}
        if model.surround is not None
        else {}
    )


def layers_of(model: Evaluated) -> list[tuple[str, float, float]]:
    """(material, lower, upper height in m) of layers, from above; the lowest may reach to −∞.

    Those of no known medium are vacuum.
    """
    out, top, known = (
        [],
        model.surround.top if model.surround is not None else 0.0,
        media_of(model)[0],
    )
    for layer in model.surround.layers if model.surround is not None else []:
        bottom = -np.inf if layer.thickness is None else top - layer.thickness
        out.append((layer.material if layer.material in known else "vacuum", bottom, top))
        top = bottom
    return out
