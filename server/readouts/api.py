"""Readouts: pages, templates, curves by formula, spec lines, reference curves and their grades."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Field, Router, Schema

from heron.errors import HeronError
from heron.formats import curves
from heron.results import fsv
from server.accounts.people import person
from server.answers import Answer
from server.packets import packet
from server.projects.permissions import get_project
from server.readouts import actions, sources
from server.readouts.content import CardEntry, PageContent
from server.readouts.models import Page, ReferenceCurve, Template
from server.readouts.shapes import Grade, RecognisedColumn, SpecState

router = Router()


class PageState(Schema):
    """``content`` is nothing while the page was never saved."""

    version: int
    content: PageContent | None


class TemplateLine(Schema):
    name: str
    cards: list[CardEntry]


class NewTemplate(Schema):
    cards: list[CardEntry] = Field(min_length=1, max_length=80)


class CurvesAsked(Schema):
    """Every formula is evaluated on every source: "run 3" or "reference 2"."""

    sources: list[str] = Field(max_length=60)
    formulas: list[str] = Field(max_length=60)


class SpecsAsked(Schema):
    texts: list[str] = Field(max_length=60)


class ColumnLine(Schema):
    heading: str = Field(default="", max_length=200)
    quantity: str = Field(default="", max_length=40)
    form: str = Field(default="value", max_length=20)


class ReferenceAsked(Schema):
    text: str = Field(max_length=curves.MOST_BYTES)
    filename: str = Field(default="", max_length=200)
    x_unit: str | None = None
    columns: list[ColumnLine] | None = Field(default=None, max_length=curves.MOST_COLUMNS)


class NewReference(ReferenceAsked):
    name: str = Field(min_length=1, max_length=80)


class NewName(Schema):
    name: str = Field(min_length=1, max_length=80)


class ReferencePreview(Schema):
    """As recognised, with the first rows as they stand; ``error`` says why it cannot be used so."""

    x_unit: str
    x_guessed: bool
    columns: list[RecognisedColumn]
    rows: list[list[float]]
    count: int
    notes: list[str]
    quantities: list[str]
    forms: list[str]
    x_units: list[str]
    error: str


class ReferenceLine(Schema):
    number: int
    name: str
    axis: str
    quantities: list[str]
    points: int
    low: float
    high: float


class GradeAsked(Schema):
    first: str
    second: str
    formula: str = Field(max_length=1000)
    low_hz: float | None = None
    high_hz: float | None = None


@router.get("/readout-templates", response=list[TemplateLine], operation_id="list_templates")
def list_templates(request: HttpRequest) -> list[dict[str, Any]]:
    return [dict(t) for t in Template.objects.filter(owner=person(request)).values("name", "cards")]


@router.put("/readout-templates/{name}", response={204: None}, operation_id="save_template")
def save_template(request: HttpRequest, name: str, data: NewTemplate) -> Answer:
    if not 1 <= len(name.strip()) <= 60:
        raise HeronError("a template's name has 1 to 60 characters")
    actions.save_template(request, name.strip(), [c.model_dump() for c in data.cards])
    return Answer(204, None)


@router.delete("/readout-templates/{name}", response={204: None}, operation_id="delete_template")
def delete_template(request: HttpRequest, name: str) -> Answer:
    actions.delete_template(request, name)
    return Answer(204, None)


@router.get("/{int:project_id}/readout", response=PageState, operation_id="get_readout")
def get_page(request: HttpRequest, project_id: int) -> dict[str, Any]:
    page = Page.objects.filter(project=get_project(request, project_id)).first()
    return (
        {"version": 0, "content": None}
        if page is None
        else {"version": page.version, "content": page.content}
    )


@router.put("/{int:project_id}/readout", response=PageState, operation_id="save_readout")
def save_page(request: HttpRequest, project_id: int, data: PageState) -> dict[str, Any]:
    page = actions.save_page(
        request, project_id, data.version, (data.content or PageContent()).model_dump()
    )
    return {"version": page.version, "content": page.content}


@router.post("/{int:project_id}/curves", operation_id="evaluate_curves")
def evaluate_curves(request: HttpRequest, project_id: int, data: CurvesAsked) -> HttpResponse:
    """Formulas over runs and reference curves: arrays ``x0`` … in Hz by source, ``re0.1`` and
    ``im0.1`` by source and formula, with units or errors.
    """
    get_project(request, project_id)
    header: list[list[dict[str, str]]] = []
    arrays: dict[str, Any] = {}
    for i, name in enumerate(data.sources):
        header.append([])
        try:
            own = sources.source(request, project_id, name)
        except HeronError as error:
            header[-1] = [{"unit": "", "error": error.message} for _ in data.formulas]
            continue
        arrays[f"x{i}"] = own.frequency
        for k, formula in enumerate(data.formulas):
            try:
                curve = own.curve(formula)
            except HeronError as error:
                header[-1].append({"unit": "", "error": error.message})
                continue
            header[-1].append({"unit": curve.unit, "error": ""})
            arrays[f"re{i}.{k}"] = np.real(curve.values)
            if np.iscomplexobj(curve.values):
                arrays[f"im{i}.{k}"] = np.imag(curve.values)
    return packet({"curves": header}, **arrays)


@router.post("/{int:project_id}/specs", response=list[SpecState], operation_id="judge_specs")
def judge_specs(request: HttpRequest, project_id: int, data: SpecsAsked) -> list[dict[str, Any]]:
    """Spec lines as understood, with every run's verdict."""
    return sources.verdicts(request, project_id, data.texts)


@router.post("/reference-preview", response=ReferencePreview, operation_id="preview_reference")
def preview_reference(request: HttpRequest, data: ReferenceAsked) -> dict[str, Any]:
    """How a text would be read; nothing is kept."""
    return {
        **actions.read_curves(request, data.text, data.filename, data.x_unit, _columns(data)),
        "quantities": curves.QUANTITIES,
        "forms": list(curves.FORMS),
        "x_units": list(curves.X_UNITS),
    }


def _columns(data: ReferenceAsked) -> list[dict[str, str]] | None:
    return None if data.columns is None else [c.model_dump() for c in data.columns]


def _reference(found: ReferenceCurve) -> dict[str, Any]:
    r = sources.parsed(found)
    return {
        "number": found.number,
        "name": found.name,
        "axis": r.axis,
        "quantities": list(r.named),
        "points": len(r.x),
        "low": float(r.x[0]),
        "high": float(r.x[-1]),
    }


@router.get(
    "/{int:project_id}/references", response=list[ReferenceLine], operation_id="list_references"
)
def list_references(request: HttpRequest, project_id: int) -> list[dict[str, Any]]:
    return [_reference(r) for r in get_project(request, project_id).references.all()]


@router.post(
    "/{int:project_id}/references", response={201: ReferenceLine}, operation_id="add_reference"
)
def add_reference(request: HttpRequest, project_id: int, data: NewReference) -> Answer:
    made = actions.add_reference(
        request, project_id, data.name, data.filename, data.text, data.x_unit, _columns(data)
    )
    return Answer(201, _reference(made))


@router.patch(
    "/{int:project_id}/references/{int:number}",
    response=ReferenceLine,
    operation_id="rename_reference",
)
def rename_reference(
    request: HttpRequest, project_id: int, number: int, data: NewName
) -> dict[str, Any]:
    return _reference(actions.rename_reference(request, project_id, number, data.name))


@router.delete(
    "/{int:project_id}/references/{int:number}",
    response={204: None},
    operation_id="delete_reference",
)
def delete_reference(request: HttpRequest, project_id: int, number: int) -> Answer:
    actions.delete_reference(request, project_id, number)
    return Answer(204, None)


@router.get(
    "/{int:project_id}/references/{int:number}/cut",
    response=dict[str, Any],
    operation_id="reference_cut",
)
def reference_cut(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    """A curve over angle: degrees, and dB by quantity."""
    r = sources.parsed(actions.get_reference(request, project_id, number))
    if r.axis != "angle":
        raise HeronError("this curve is over frequency")
    return {
        "angle_deg": r.x.tolist(),
        "level_db": {name: r.level(name).tolist() for name in r.named},
    }


@router.post("/{int:project_id}/grade", response=Grade, operation_id="grade_difference")
def grade_difference(request: HttpRequest, project_id: int, data: GradeAsked) -> dict[str, Any]:
    """Feature selective validation of a real formula of two sources (IEEE Std 1597.1), over a band
    or all they share, and the difference curve.
    """
    pair = []
    for name in (data.first, data.second):
        own = sources.source(request, project_id, name)
        y = own.curve(data.formula).values
        if np.iscomplexobj(y):
            raise HeronError(f"“{data.formula}” is complex; compare its magnitude, dB or parts")
        pair.append(fsv.between(own.frequency, y, data.low_hz, data.high_hz))
    found = fsv.compare(*pair[0], *pair[1])
    measures = {"adm": found.adm_at, "fdm": found.fdm_at, "gdm": found.gdm_at}
    return {
        **{k: float(v.mean()) for k, v in measures.items()},
        "grade": found.grade,
        "grades": {k: fsv.word(float(v.mean())) for k, v in measures.items()},
        "histogram": {k: found.histogram(v) for k, v in measures.items()},
        "x_hz": found.x.tolist(),
        "difference": found.difference.tolist(),
        "gdm_at": found.gdm_at.tolist(),
    }
