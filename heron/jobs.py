"""One unit of work, the same from the command line, Python and the server: a variant of a model is
examined, solved and saved.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import psutil

from heron.checks import Examination, Held, examine, held_to, judged_for
from heron.engines import Inputs, Progress, silent
from heron.errors import HeronError, ModelError
from heron.formats import netcdf
from heron.geometry.build import Files, digest_of_imports
from heron.model import Document
from heron.results.capabilities import provided, provides
from heron.results.capabilities.far_field import pattern_csv
from heron.results.formulas import Quantities
from heron.runner import Run, shown_indices, solve, with_fields


@dataclass(frozen=True)
class Variant:
    """What a run changes of a model: expressions of parameters by name, and the plan it is solved
    by; parts that it is ``without``, those that it takes back which the model suspends
    (``present``), and ``materials`` of parts by their names; ``empty`` leaves all parts out and
    keeps the space. ``held``: its grid or mesh is that of the model without these changes, moved,
    where that fits.
    """

    overrides: Mapping[str, str] = field(default_factory=dict)
    plan: str | None = None
    without: frozenset[str] = frozenset()
    empty: bool = False
    materials: Mapping[str, str] = field(default_factory=dict)
    held: bool = False
    present: frozenset[str] = frozenset()

    def of(self, document: Document) -> Document:
        """A document with its parts as they are in the variant.

        :raises ModelError: it names a part that there is not.
        """
        changes: dict[str, dict[str, Any]] = {
            name: {"suspended": name in self.without} for name in self.without | self.present
        }
        for name, material in self.materials.items():
            changes.setdefault(name, {})["material"] = material
        if not changes:
            return document
        known = {p.name for p in document.parts}
        if changes.keys() - known:
            first = min(changes.keys() - known)
            aim = "leave out" if first in self.without else "change"
            raise ModelError(f"there is no part “{first}” to {aim}", ("parts",))
        parts = [p.model_copy(update=changes.get(p.name, {})) for p in document.parts]
        return document.model_copy(update={"parts": parts})


@dataclass(frozen=True)
class Job:
    """A variant of a document to be solved; ``files`` gives its imports by name, ``engine`` is
    another than the plan's; ``inputs`` are sources of fields from other runs by name.
    """

    document: Document
    variant: Variant = Variant()
    files: Files | None = None
    engine: str | None = None
    inputs: Inputs = field(default_factory=dict)

    def examined(self) -> Examination:
        """Everything that can be known before the solve on this machine.

        :raises ModelError: the variant names a plan or a part that there is not.
        """
        found = examine(
            self.variant.of(self.document),
            self.variant.overrides,
            self.engine,
            self.files,
            self.variant.empty,
            self.variant.plan,
            self._like() if self.variant.held else None,
        )
        return judged_for(found, psutil.virtual_memory().available)

    def _like(self) -> Held:
        """What the variant is held to: kept for the next one of the same model."""
        given = self.document.digest(), digest_of_imports(self.document, self.files)
        key = *given, self.variant.plan
        if key not in _held:
            _held.clear()
            _held[key] = held_to(self.document, self.files, self.variant.plan)
        return _held[key]


_held: dict[tuple[str, str, str | None], Held] = {}


@dataclass
class Done:
    """A solved job."""

    examination: Examination
    run: Run

    @property
    def quantities(self) -> Quantities:
        """What formulas find: the run's quantities, and the model's parameters as they were."""
        far = self.run.summary.get("far_field")
        return Quantities(self.run.results, self.examination.model.values, far)


def execute(
    job: Job,
    progress: Progress = silent,
    begun: Callable[[Examination], None] = lambda examination: None,
) -> Done:
    """Examines and solves a job; ``begun`` is told before it solves.

    :raises HeronError: the model is not sound, with the first thing that is wrong.
    """
    examination = job.examined()
    if not examination.sound:
        first = examination.errors[0]
        more = f" (and {len(examination.errors) - 1} more)" if len(examination.errors) > 1 else ""
        raise ModelError(first.message + more, first.path)
    begun(examination)
    return Done(examination, solve(examination, progress, job.inputs))


def save(done: Done, folder: Path, every: bool = False) -> list[str]:
    """Writes a run to a folder, and returns the names of its files: the summary, what the run
    provides as text, the pattern of the first far-field capture, and the dataset with the fields of
    captures. Fields are written at the frequencies that the plan names, else at that of the
    headline, or at ``every`` one.
    """
    results, examination = done.run.results, done.examination
    texts = {"summary.json": json.dumps(done.run.summary, indent=1, allow_nan=False)}
    for capability in provided(results):
        texts |= capability.files(results, done.run.summary)
    indices = shown_indices(examination, results, every)
    far = next((c for c in examination.model.captures if c.kind == "far_field"), None)
    if far is not None and provides(results, "far field"):
        steps = float(np.degrees(far.theta_step)), float(np.degrees(far.phi_step))
        texts["pattern.csv"] = pattern_csv(results, indices, *steps)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise HeronError(f"{folder} cannot be written: {error.strerror}") from error
    for name, text in texts.items():
        (folder / name).write_text(text)
    netcdf.write(with_fields(examination, results, indices), folder / "run.nc")
    return [*texts, "run.nc"]
