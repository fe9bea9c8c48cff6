"""Smallest values of functions that are dear: few evaluations, within a box, with constraints.

The unit box stands for the ranges. What is evaluated is the same at every call, so that a search
that was broken off goes on where it was when what it knows is kept.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, Literal

import numpy as np
from cmaes import CMA
from scipy.optimize import Bounds, NonlinearConstraint, minimize
from scipy.stats import qmc

from heron.errors import HeronError
from heron.studies.contract import Floats

Method = Literal["auto", "local", "simplex", "global", "evolution"]
FAILED = 1e6  # the value of what could not be evaluated
FIRST_REACH = 0.15  # of the box: how far a local search looks at first
FIRST_SPREAD = 0.2  # of the box: the standard deviation of the first generation
FINE = 1e-5  # of the box: nearer together are the same
LEAST_REACH = 1e-3  # of the box: nothing better is predicted so near to the best
KEPT = 1e-9  # of what a constraint compares: what rounding does
APART = 0.2  # of the box's diagonal: starts of local searches are no nearer
LOOKED_AT = 1024  # places at which constraints are tried
TRIED, CLOSER = 256, 4  # places at which predictions are tried, and how often nearer to the best
SEED = 1868

Values = Callable[[Sequence[Floats]], list[float]]  # of points (n,) of the unit box


class _Ended(Exception):
    """Enough has been evaluated."""


class _Search:
    """What has been evaluated so far."""

    def __init__(self, values: Values, budget: int, enough: float | None) -> None:
        self.values, self.left, self.enough = values, budget, enough
        self.points: list[Floats] = []
        self.found: list[float] = []

    def many(self, points: Sequence[Floats]) -> list[float]:
        points = points[: self.left]
        if not points:
            raise _Ended
        self.left -= len(points)
        own = self.values(points)
        self.points += [np.asarray(p, dtype=float) for p in points]
        self.found += own
        if self.enough is not None and min(own) <= self.enough:
            raise _Ended
        return own

    def knows(self, point: Floats) -> bool:
        """Whether a point is too near to one that is evaluated to say anything new."""
        return any(np.abs(known - point).max() < FINE for known in self.points)

    def one(self, point: Floats) -> float:
        for known, value in zip(self.points, self.found, strict=True):
            if np.abs(known - point).max() < 1e-12:
                return value
        return self.many([np.array(point)])[0]


def minimise(
    values: Values,
    start: Floats,
    budget: int,
    method: Method = "auto",
    allowed: Callable[[Floats], float] | None = None,
    enough: float | None = None,
) -> tuple[Floats, float]:
    """Where in the unit box a function is smallest, and its value there.

    ``local``: a trust region with quadratic models (COBYQA; Ragonneau, 2022) from ``start`` on.
    ``simplex``: Nelder and Mead's. ``global``: points spread evenly over the box (Sobol's), and
    local searches from the best of them. ``evolution``: generations of points whose spread follows
    what was good (CMA-ES; Hansen, 2016), so that many are evaluated at once; of one dimension
    ``global``. ``auto`` is global where a quarter of the budget spreads
    twice as many points as there are dimensions, else local.

    :param values: evaluates points (n,) at once; one that fails is worth :data:`FAILED`.
    :param budget: how many points are evaluated at most.
    :param allowed: not below zero at points that count; it costs nothing.
    :param enough: a value that ends the search.
    :raises HeronError: nothing in the box is allowed.
    """
    n = len(start)
    if budget < 1:
        raise HeronError("a search needs a budget of one variant at least")
    spread = spread_over(n, allowed)
    if allowed is not None and allowed(start) < 0:
        start = spread[int(np.argmin([np.linalg.norm(p - start) for p in spread]))]
    search = _Search(values, budget, enough)
    count = budget // 4
    if method == "auto":
        method = "global" if count >= 2 * n and n > 1 else "local"
    if method == "evolution" and n == 1:
        method = "global"
    try:
        search.one(start)
        if method == "evolution":
            _evolve(search, start, spread, allowed)
        if method == "global":
            search.many(list(spread[: max(2 * n, count)]))
        tried: list[Floats] = []
        while search.left > 0:
            begin = _next_start(search, tried)
            if begin is None:
                begin = spread[len(tried) % len(spread)]
            tried.append(begin)
            before = search.left
            _local(search, begin, method, allowed)
            if search.left == before or method != "global":
                break
    except _Ended:
        pass
    best = int(np.argmin(search.found))
    return search.points[best], search.found[best]


def spread_over(n: int, allowed: Callable[[Floats], float] | None) -> list[Floats]:
    """Points of the unit box that are spread evenly over what is allowed.

    :raises HeronError: nothing is.
    """
    points = list(qmc.Sobol(n, rng=SEED).random(LOOKED_AT))
    if allowed is None:
        return points
    inside = [p for p in points if allowed(p) >= 0]
    if not inside:
        raise HeronError(
            "no variant within the ranges keeps all constraints; widen the ranges or take a"
            " constraint away"
        )
    return inside


def _next_start(search: _Search, tried: Sequence[Floats]) -> Floats | None:
    """The best point that is not near to where a search began."""
    reach = APART * np.sqrt(len(search.points[0]))
    for k in np.argsort(search.found, kind="stable"):
        point = search.points[int(k)]
        if search.found[int(k)] < FAILED and all(np.linalg.norm(point - t) > reach for t in tried):
            return point
    return None


def led(
    values: Values,
    start: Floats,
    budget: int,
    ahead: Callable[[], Values],
    allowed: Callable[[Floats], float] | None = None,
    enough: float | None = None,
) -> tuple[Floats, float]:
    """As :func:`minimise`, by what is predicted: a few points about the ``start``, then each next
    one where ``ahead`` of all that is evaluated says that the function is smallest, no farther from
    the best one than predictions have held so far.

    :param ahead: predicts the function anew, at points (n,) at once; it costs little. Of values
        that are good ``enough`` it may tell apart which are better.
    :raises HeronError: nothing in the box is allowed.
    """
    n = len(start)
    spread = spread_over(n, allowed)

    def inside(points: Iterable[Floats]) -> list[Floats]:
        own = [np.clip(p, 0, 1) for p in points]
        return own if allowed is None else [p for p in own if allowed(p) >= 0]

    if not inside([start]):
        start = spread[int(np.argmin([np.linalg.norm(p - start) for p in spread]))]
    search = _Search(values, budget, enough)
    step = np.where(start > 0.5, -FIRST_REACH, FIRST_REACH)
    moves = [*np.diag(step), -0.5 * step] + ([0.5 * step] if n == 1 else [])
    near = sorted(spread, key=lambda p: float(np.linalg.norm(p - start)))
    first = inside([start + m for m in moves])
    reach, box = 2 * FIRST_REACH, 2 * qmc.Sobol(n, rng=SEED).random(TRIED) - 1
    try:
        search.one(start)
        search.many([*first, *near[: len(moves) - len(first)]])
        while True:
            best = int(np.argmin(search.found))
            here, around = search.points[best], reach
            try:
                guess = ahead()
            except HeronError:  # too few could be evaluated
                search.many([next(p for p in near if not search.knows(p))])
                continue
            for _ in range(CLOSER):
                tried = inside(here + around * box)
                tried = [p for p in tried if not search.knows(p)]
                if not tried:
                    raise _Ended
                here = tried[int(np.argmin(guess(tried)))]
                around /= 4
            found = search.many([here])[0]
            better = found < search.found[best]
            reach = min(1.0, 1.5 * reach) if better else 0.5 * reach
            if reach < LEAST_REACH:
                raise _Ended
    except _Ended:
        pass
    best = int(np.argmin(search.found))
    return search.points[best], search.found[best]


def _worst(search: _Search) -> float:
    return max((v for v in search.found if v < FAILED), default=FAILED)


def _evolve(
    search: _Search,
    start: Floats,
    spread: Sequence[Floats],
    allowed: Callable[[Floats], float] | None,
) -> None:
    """Until the budget is used: where generations come to rest, larger ones begin elsewhere (Auger
    and Hansen, 2005).
    """
    bounds = np.tile([0.0, 1.0], (len(start), 1))
    size: int | None = None
    for begin in (start, *spread):
        search_from = CMA(begin, FIRST_SPREAD, bounds, seed=SEED, population_size=size)
        size = 2 * search_from.population_size
        while not search_from.should_stop():
            points = [search_from.ask() for _ in range(search_from.population_size)]
            lacks = [0.0 if allowed is None else -min(0.0, allowed(p)) for p in points]
            counted = [p for p, lack in zip(points, lacks, strict=True) if lack <= KEPT]
            if counted:
                search.many(counted)
            search_from.tell(
                [
                    (p, search.one(p) if lack <= KEPT else _worst(search) + lack)
                    for p, lack in zip(points, lacks, strict=True)
                ]
            )


def _local(
    search: _Search,
    start: Floats,
    method: Method,
    allowed: Callable[[Floats], float] | None,
) -> None:
    bounds = Bounds(np.zeros(len(start)), np.ones(len(start)))

    def room(point: Any) -> Any:
        return 1.0 if allowed is None else allowed(point)

    def value(point: Any) -> float:
        """What is not allowed is not solved: it is worse than all that is known."""
        lacks = -min(0.0, float(room(point)))
        return search.one(point) if lacks <= KEPT else _worst(search) + lacks

    if method == "simplex":
        minimize(
            value,
            start,
            method="Nelder-Mead",
            bounds=bounds,
            options={"xatol": FINE, "fatol": 0.0, "maxfev": 10**6},
        )
        return
    constraints = [] if allowed is None else [NonlinearConstraint(room, 0.0, np.inf)]
    minimize(
        value,
        start,
        method="COBYQA",
        bounds=bounds,
        constraints=constraints,
        options={"initial_tr_radius": FIRST_REACH, "final_tr_radius": FINE, "maxfev": 10**6},
    )
