"""What to change in a plan so that the errors of a run come within those of grade A, and what that
will take.
"""

from __future__ import annotations

from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any

import numpy as np
import xarray as xr

from heron.checks.trust import judged_errors
from heron.engines import ENGINES
from heron.engines.contract import Change, changed
from heron.results.capabilities import judged, leading

AIM = 0.8  # of the error that grade A allows
# errors fall with this power of cells and segments, from where they are known to fall
ORDER = 2.0
MOST = 2.0  # times as fine at once: what is asked beyond is a guess
LEAST = 1.15  # times as fine: less changes hardly anything
# of that error, in amplitude: what is still ringing counts, and the run goes on for longer
RING = 0.3
ROUNDS = 3
COST_ORDER = 4.0  # of runs too old to say how their time goes


@dataclass(frozen=True)
class Advice:
    """``plan`` are new values by their fields, with points between where they are settings;
    ``seconds`` the time of the run then, from that of this one; ``words`` say both.
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
    engine = ENGINES[str(results.attrs["engine"])]
    out: dict[str, float] = {}
    changes: list[Change] = []
    finer, grows = 1.0, 1.0
    if not errors:
        out["rounds"] = ROUNDS
    else:
        worst = max(value / judged()[name].good for name, value in errors.items())
        if worst > 1:
            finer = float(np.clip((worst / AIM) ** (1 / ORDER), LEAST, MOST))
            changes += engine.finer(plan, finer)
    left = float(results.attrs.get("energy_left", 0.0))
    if (not errors or finer > 1) and np.sqrt(left) > RING * judged()["s"].good:
        longer, grows = engine.longer(plan)
        changes += longer
    if not out and not changes:
        return None
    order = float(results.attrs.get("cost_order", COST_ORDER))
    fixed, grown = _times(results, order, wall)
    then = changed(SimpleNamespace(**vars(plan) | out), engine.name, changes)
    costs = [(size / finer) ** -order for size in engine.rounds(then)]
    seconds = len(costs) * fixed + sum(costs) * grown * grows
    said = [f"{value:g} {name}" for name, value in out.items()]
    said += [f"{change.value:g} {change.words}" for change in changes]
    at = f"settings.{engine.name}"
    return Advice(
        out | {f"{at}.{change.field}": change.value for change in changes},
        seconds,
        ", ".join(said),
    )


def _times(results: xr.Dataset, order: float, wall: float) -> tuple[float, float]:
    """Seconds that a round takes however fine it is, and those that one as fine as the last takes
    beyond, from the times of the last two.
    """
    sizes, seconds = (
        np.ravel(results.attrs.get(name, [])) for name in ("round_sizes", "round_seconds")
    )
    if len(seconds) < 2:
        return 0.0, wall
    before = float(sizes[-2]) ** -order
    grown = float(np.clip((seconds[-1] - seconds[-2]) / (1 - before), 0.0, seconds[-1]))
    return float(seconds[-1]) - grown, grown
