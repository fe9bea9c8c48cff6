"""What can be looked at of a grid before a run: the space it fills and the pulse sent into it,
slices through it, and the modes of its openings.
"""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from heron.engines.contract import Engine, Seen, View
from heron.engines.transient.contents import fill
from heron.engines.transient.cut import cut
from heron.engines.transient.incidence import box_corners
from heron.engines.transient.mode_study import modes_with_errors
from heron.engines.transient.openings import Aperture
from heron.engines.transient.structure import Structure
from heron.errors import CapacityError
from heron.excitation.pulse import Pulse, pulse_of
from heron.formats.tables import MODE_COLUMNS, mode_fields, mode_rows, table
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.feeds import MOST_MODES

MOST_SHOWN = 6_000_000  # cells of a grid that is laid open
MOST_CROWDED = 50
PULSE_POINTS = 241


class CutAsked(BaseModel):
    """A slice across ``axis`` at ``at`` m."""

    model_config = ConfigDict(extra="forbid")
    axis: Literal["x", "y", "z"]
    at: float = Field(ge=-1e6, le=1e6)


class ModesAsked(BaseModel):
    """The first ``modes`` of line or guide feed number ``feed``, with their fields at a
    ``frequency`` in Hz: the top of the band unless given.
    """

    model_config = ConfigDict(extra="forbid")
    feed: int = Field(ge=0, le=63)
    frequency: float | None = Field(default=None, gt=0, le=1e16)
    modes: int = Field(default=3, ge=1, le=MOST_MODES)


def stage(model: Evaluated, discretisation: Any) -> dict[str, Any]:
    """The space that a grid fills, m, and the pulses that will be sent into it."""
    s: Structure = discretisation.structure
    low, high = s.inner
    sources = [source for source in model.illuminations or model.feeds if source is not None]
    return {
        "low": low.tolist(),
        "high": high.tolist(),
        "cells": list(s.shape),
        "smallest_m": [float(np.diff(line).min()) for line in s.lines],
        "largest_m": s.largest,
        "box": (
            [corner.tolist() for corner in box_corners(s)] if model.document.illuminations else None
        ),
        "crowded": [list(c) for c in s.crowded[:MOST_CROWDED]],
        "openings": [_opening(s, p) for p in s.apertures],
        "pulses": [
            {"names": names, **_pulse(pulse)}
            for pulse, names in _pulses(model.plan, sources).items()
        ],
    }


def _pulses(plan: Any, sources: list[Any]) -> dict[Pulse, list[str]]:
    """The pulses of a run with the sources that each is for; without any source that of the
    plan.
    """
    out: dict[Pulse, list[str]] = {}
    for source in sources or [None]:
        name = (
            []
            if source is None
            else [f"port {source.number}" if hasattr(source, "number") else source.name]
        )
        out.setdefault(pulse_of(plan, source), []).extend(name)
    return out


def _pulse(pulse: Pulse) -> dict[str, list[float]]:
    time = np.linspace(0, pulse.duration, PULSE_POINTS)
    f = np.linspace(max(0.0, 2 * pulse.centre - pulse.highest), pulse.highest, PULSE_POINTS)
    return {
        "time_s": time.tolist(),
        "value": pulse(time).round(5).tolist(),
        "frequency_hz": f.tolist(),
        "level_db": pulse.level(f).round(3).tolist(),
    }


def _opening(s: Structure, p: Aperture) -> dict[str, Any]:
    """Which feed looks through an opening, its corners in m, which way its wave goes in, and where
    its case ends.
    """
    a, b = p.across
    corners = []
    for i, j in ((0, 0), (1, 0), (1, 1), (0, 1)):
        place = [0.0, 0.0, 0.0]
        place[p.axis] = float(s.lines[p.axis][p.line])
        place[a], place[b] = (
            float(s.lines[a][(p.low, p.high)[i][0]]),
            float(s.lines[b][(p.low, p.high)[j][1]]),
        )
        corners.append(place)
    return {
        "feed": p.number,
        "corners": corners,
        "axis": p.axis,
        "sign": p.sign,
        "back": float(s.lines[p.axis][p.end]),
    }


def _laid_open(model: Evaluated, geometry: Geometry, discretisation: Any) -> Structure:
    """The filled structure.

    :raises CapacityError: it is too fine to look at.
    """
    s: Structure = discretisation.structure
    if s.cells > MOST_SHOWN:
        raise CapacityError(
            f"the grid has {s.cells / 1e6:.0f} million cells, too many to lay open here; ask for"
            " fewer cells per wavelength to look at it"
        )
    fill(s, model, geometry)
    return s


def _cut(
    engine: Engine, model: Evaluated, geometry: Geometry, discretisation: Any, asked: CutAsked
) -> Seen:
    s = _laid_open(model, geometry, discretisation)
    found = cut(s, "xyz".index(asked.axis), asked.at, model.plan.f_stop)
    return Seen(
        {"axis": found.axis, "place": found.place, "cells": list(s.shape)},
        {
            "u": found.u,
            "v": found.v,
            "epsilon": found.epsilon,
            "conductor": found.conductor,
            "resolved": found.resolved,
            "metal": found.metal,
        },
    )


def _modes(
    engine: Engine, model: Evaluated, geometry: Geometry, discretisation: Any, asked: ModesAsked
) -> Seen:
    """:raises ModelError: there is no such opening, or no mode."""
    s = _laid_open(model, geometry, discretisation)
    at = float(model.plan.f_stop) if asked.frequency is None else asked.frequency
    sizes = engine.rounds(model.plan)[:-1]
    found = modes_with_errors(s, model, geometry, asked.feed, asked.modes, at, sizes)
    header = {
        "kinds": found.kinds,
        "at_hz": found.at,
        "axes": ["xyz"[k] for k in found.axes],
        "port": model.feeds[asked.feed].number,
        "share": next(p.share for p in s.apertures if p.number == asked.feed),
        "cut_off_hz": [c if np.isfinite(c) else None for c in found.cut_off.tolist()],
        "following_hz": found.following.tolist(),
    }
    complexes = (
        ("index", found.index),
        ("impedance", found.impedance),
        ("field", found.field),
    )
    parts = {
        name: part
        for name, value in complexes
        for name, part in ((f"{name}_re", value.real), (f"{name}_im", value.imag))
    }
    errors = {
        name: value
        for name in ("index_error", "impedance_error")
        if (value := getattr(found, name)) is not None
    }
    return Seen(
        header,
        {"frequency": found.frequency, "u": found.u, "v": found.v, "inside": found.inside}
        | parts
        | errors,
        {
            "modes.csv": lambda: table(MODE_COLUMNS, mode_rows(found)),
            "fields.csv": lambda: table(*mode_fields(found)),
        },
    )


VIEWS = {"grid": View(CutAsked, _cut), "modes": View(ModesAsked, _modes)}
