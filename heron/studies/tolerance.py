"""Tolerances: what spreads of parameters do to outcomes, and how many that are built are good."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, ClassVar

import numpy as np
from scipy import stats
from scipy.stats import qmc

from heron.errors import HeronError, ModelError
from heron.model import Document
from heron.model.evaluation import evaluated_step
from heron.problems import whole
from heron.quantities import Values
from heron.results import specs
from heron.studies.contract import Findings, Floats, Made, Point, Solver, Trial, at, solved
from heron.studies.outcomes import outcome
from heron.studies.polynomial import Polynomial, fitted
from heron.studies.predicted import Predicted, scattering
from heron.studies.variables import MOST_VARIANTS, Variable, variables_of

CONFIDENCE = 0.95
SEED = 1868
FOR_INDICES = 4096  # evaluations of the surrogate, by each of n + 2 matrices
LEAST_SOLVED = 8  # samples by which the others are predicted
EXPLAINED = 0.8  # of the variance: with less, a surrogate says nothing of shares
_SPREAD = re.compile(r"^(?:(normal|uniform)\s+)?(.+?)(?:\s+truncated\s+at\s+(.+))?$")


@dataclass(frozen=True)
class Spread:
    """How a variable is spread about its value in the model, SI: ``normal`` with the standard
    deviation ``width``, cut off at ``cut`` where given, or ``uniform`` within ± ``width``.
    """

    variable: Variable
    form: str
    width: float
    cut: float | None = None

    @property
    def distribution(self) -> Any:
        """As scipy has it."""
        v = self.variable.nominal
        if self.form == "uniform":
            return stats.uniform(v - self.width, 2 * self.width)
        if self.cut is None:
            return stats.norm(v, self.width)
        reach = self.cut / self.width
        return stats.truncnorm(-reach, reach, v, self.width)


def spread(text: str, variable: Variable, values: Values) -> Spread:
    """The spread that words say: ``0.1 mm``, ``5 %``, ``uniform 0.2 mm``, ``normal 0.1 mm truncated
    at 0.3 mm``; the first is a standard deviation.

    :raises HeronError: what is wrong with them.
    """
    m = _SPREAD.match(text.strip())
    if m is None:
        raise HeronError(f"“{text}” is no spread; write 0.1 mm, 5 % or uniform 0.2 mm")
    form, width, cut = m[1] or "normal", m[2], m[3]
    own = Variable(variable.name, variable.dimension, variable.nominal)

    def amount(said: str) -> float:
        share = said.strip().removesuffix("%")
        if share != said.strip():
            try:
                return abs(variable.nominal) * float(share) / 100
            except ValueError as error:
                raise HeronError(f"“{said}” is no share of “{variable.name}”") from error
        return own.value(said, values)

    found = Spread(variable, form, amount(width), None if cut is None else amount(cut))
    if not found.width > 0 or (found.cut is not None and not found.cut > 0):
        raise HeronError(f"the spread of “{variable.name}” must be above zero")
    return found


@dataclass(frozen=True)
class Tolerance:
    """``samples`` variants drawn from ``spreads``, with ``correlation`` (n, n) between their normal
    scores, judged by the margins of ``specs`` (names of outcomes). Of the samples the first
    ``solved`` are, all unless given; the others are predicted by a surrogate of these.
    """

    spreads: Sequence[Spread]
    samples: int
    specs: Sequence[str] = ()
    correlation: Floats | None = None
    solved: int | None = None
    kind: ClassVar[str] = "tolerance"

    def points(self) -> list[Point]:
        """Quasi-random samples (Sobol's sequence, scrambled), the same at every call.

        :raises HeronError: the correlations contradict each other.
        """
        n = len(self.spreads)
        whole = qmc.Sobol(n, rng=SEED).random_base2((self.samples - 1).bit_length())
        uniform = whole[: self.samples]
        uniform = np.clip(uniform, 1e-12, 1 - 1e-12)
        if self.correlation is not None:
            try:
                root = np.linalg.cholesky(self.correlation)
            except np.linalg.LinAlgError as error:
                raise HeronError("the correlations contradict each other") from error
            uniform = stats.norm.cdf(stats.norm.ppf(uniform) @ root.T)
        columns = [s.distribution.ppf(uniform[:, k]) for k, s in enumerate(self.spreads)]
        return [tuple(float(v) for v in row) for row in np.column_stack(columns)]

    def run(self, solve: Solver) -> Findings:
        """:raises HeronError: fewer than one sample, or none could be solved."""
        if self.samples < 1 or not self.spreads:
            raise HeronError("a tolerance study needs a spread of a parameter, and a sample")
        trials = solved(solve, self.points()[: self.solved])
        if all(t.failure for t in trials):
            raise HeronError(f"no variant could be solved; the first: {trials[0].failure}")
        return Findings(trials, self.tell(trials))

    def tell(self, trials: Sequence[Trial]) -> dict[str, Any]:
        """Figures of the outcomes, and the yield."""
        good = [t for t in trials if not t.failure]
        if not good:
            return {}
        told: dict[str, Any] = {"failed": len(trials) - len(good)}
        others: list[Trial] = []
        doubt: dict[str, float] = {}
        if self.solved is not None and self.solved <= len(trials) < self.samples:
            try:
                others, doubt = self._predicted(good)
                told["predicted"] = {"count": len(others), "error": doubt}
            except HeronError as error:
                told["predicted"] = {"count": 0, "reason": error.message}
        told["outcomes"] = self._figures([*good, *others])
        if self.specs:
            told |= self._yield(good, others, doubt.get("", 0.0))
            worst = min(good, key=self._margin)
            told["worst"] = {
                "variant": list(trials).index(worst),
                "margin": self._margin(worst),
            }
        return told

    def _predicted(self, good: Sequence[Trial]) -> tuple[list[Trial], dict[str, float]]:
        """The samples that are not solved, as a surrogate has them, and what outcomes and the least
        margin of all spec lines, "", are off by (95 % of the solved, each left out).

        :raises HeronError: too few were solved.
        """
        read = [
            outcome(text) for text, value in good[0].outcomes.items() if value.number is not None
        ]
        model = Predicted(read, good)
        points = self.points()[self.solved :]
        others = [Trial(p, o) for p, o in zip(points, model(points), strict=True)]
        alone = [Trial(t.point, o) for t, o in zip(good, model.alone(), strict=True)]

        def off(read: Callable[[Trial], float]) -> float:
            own = [abs(read(a) - read(b)) for a, b in zip(alone, good, strict=True)]
            return float(np.nanquantile(own, CONFIDENCE, method="higher"))

        doubt = {o.text: off(partial(Trial.number, text=o.text)) for o in read}
        if self.specs:
            doubt[""] = off(self._margin)
        return others, doubt

    def _margin(self, trial: Trial) -> float:
        """The least of all spec lines."""
        return min(trial.number(s) for s in self.specs)

    def _yield(
        self, good: Sequence[Trial], others: Sequence[Trial], doubt: float
    ) -> dict[str, Any]:
        """The share that keeps all spec lines, with the limits between which it lies (Wilson's
        interval; quasi-random samples are nearer than it says). Where ``others`` are predicted it
        lies between those of their margins made less and greater by the ``doubt`` about them.
        """
        least = np.array([self._margin(t) for t in (*good, *others)])
        off = np.repeat([0.0, doubt], [len(good), len(others)])

        def limits(margins: Floats) -> Any:
            kept = int(np.sum(margins >= 0))
            return stats.binomtest(kept, len(margins)).proportion_ci(CONFIDENCE, method="wilson")

        return {
            "yield": {
                "value": float(np.mean(least >= 0)),
                "low": float(limits(least - off).low),
                "high": float(limits(least + off).high),
                "confidence": CONFIDENCE,
            }
        }

    def _figures(self, good: Sequence[Trial]) -> dict[str, Any]:
        """Mean, spread and limits of every outcome that is a number, and which variable its spread
        comes from.
        """
        out = {}
        names = [s.variable.name for s in self.spreads]
        for name, value in good[0].outcomes.items():
            if value.number is None:
                continue
            read = [t for t in good if np.isfinite(t.number(name))]
            y = np.array([t.number(name) for t in read])
            own: dict[str, Any] = {
                "unit": value.unit,
                "mean": float(y.mean()),
                "deviation": float(y.std(ddof=1)) if len(y) > 1 else None,
                "least": float(y.min()),
                "most": float(y.max()),
            }
            model = fitted(np.array([t.point for t in read]), y)
            if self.correlation is None and model is not None and model.explained >= EXPLAINED:
                first, total = self._shares(model)
                own["surrogate"] = {"explained": model.explained, "error": model.error}
                own["shares"] = {
                    n: {"first": float(a), "total": float(b)}
                    for n, a, b in zip(names, first, total, strict=True)
                }
            out[name] = own
        return out

    def _shares(self, model: Polynomial) -> tuple[Floats, Floats]:
        return indices(model, [s.distribution for s in self.spreads], FOR_INDICES)


def indices(
    function: Callable[[Floats], Floats], distributions: Sequence[Any], count: int
) -> tuple[Floats, Floats]:
    """First and total indices (n,) of Sobol: shares of a function's variance that each variable
    has alone, and with all others (Saltelli and others, *Global Sensitivity Analysis*, 2008).

    :param function: takes points (m, n) to values (m,).
    :param count: points in each of the n + 2 samples, a power of two.
    """
    if len(distributions) == 1:
        return np.ones(1), np.ones(1)
    found = stats.sobol_indices(
        func=lambda x: function(np.asarray(x).T), n=count, dists=list(distributions), rng=SEED
    )
    return np.asarray(found.first_order).ravel(), np.asarray(found.total_order).ravel()


def made(step: Any, document: Document) -> Made:
    """:raises ModelError: what is wrong with a tolerance study, and where."""
    names = [s.parameter for s in step.spreads]
    spreads = []
    for k, own in enumerate(step.spreads):
        with at("spreads", k, "parameter"):
            (variable,), values = variables_of(document, [own.parameter])
            if names.count(own.parameter) > 1:
                raise HeronError(f"“{own.parameter}” has two spreads; give one")
        with at("spreads", k, "spread"):
            spreads.append(spread(own.spread, variable, values))
    for k, text in enumerate(step.specs):
        with at("specs", k):
            specs.read(text)
    found = evaluated_step(step, values)
    if not whole(found.samples, 1, MOST_VARIANTS):
        raise ModelError(f"samples are 1 to {MOST_VARIANTS}, a whole number", ("samples",))
    correlation = _correlation(found, names) if step.correlations else None
    if found.solved is not None and not whole(found.solved, LEAST_SOLVED, int(found.samples)):
        raise ModelError(
            f"of {int(found.samples)} samples {LEAST_SOLVED} at least can be solved and the others"
            " predicted; leave it out, and all are solved",
            ("solved",),
        )
    solved = None if found.solved is None else int(found.solved)
    study = Tolerance(spreads, int(found.samples), step.specs, correlation, solved)
    with at("correlations"):
        study.points()
    variables = [s.variable for s in spreads]
    read = [*step.specs, *step.outcomes]
    curves = [] if solved is None else [name for text in read for name in scattering(outcome(text))]
    return Made(
        study, variables, list(dict.fromkeys([*read, *curves])), solved or int(found.samples)
    )


def _correlation(step: Any, names: Sequence[str]) -> Floats:
    """The matrix of correlations between parameters, in their order."""
    out = np.eye(len(names))
    for k, own in enumerate(step.correlations):
        for side in ("first", "second"):
            if getattr(own, side) not in names:
                raise ModelError(
                    f"“{getattr(own, side)}” has no spread here", ("correlations", k, side)
                )
        if not -1 < own.value < 1:
            raise ModelError("a correlation lies between -1 and 1", ("correlations", k, "value"))
        i, j = names.index(own.first), names.index(own.second)
        if i == j:
            raise ModelError("a correlation is between two parameters", ("correlations", k))
        out[i, j] = out[j, i] = own.value
    return out
