"""Whether the errors that runs state cover the true ones: random cases of several families, each
with a reference of its own; and whether following the advice of a run lowers its true error.

The factors of :mod:`heron.results.rounds` were chosen on the first ``SEEN`` cases of some families;
all others test them.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
import xarray as xr

from benchmarks.families import FAMILIES, Case, Row, solve
from heron.checks.advice import advise
from heron.checks.trust import leading_error
from heron.results import errors

SEEN = {"wires": 16, "slabs": 16, "gratings": 16, "guides": 8, "rods on a grid": 8, "spheres": 2}
FOLLOW_EVERY = 5  # cases of which one follows its advice
# true errors below count as this, and
LEAST = {
    "gain_db": errors.FLOOR_DB,
    "rcs_db": errors.FLOOR_DB,
    "resonance_relative": errors.FLOOR_FREQUENCY,
}
# of all other quantities: none is stated lower
LEAST_OF_OTHERS = errors.FLOOR_S


class Found(NamedTuple):
    """One quantity of one case: its true error and the stated one."""

    family: str
    quantity: str
    true: float
    stated: float | None


class Followed(NamedTuple):
    """What the quantity that a grade rests on was off by, before the advice was followed and after;
    seconds as they were foretold, and as they were.
    """

    family: str
    before: float
    after: float
    foretold: float
    took: float


def cases(
    families: dict[str, int], seed: int = 16, follow: int = 0
) -> Iterator[tuple[int, list[Found], Followed | None]]:
    """So many cases of each family, with the number of each.

    Every ``follow``-th follows its advice.
    """
    for name, count in families.items():
        for number in range(count):
            case = FAMILIES[name][0](np.random.default_rng([seed, number, len(name)]))
            results, plan, took = solve(case.document)
            stated, truths = errors.errors_in(results), case.truths(results)
            values = {what: e.get("value") for what, e in stated.items()}
            found = [
                Found(name, what, true, values[what])
                for what, true in truths.items()
                if values.get(what) is not None or what == "s"
            ]
            yield (
                number,
                found,
                _followed(name, case, truths, results, plan, took)
                if follow and number % follow == 0
                else None,
            )


def _followed(
    family: str, case: Case, truths: dict[str, float], results: xr.Dataset, plan: Any, took: float
) -> Followed | None:
    advice = advise(results, plan, took)
    if advice is None:
        return None
    finer, _, seconds = solve(
        case.document,
        **{path.rpartition(".")[2]: f"{value:g}" for path, value in advice.plan.items()},
    )
    leading = leading_error(results)
    return Followed(family, truths[leading], case.truths(finer)[leading], advice.seconds, seconds)


def figures(found: list[tuple[int, Found]]) -> dict[str, Row]:
    """By family: how many quantities are covered, of all and of those not fitted on, and the median
    of stated over true error.
    """
    out: dict[str, Row] = {}
    for family in dict.fromkeys(f.family for _, f in found):
        own = [(n, f) for n, f in found if f.family == family and f.stated is not None]
        test = [(n, f) for n, f in own if n >= SEEN.get(family, 0)]
        over = [
            f.stated / max(f.true, LEAST.get(f.quantity, LEAST_OF_OTHERS))
            for _, f in own
            if f.stated is not None
        ]
        out[family] = {
            "quantities": len(own),
            "covered": sum((f.stated or 0) >= f.true for _, f in own) / max(len(own), 1),
            "covered_not_fitted": sum((f.stated or 0) >= f.true for _, f in test)
            / max(len(test), 1),
            "median_over": float(np.median(over)) if over else None,
            "unknown": sum(f.family == family and f.stated is None for _, f in found),
        }
    return out


def run() -> list[Row]:
    """One row per family, as far as they have come on the error stream; about an hour."""
    found: list[tuple[int, Found]] = []
    followed: list[Followed] = []
    for number, own, after in cases(
        {name: count for name, (_, count) in FAMILIES.items()}, follow=FOLLOW_EVERY
    ):
        found += [(number, f) for f in own]
        followed += [after] if after is not None else []
        print(
            number,
            *(f"{f.family} {f.quantity} {f.true:.3g} ± {f.stated or np.nan:.3g};" for f in own),
            after or "",
            file=sys.stderr,
            flush=True,
        )
    rows = [{"family": family, **row} for family, row in figures(found).items()]
    lower = [f for f in followed if f.after < f.before]
    return [
        *rows,
        {
            "family": "all",
            "advice_followed": len(followed),
            "advice_lowered": len(lower) / max(len(followed), 1),
            "time_over_foretold": float(np.median([f.took / f.foretold for f in followed]))
            if followed
            else None,
        },
    ]
