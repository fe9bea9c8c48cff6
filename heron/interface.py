"""Models and runs from Python::

import heron

model = heron.open("patch.json")
run = model.solve(L="32 mm")
run.s11            # complex (f,)
run.far(30, 0)     # r·E in V, θ and φ components (2,), at the frequency of the headline
run.save("out")
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from heron.checks import Examination, trust_card
from heron.engines import Progress, silent
from heron.errors import HeronError, QuantityError
from heron.geometry.build import beside
from heron.jobs import Done, Job, Variant, execute, save
from heron.model import Document, load_document
from heron.results import patterns
from heron.results.capabilities import TrustItem, leading
from heron.results.formulas import Quantities
from heron.studies.outcomes import outcome
from heron.studies.variables import combined


class Model:
    """A document, with the files beside it."""

    def __init__(self, document: Document, files: Any = None) -> None:
        self.document, self._files = document, files

    @property
    def parameters(self) -> dict[str, str]:
        """Expressions by name."""
        return {p.name: p.expression for p in self.document.parameters}

    def check(self, plan: str | None = None, **values: Any) -> Examination:
        """Values, shapes, problems and forecast, without a solve."""
        return self.job(plan, None, (), values).examined()

    def solve(
        self,
        plan: str | None = None,
        engine: str | None = None,
        without: tuple[str, ...] = (),
        progress: Progress = silent,
        **values: Any,
    ) -> Solved:
        """A run with other expressions for some parameters, such as ``L="32 mm"``.

        :param plan: the name of one of the model's plans; the first unless given.
        :param without: names of parts that are left out.
        :raises HeronError: there is something to mend in the model, and where.
        """
        return Solved(execute(self.job(plan, engine, without, values), progress))

    def sweep(self, plan: str | None = None, **lists: Sequence[Any]) -> Swept:
        """Variants for all combinations of values of some parameters, such as
        ``model.sweep(L=["150 mm", "160 mm"]).outcome("s11")``.
        """
        return Swept(self, plan, lists)

    def job(
        self,
        plan: str | None,
        engine: str | None,
        without: tuple[str, ...],
        values: dict[str, Any],
        held: bool = False,
    ) -> Job:
        """What is to be solved; ``held``: divided like the model without other values.

        :raises HeronError: there is no parameter of that name.
        """
        unknown = [name for name in values if name not in self.parameters]
        if unknown:
            known = ", ".join(self.parameters) or "none"
            raise HeronError(f"there is no parameter “{unknown[0]}”; there are {known}")
        overrides = {name: str(value) for name, value in values.items()}
        variant = Variant(overrides, plan, frozenset(without), held=held)
        return Job(self.document, variant, self._files, engine)


class Swept:
    """Variants of a model over ``lists`` of values, solved one after the other when an outcome is
    asked for; each is solved once.
    """

    def __init__(self, model: Model, plan: str | None, lists: Mapping[str, Sequence[Any]]) -> None:
        self._model, self._plan = model, plan
        self._names, self._lists = list(lists), [list(v) for v in lists.values()]
        self._runs: list[Solved] = []

    def outcome(self, text: str) -> NDArray[Any]:
        """A number or a curve of every variant (n₁, n₂, …[, f]), such as ``"s11"`` or
        ``"f where abs(s11) is smallest"``.

        :raises HeronError: it cannot be read, or a variant cannot be solved.
        """
        wanted = outcome(text)
        points = combined(self._lists)
        for point in points[len(self._runs) :]:
            values = dict(zip(self._names, point, strict=True))
            job = self._model.job(self._plan, None, (), values, held=True)
            self._runs.append(Solved(execute(job)))
        found = [wanted(run.quantities) for run in self._runs]
        rows = np.array([v.number if v.y is None else v.y for v in found])
        return rows.reshape(*(len(v) for v in self._lists), *rows.shape[1:])


class Solved:
    """A run. Every quantity that formulas know is an attribute: ``s11``, ``z1``, ``gain`` …"""

    def __init__(self, done: Done) -> None:
        self._done = done

    @property
    def results(self) -> Any:
        """The dataset (xarray)."""
        return self._done.run.results

    @property
    def summary(self) -> dict[str, Any]:
        """The figures of ``summary.json``."""
        return self._done.run.summary

    @property
    def frequency(self) -> NDArray[np.float64]:
        """Hz (f,)."""
        return np.asarray(self.results["frequency"].values)

    @property
    def best(self) -> float:
        """Hz: where the headline is, such as the best match."""
        found = (c.headline(self.results) for c in leading(self.results))
        return next((h.at for h in found if h is not None), float(self.frequency[0]))

    @property
    def trust(self) -> list[TrustItem]:
        """What is known of how far the results can be trusted."""
        return trust_card(self.results)

    @property
    def quantities(self) -> Quantities:
        """What formulas find: the run's quantities, and the model's parameters as they were."""
        return self._done.quantities

    def curve(self, formula: str) -> NDArray[Any]:
        """A formula of the run's quantities and parameters over frequency, such as ``"db20(s11)"``.

        :raises QuantityError: it asks for what the run has not.
        """
        return np.asarray(self.quantities.curve(formula).values)

    def __getattr__(self, name: str) -> NDArray[Any]:
        if name.startswith("_"):
            raise AttributeError(name)
        try:
            return self.curve(name)
        except QuantityError as error:
            raise AttributeError(error.message) from error

    def far(
        self, theta: ArrayLike, phi: ArrayLike, frequency: float | None = None
    ) -> NDArray[np.complex128]:
        """r·E in V, peak, under the drive: θ and φ components (…, 2) at angles in degrees, at the
        sweep point nearest to a frequency in Hz, that of the headline unless given.
        """
        t, p = np.broadcast_arrays(np.asarray(theta, dtype=float), np.asarray(phi, dtype=float))
        index = patterns.nearest_index(self.results, self.best if frequency is None else frequency)
        field = patterns.far_field(self.results, index, t.ravel(), p.ravel())
        return np.asarray(field).reshape(*t.shape, 2)

    def save(self, folder: str | Path, every: bool = False) -> list[str]:
        """Writes the run's files, as the command line does; their names."""
        return save(self._done, Path(folder), every)


def open_model(path: str | Path) -> Model:
    """The model of a file; what it imports lies beside it.

    :raises HeronError: it is no model, and why.
    """
    file = Path(path)
    try:
        text = file.read_text()
    except OSError as error:
        raise HeronError(f"{file} cannot be read: {error.strerror}") from error
    return Model(load_document(text), beside(file))
