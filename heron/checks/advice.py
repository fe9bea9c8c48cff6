"""What to change in a plan so that the errors of a run come within those of grade A, and what that
will take.
"""

from __future__ import annotations

from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any

import numpy as np
import xarray as xr

from heron.checks.preflight import MOST_CELLS, MOST_PER_DETAIL, MOST_SEGMENTS
from heron.checks.trust import judged_errors
from heron.engines import ENGINES, Engine
from heron.results.capabilities import judged, leading

AIM = 0.8  # of the error that grade A allows
# errors fall with this power of cells and segments, from where they are known to fall
ORDER = 2.0
MOST = 2.0  # times as fine at once: what is asked beyond is a guess
LEAST = 1.15  # times as fine: less changes hardly anything
# of that error, in amplitude: what is still ringing counts, and the run goes on for longer
RING = 0.3
DEEPER_DB = 15.0
DEEPEST_DB = 100.0
ROUNDS = 3


@dataclass(frozen=True)
class Advice:
    """``plan`` are fields with new values; ``seconds`` the time of the run then, from that of this
    one; ``words`` say both.
    """

    plan: dict[str, float]
    seconds: float
    words: str


def advise(results: xr.Dataset, plan: Any, wall: float) -> Advice | None:
    """How to reach grade A from a run of ``wall`` s by a plan, ``None`` where its errors are small
    already, or nothing can be said: it was stopped, or has no parts.
    """
    if results.attrs["stopped"] or any(c.alone for c in leading(results)):
        return None
    errors = judged_errors(results)
    out: dict[str, float] = {}
    engine = ENGINES[str(results.attrs["engine"])]
    finer = 1.0
    if not errors:
        out["rounds"] = ROUNDS
    else:
        worst = max(value / judged()[name].good for name, value in errors.items())
        if worst > 1:
            finer = float(np.clip((worst / AIM) ** (1 / ORDER), LEAST, MOST))
            out |= {
                name: min(value, MOST_OF[name])
                for name, value in engine.finer(plan, finer).items()
                if getattr(plan, name) < MOST_OF[name]
            }
    left = float(results.attrs.get("energy_left", 0.0))
    if (
        (not errors or finer > 1)
        and np.sqrt(left) > RING * judged()["s"].good
        and plan.decay < DEEPEST_DB
    ):
        out["decay"] = min(plan.decay + DEEPER_DB, DEEPEST_DB)
    if not out:
        return None
    fixed, grown = _times(results, engine, wall)
    costs = [
        engine.cost(size / finer) for size in engine.rounds(SimpleNamespace(**vars(plan) | out))
    ]
    seconds = len(costs) * fixed + sum(costs) * grown * out.get("decay", plan.decay) / plan.decay
    asked = ", ".join(f"{value:g} {NAMES[name]}" for name, value in out.items())
    return Advice(out, seconds, asked)


def _times(results: xr.Dataset, engine: Engine, wall: float) -> tuple[float, float]:
    """Seconds that a round takes however fine it is, and those that one as fine as the last takes
    beyond, from the times of the last two.
    """
    sizes, seconds = (
        np.ravel(results.attrs.get(name, [])) for name in ("round_sizes", "round_seconds")
    )
    if len(seconds) < 2:
        return 0.0, wall
    before = engine.cost(float(sizes[-2]))
    grown = float(np.clip((seconds[-1] - seconds[-2]) / (1 - before), 0.0, seconds[-1]))
    return float(seconds[-1]) - grown, grown


MOST_OF = {
    "cells_per_wavelength": MOST_CELLS,
    "cells_per_detail": MOST_PER_DETAIL,
    "segments_per_wavelength": MOST_SEGMENTS,
}
NAMES = {
    "cells_per_wavelength": "cells per wavelength",
    "cells_per_detail": "cells per detail",
    "segments_per_wavelength": "segments per wavelength",
    "decay": "dB of decay",
    "rounds": "rounds",
}
