"""Parts beyond what is repeated, and bands with more waves than one."""

from __future__ import annotations

from typing import Any

import numpy as np

from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.substances import media_of
from heron.model.surroundings import layers_of, periods_of
from heron.problems import Problem
from heron.quantities import engineering
from heron.quantities.constants import C0

BEYOND = 1e-6  # of the period: less than that beyond is at its end


def beyond_period(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Parts that reach beyond what is repeated; and a band in which waves go off in other
    directions too.
    """
    out: list[Problem] = []
    periods = periods_of(model)
    if not periods:
        return out
    for k, period in periods.items():
        half = (0.5 + BEYOND) * period
        ends = [(b.name, b.step, np.array(b.bounds)[:, k]) for b in geometry.bodies]
        ends += [
            (p.name, p.step, p.path.at(np.array(p.path.corners))[:, k]) for p in geometry.parts
        ]
        for name, step, places in ends:
            if np.abs(places).max() > half:
                out.append(
                    Problem(
                        "error",
                        "invalid",
                        f"“{name}” reaches beyond the period along {'xyz'[k]}, which goes from"
                        f" {engineering(-period / 2, 'm', 4)} to {engineering(period / 2, 'm', 4)}",
                        "make it smaller, move it, or make the period longer",
                        ("parts", step),
                    )
                )
    slowest = max(
        [
            1.0,
            *(
                float(np.sqrt(abs(media_of(model)[0][name].epsilon(model.plan.f_stop)[0])))
                for name, bottom, _ in layers_of(model)
                if np.isinf(bottom)
            ),
        ]
    )
    first = C0 / slowest / max(periods.values())
    if first < model.plan.f_stop:
        out.append(
            Problem(
                "look",
                "higher-orders",
                f"grating lobes appear from {engineering(first, 'Hz', 3)} on: the period is longer"
                " than a wavelength",
                "reflectance and transmittance count them; complex reflection and transmission are"
                " those of the zero-order wave",
                ("surround", "period"),
            )
        )
    return out
