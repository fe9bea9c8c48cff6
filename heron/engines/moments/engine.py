"""The moments engine behind the common contract."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

import numpy as np
import xarray as xr

from heron.discretise.held import Laid
from heron.engines.contract import (
    NO_INPUTS,
    Change,
    Forecast,
    Inputs,
    Stage,
    Verdict,
    View,
    no_inputs,
)
from heron.engines.moments.formulation import Discretisation, Formulation, modes_asked
from heron.engines.moments.sweep import CONFIRMATIONS, FIRST_SOLVES
from heron.engines.moments.trust import trust
from heron.engines.moments.views import VIEWS
from heron.engines.moments.wires import Wires
from heron.engines.progress import Progress, silent
from heron.errors import ModelError
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.problems import Problem
from heron.quantities.constants import C0
from heron.results.capabilities import TrustItem
from heron.steps.settings.moments import MOST_SEGMENTS

MOST = 2.0  # the highest rank that it gives itself: what it refuses, others may take
COARSER = 1.6  # segments of the first of two rounds over those of the second
# of the measured rates: caches and other sizes make them differ so much
FASTEST, SLOWEST = 0.5, 2.0
BASE_BYTES = 2.5e8  # interpreter, libraries and compiled kernels

WIRES = Wires()


def formulation(model: Evaluated, geometry: Geometry) -> Formulation:
    """How a model is solved: what is of wires alone by their own kernel, unless a wave illuminates
    it or its modes are asked for; what is of metal alone without regard to media.
    """
    lit = bool(model.document.illuminations)
    if not geometry.bodies and not lit and modes_asked(model) is None:
        return WIRES
    from heron.engines.moments.regions import MEDIA_REGIONS, bodies_of
    from heron.engines.moments.surfaces import SURFACES  # wires alone need no exact geometry

    return MEDIA_REGIONS if bodies_of(model, geometry) else SURFACES


class MomentsEngine:
    """Wires, surfaces of metal and bodies of media in open space or above a perfect ground
    plane.
    """

    name = "moments"
    views: Mapping[str, View] = MappingProxyType(VIEWS)

    def stage(self, model: Evaluated, discretisation: Any) -> dict[str, Any]:
        """Wires' joints and the ends of their segments, or corners of triangles, m."""
        return {"mesh": discretisation.by.stage(discretisation)}

    def suits(self, model: Evaluated, geometry: Geometry) -> Verdict:
        by = formulation(model, geometry)
        refused = _refused(model) or by.refused(model, geometry)
        if refused:
            return Verdict(MOST, "", refused)
        return Verdict(*by.suits(model, geometry))

    def checks(self, model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
        by: Formulation = discretisation.by
        return by.checks(model, geometry, discretisation)

    def rounds(self, plan: Any) -> list[float]:
        return [COARSER, 1.0] if plan.rounds > 1 else [1.0]

    def cost_order(self, discretisation: Any) -> float:
        return float(discretisation.by.order)

    def finer(self, plan: Any, factor: float) -> list[Change]:
        now = plan.settings.moments.segments_per_wavelength
        finer = min(float(np.ceil(now * factor)), MOST_SEGMENTS)
        words = "segments per wavelength"
        return [] if now >= finer else [Change("segments_per_wavelength", finer, words)]

    def longer(self, plan: Any) -> tuple[list[Change], float]:
        return [], 1.0

    def layout(self, model: Evaluated, geometry: Geometry, size: float = 1.0) -> list[Laid]:
        made = self.discretise(model, geometry, size)
        return made.by.layout(made)

    def discretise(
        self, model: Evaluated, geometry: Geometry, size: float = 1.0, like: Sequence[Laid] = ()
    ) -> Discretisation:
        plan = model.plan
        top = max(plan.f_start, plan.f_stop) if plan else 1e9
        per_wavelength = plan.settings.moments.segments_per_wavelength if plan else 50.0
        if top <= 0 or per_wavelength <= 0:
            raise ModelError(
                "frequencies and segments per wavelength must be above zero", ("plan",)
            )
        by = formulation(model, geometry)
        return by.discretise(model, geometry, size * C0 / top / per_wavelength, size, like)

    def forecast(self, model: Evaluated, discretisation: Discretisation) -> Forecast:
        plan = model.plan
        points, m = int(plan.points), discretisation.unknowns
        every = plan.settings.moments.sampling == "every" or bool(model.document.illuminations)
        solves = points if every else min(points, 11)
        costs = discretisation.by.costs(model, discretisation)
        fewest = min(solves, FIRST_SOLVES + CONFIRMATIONS)
        shares = [s**-discretisation.by.order for s in self.rounds(plan)]
        rounds, once = sum(shares) * (costs.fill + costs.factor), costs.once
        fields = points * costs.fields + 0.1
        return Forecast(
            self.name,
            m,
            costs.words,
            "segments_per_wavelength",
            solves,
            (
                Stage(
                    "solving",
                    rounds * (solves + once),
                    FASTEST * rounds * (fewest + once),
                    SLOWEST * rounds * (points + once),
                    costs.bytes_matrix + BASE_BYTES,
                ),
                Stage(
                    "fields",
                    fields,
                    FASTEST * fields / 4,
                    SLOWEST * 4 * fields,
                    costs.bytes_per_point * points + BASE_BYTES,
                ),
            ),
            base_bytes=BASE_BYTES,
        )

    def trust(self, results: xr.Dataset) -> list[TrustItem]:
        return trust(results)

    def solve(
        self,
        model: Evaluated,
        discretisation: Discretisation,
        progress: Progress = silent,
        inputs: Inputs = NO_INPUTS,
    ) -> xr.Dataset:
        """Port parameters and currents at every point of the band.

        Stopping keeps the band between the lowest and highest frequency solved so far
        when the interpolation is usable, otherwise just the solved frequencies.
        """
        no_inputs(self.name, inputs)
        by: Formulation = discretisation.by
        return by.solve(model, discretisation, progress)


def _refused(model: Evaluated) -> list[str]:
    """Of wires and surfaces alike."""
    lights, around = model.document.illuminations, model.surround
    if any(light.kind != "plane_wave" for light in lights):
        return ["the moments engine has plane waves only; beams are of the transient engine"]
    if lights and around is not None and (around.kind == "ground" or around.layers):
        return ["the moments engine lights models in open space only"]
    if any(f.kind != "gap" for f in model.document.feeds):
        return [
            "the moments engine has gap feeds only; line and guide feeds and point dipoles are of"
            " the transient engine"
        ]
    if around is not None and any(p is not None for p in around.period):
        return ["the moments engine does not repeat a model"]
    if around is not None and any(w != "open" for w in around.walls):
        return ["the moments engine has no reflecting walls beside its ground plane"]
    return []
