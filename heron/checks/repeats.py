"""Whether a model that is repeated without end can be, and is illuminated as the engine can."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from heron.model import Evaluated
from heron.model.surroundings import periods_of
from heron.problems import Problem

STRAIGHT = 1e-6  # of a direction: less than that aside is straight
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
            "a model is repeated along two of the three axes, and illuminated along the third",
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
            "what is repeated must be illuminated by a plane wave: what feeds in all of the cells"
            " do together is not worked out yet",
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
