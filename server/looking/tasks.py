"""What can be asked about a model. Documents come as JSON text, so that equal ones are one, and
what was built of the last few is kept.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict
from functools import lru_cache
from typing import Any

import numpy as np
from django.http import HttpResponse

from heron.checks import Examination, examine, judged_for
from heron.errors import HeronError
from heron.formats import curves as curves_of
from heron.formats.shapes import structure_gltf
from heron.geometry import build_geometry
from heron.geometry.tessellate import shapes
from heron.jobs import Variant
from heron.model import evaluate_document, load_document
from heron.phrases import completions, printed, step_from
from heron.quantities.units import si_symbol
from heron.studies.digests import Digests
from heron.studies.kinds import problems
from server.projects.files import provider
from server.projects.models import Project, Revision
from server.projects.views import curves, engine_view, examination_view, outline
from server.readouts.models import ReferenceCurve
from server.runs.models import Run
from server.studies import reads

KEPT = 6  # examinations
CURVE_POINTS = 201
CURVE_ROWS = 8  # of a file of curves, to look at


def _examination(
    document: str,
    project: int | None,
    plan: str | None = None,
    overrides: Mapping[str, str] | None = None,
    empty: bool = False,
    engine: str | None = None,
) -> Examination:
    own = None if project is None else Project.objects.get(id=project)
    stamp = ""
    if own is not None:
        lines = own.uploads.order_by("name").values_list("digest", "state")
        stamp = " ".join(f"{digest} {state}" for digest, state in lines)
    changed = tuple(sorted((overrides or {}).items()))
    return _kept(document, project, stamp, plan, changed, empty, engine)


@lru_cache(maxsize=KEPT)
def _kept(
    document: str,
    project: int | None,
    stamp: str,
    plan: str | None,
    overrides: tuple[tuple[str, str], ...],
    empty: bool,
    engine: str | None,
) -> Examination:
    own = None if project is None else Project.objects.get(id=project)
    return examine(load_document(document), dict(overrides), engine, provider(own), empty, plan)


def look_over(
    document: str, project: int | None, plan: str | None, have: list[str], memory: float | None
) -> dict[str, Any]:
    """The examination of a document as the bench needs it; ``memory`` is that of the largest
    machine that takes runs, if one is known.
    """
    found = judged_for(_examination(document, project, plan), memory)
    view = examination_view(found, set(have))
    view["problems"] += [asdict(p) for p in problems(found.model.document)]
    return view


def look_at(document: str, project: int | None, name: str, asked: dict[str, Any]) -> bytes:
    """A view of its engine, as a packet."""
    answer: HttpResponse = engine_view(lambda: _examination(document, project), name, asked)
    return bytes(answer.content)


def preflight(
    document: str,
    project: int,
    overrides: dict[str, str],
    empty: bool,
    plan: str | None,
    memory: float | None,
    engine: str | None,
) -> dict[str, Any]:
    """What a run needs to know before it is queued; with ``errors``, it cannot be."""
    own = _examination(document, project, plan, overrides, empty, engine)
    found = judged_for(own, memory)
    files = provider(Project.objects.get(id=project))
    return {
        "of_model": Digests(found.model.document, files).of_model(
            Variant(overrides, plan, empty=empty)
        ),
        "errors": [asdict(p) for p in found.errors],
        "plan": found.model.document.plans[found.model.plan_number].name,
        "values": {
            n: {"value": q.value, "unit": si_symbol(q.dimension)}
            for n, q in found.model.values.items()
        },
        "forecast": None if found.forecast is None else found.forecast.as_json(),
    }


def study_preflight(document: str, project: int, name: str, memory: float | None) -> dict[str, Any]:
    """What a study needs to know before it is queued; with ``errors``, it cannot be."""
    plan = next((s.plan for s in load_document(document).studies if s.name == name), "")
    found = judged_for(_examination(document, project, plan or None), memory)
    return reads.preflight_of(document, name, found)


def material_curve(document: str, name: str, f_start: float, f_stop: float) -> dict[str, Any]:
    model = evaluate_document(load_document(document))
    return curves(model, name, np.geomspace(f_start, f_stop, CURVE_POINTS))


def read_phrase(document: str, text: str, materials: list[str]) -> dict[str, Any]:
    return asdict(step_from(text, load_document(document), materials))


def complete_phrase(document: str, text: str, materials: list[str]) -> list[dict[str, str]]:
    return [asdict(c) for c in completions(text, load_document(document), materials)]


def print_step(document: str, chapter: str, number: int) -> str | None:
    """The sentence of a step, ``None`` where there is none."""
    steps = getattr(load_document(document), chapter)
    steps = steps if isinstance(steps, list) else [steps]
    if number >= len(steps):
        return None
    return printed(chapter, steps[number].model_dump(mode="json"))


def outline_of(revision: int) -> list[dict[str, Any]]:
    """Lines of a small drawing of a revision's model."""
    found = Revision.objects.select_related("project").get(id=revision)
    model = evaluate_document(load_document(found.document))
    geometry = build_geometry(model, provider(found.project))
    return [{"points": s["points"]} for s in shapes(geometry)] + [
        {"points": line} for line in outline(geometry)
    ]


def structure_of(run: int) -> bytes:
    """The structure that a run solved, for the pattern round it."""
    found = Run.objects.select_related("revision", "project").get(id=run)
    document = load_document(found.revision.document)
    model = evaluate_document(document, found.overrides, found.plan or None)
    return structure_gltf(model, build_geometry(model, provider(found.project)))


def read_curves(
    text: str, filename: str, x_unit: str | None, columns: list[dict[str, str]] | None
) -> dict[str, Any]:
    """How a text of curves is read, and its first rows; ``error`` says why it cannot be used so."""
    table = curves_of.read(text, filename)
    own = table.columns
    if columns is not None:
        own = [curves_of.Column(**c, guessed=False) for c in columns]
    error = ""
    try:
        curves_of.reference(table, x_unit, own)
    except HeronError as fault:
        error = fault.message
    return {
        "x_unit": x_unit or table.x_unit,
        "x_guessed": table.x_guessed,
        "columns": [vars(c) for c in own],
        "rows": np.column_stack((table.x, table.values))[:CURVE_ROWS].tolist(),
        "count": len(table.x),
        "notes": table.notes,
        "error": error,
    }


def reference_of(reference: int) -> curves_of.Reference:
    """A reference curve of a project, as it was said to be read."""
    found = ReferenceCurve.objects.get(id=reference)
    columns = [curves_of.Column(**c) for c in found.columns]
    return curves_of.reference(curves_of.read(found.text, found.filename), found.x_unit, columns)


def warm_up() -> None:
    """Loads the kernels and measures this machine before the first person asks."""
    from server.projects.library import example

    examine(example("mast-dipole"))
    examine(example("roof-patch"))


TASKS: dict[str, Callable[..., Any]] = {
    f.__name__: f
    for f in (
        look_over,
        look_at,
        preflight,
        material_curve,
        read_phrase,
        complete_phrase,
        print_step,
        outline_of,
        structure_of,
        read_curves,
        reference_of,
        study_preflight,
    )
} | {
    "study_curves": reads.curves_of,
    "study_outcome": reads.outcomes_by_variant,
    "study_dials": reads.dials_of,
}
