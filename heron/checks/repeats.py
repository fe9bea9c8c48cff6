"""Whether a model that is repeated without end can be, and is lit as the engine can."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from heron.checks.problems import Problem
from heron.engines.transient.structure import layers_of, periods_of
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.substances import media_of
from heron.quantities import engineering
from heron.quantities.constants import C0

STRAIGHT = 1e-6  # of a direction: less than that aside is straight
BEYOND = 1e-6  # of the period: less than that beyond is at its end
NO_FAR = ("far_field", "scattered_cut")


def repeat_problems(model: Evaluated) -> Iterator[Problem]:
    """Periods along two axes, above zero, without mirrors or walls there; a plane wave straight
    along the third; nothing that asks for a far field.
    """
    periods = periods_of(model)
    if not periods or model.surround is None:
        return
    for k, period in periods.items():
        if period <= 0:
            yield Problem(
                "error", "invalid", "the period must be above zero", path=("surround", "period", k)
            )
        for field, own in (
            ("mirror", model.surround.mirror[k] != "none"),
            ("walls", set(model.surround.walls[2 * k : 2 * k + 2]) != {"open"}),
        ):
            if own:
                what = "a mirror plane" if field == "mirror" else "a wall that reflects"
                yield Problem(
                    "error",
                    "invalid",
                    f"along {'xyz'[k]} the model is repeated, and cannot have {what} there too",
                    "take one of them out",
                    ("surround", field),
                )
    if len(periods) != 2:
        yield Problem(
            "error",
            "invalid",
            "a model is repeated along two of the three axes, and lit along the third",
            "give both periods, or none",
            ("surround", "period"),
        )
        return
    (free,) = set(range(3)) - set(periods)
    if free != 2 and model.surround.layers:
        yield Problem(
            "error",
            "invalid",
            "layers go on along x and y: repeat the model along these",
            path=("surround", "period"),
        )
    if not model.document.illuminations:
        yield Problem(
            "error",
            "invalid",
            "what is repeated must be lit by a plane wave: what feeds in all of the cells do"
            " together is not worked out yet",
            path=("surround", "period"),
        )
    for i, light in enumerate(model.illuminations):
        if light is None:
            continue
        if light.kind != "plane_wave":
            yield Problem(
                "error",
                "invalid",
                "a beam cannot be repeated; light the cells with a plane wave",
                path=("illuminations", i),
            )
        elif np.abs(np.delete(light.travels, free)).max() > STRAIGHT * np.linalg.norm(
            light.travels
        ):
            yield Problem(
                "error",
                "invalid",
                f"between cells that are alike a wave must travel straight along {'xyz'[free]}; one"
                " that slants needs a shift of phase from cell to cell",
                path=("illuminations", i, "travels"),
            )
    for i, capture in enumerate(model.document.captures):
        if capture.kind in NO_FAR:
            yield Problem(
                "error",
                "invalid",
                "what is repeated without end has no far field: take this capture out",
                "reflectance and transmittance are always there",
                ("captures", i),
            )


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
                f"from {engineering(first, 'Hz', 3)} on the period is longer than a wavelength, and"
                " waves go off aslant too",
                "reflectance and transmittance count them; complex reflection and transmission are"
                " of the straight wave",
                ("surround", "period"),
            )
        )
    return out
