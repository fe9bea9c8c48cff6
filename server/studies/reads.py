"""What is read of studies, in the processes that look at models: curves of all variants at once,
and surrogates of them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.checks import Examination
from heron.errors import HeronError
from heron.model import load_document
from heron.results import patterns
from heron.results.formulas import Curve, Kept, Quantities
from heron.results.power import budget
from heron.studies.contract import Made
from heron.studies.kinds import made, named, step_of
from heron.studies.surrogate import surrogate
from heron.studies.values import outcomes_of
from heron.studies.variables import Variable
from server.packets import packet
from server.runs import store
from server.runs.models import KeptCurves, Run, Status
from server.runs.quantities import of_run
from server.studies.models import Study, StudyVariant

KEPT_RUNS, KEPT_CURVES, KEPT_OUTCOMES, KEPT_SURROGATES = 1000, 20_000, 50_000, 12
CUT_STEP = 3.0  # degrees


def preflight_of(document: str, name: str, examination: Examination) -> dict[str, Any]:
    """What a study needs to know before it is queued; with ``errors``, it cannot be."""
    own = load_document(document)
    place = next((k for k, s in enumerate(own.studies) if s.name == name), 0)
    try:
        found = made(named(own, name), own)
    except HeronError as error:
        path = ["studies", place, *error.path]
        return {"errors": [{"message": error.message, "path": path}]}
    forecast = examination.forecast
    return {
        "errors": [asdict(p) for p in examination.errors],
        "most": found.most,
        "outcomes": list(found.outcomes),
        "forecast": {} if forecast is None else forecast.as_json(),
    }


def rows_of(study_id: int) -> list[StudyVariant]:
    """Variants that were solved, in their order, each with the number and key of its run."""
    own = StudyVariant.objects.filter(study_id=study_id, run__status=Status.FINISHED)
    return list(own.select_related("run").defer("run__live", "run__summary", "run__trust"))


@lru_cache(maxsize=KEPT_RUNS)
def source_of(run_id: int) -> Quantities | Kept:
    """The quantities of a variant: those that are kept beside it, where there are some."""
    curves = KeptCurves.objects.filter(run_id=run_id).first()
    if curves is None:
        return of_run(run_id)
    return Kept(bytes(curves.data), lambda: of_run(run_id))


@lru_cache(maxsize=KEPT_CURVES)
def _curve(run_id: int, formula: str) -> tuple[NDArray[Any], Curve]:
    """A formula of one run over its frequencies; runs are immutable."""
    quantities = source_of(run_id)
    return quantities.frequency, quantities.curve(formula)


def curves_of(study_id: int, formula: str) -> bytes:
    """A formula of all solved variants over the frequencies of the first, as a packet: ``x`` (f,),
    ``re`` and for complex ones ``im`` (n, f), by the ``places`` of variants.
    """
    rows = rows_of(study_id)
    header, arrays = _curves(rows, formula)
    return bytes(packet(header, **arrays).content)


def _curves(
    rows: list[StudyVariant], formula: str
) -> tuple[dict[str, Any], dict[str, NDArray[Any]]]:
    found, places, error, unit = [], [], "", ""
    for row in rows:
        try:
            x, curve = _curve(row.run_id or 0, formula)
        except HeronError as fault:
            error = error or fault.message
            continue
        found.append((x, np.broadcast_to(np.asarray(curve.values), x.shape)))
        places.append(row.place)
        unit = curve.unit
    header = {"places": places, "unit": unit, "error": "" if found else error}
    if not found:
        return header, {}
    grid = found[0][0]
    own = np.array([_on(grid, x, y) for x, y in found])
    arrays = {"x": grid, "re": own.real}
    if np.iscomplexobj(own):
        arrays["im"] = own.imag
    return header, arrays


def _on(grid: NDArray[Any], x: NDArray[Any], y: NDArray[Any]) -> NDArray[Any]:
    """A curve on other frequencies; nothing where it has none."""
    if x.shape == grid.shape and (x == grid).all():
        return y
    if np.iscomplexobj(y):
        return np.asarray(_on(grid, x, y.real) + 1j * _on(grid, x, y.imag))
    return np.asarray(np.interp(grid, x, y, np.nan, np.nan))


@lru_cache(maxsize=KEPT_OUTCOMES)
def _outcome(run_id: int, text: str) -> tuple[float | None, str, str]:
    """A number of one run, its unit, or why there is none."""
    kept = Run.objects.values_list("outcomes", flat=True).get(id=run_id)
    if text not in kept:
        kept = outcomes_of(source_of(run_id), [text])
    found = kept[text]
    if "reason" in found:
        return None, "", found["reason"]
    if "value" not in found:
        return None, "", f"{text} is a curve; say at which frequency, or its smallest or largest"
    return found["value"], found["unit"], ""


def outcomes_by_variant(study_id: int, text: str) -> dict[str, Any]:
    """A number of every variant by its place."""
    values: dict[int, float | None] = {}
    unit = error = ""
    for row in rows_of(study_id):
        value, own, fault = _outcome(row.run_id or 0, text)
        values[row.place] = value
        unit, error = own or unit, error or fault
    return {
        "text": text,
        "unit": unit,
        "places": list(values),
        "values": list(values.values()),
        "error": "" if any(v is not None for v in values.values()) else error,
    }


def dials_of(study_id: int, channels: list[str], frequency: float) -> bytes:
    """Surrogates of the study's variants as a packet, of those of :data:`CHANNELS` that are asked
    for and that all variants have: S11, reflection and transmission of cells (complex) and realized
    gain in dBi over frequency, cuts at one frequency in dBi over angle.

    Each channel has ``NAME_x``, ``NAME_axis``, ``NAME_trend``, ``NAME_weights``, ``NAME_spread``,
    ``NAME_least``, ``NAME_points``, ``NAME_inverse``, ``NAME_lengths``; complex ones ``_re`` and
    ``_im``. To each ``_rest`` is to be added.
    """
    rows = rows_of(study_id)
    return _dials(study_id, tuple(channels), frequency, tuple(r.place for r in rows))


@lru_cache(maxsize=KEPT_SURROGATES)
def _dials(
    study_id: int, channels: tuple[str, ...], frequency: float, places: tuple[int, ...]
) -> bytes:
    study = Study.objects.select_related("revision").get(id=study_id)
    found: Made = made(step_of(**study.step), load_document(study.revision.document))
    rows = [r for r in rows_of(study_id) if r.place in places]
    varied = [
        k
        for k, v in enumerate(found.variables)
        if isinstance(v, Variable) and len({r.point[k] for r in rows}) > 1
    ]
    fixed = [k for k in range(len(found.variables)) if k not in varied]
    if rows and fixed:  # of choices those that the first variant has
        rows = [r for r in rows if all(r.point[k] == rows[0].point[k] for k in fixed)]
    if not varied:
        raise HeronError("a dial needs a parameter whose value differs between variants")
    points = np.array([[r.point[k] for k in varied] for r in rows], dtype=float)
    header: dict[str, Any] = {
        "variables": [
            {
                "name": found.variables[k].name,
                "unit": found.variables[k].unit,
                "nominal": found.variables[k].nominal,
                "low": float(points[:, i].min()),
                "high": float(points[:, i].max()),
                "place": k,
            }
            for i, k in enumerate(varied)
        ],
        "first": rows[0].point,
        "places": [r.place for r in rows],
        "channels": {},
    }
    arrays: dict[str, NDArray[Any]] = {}
    for name in channels:
        read = CHANNELS[name](rows, frequency) if name in CHANNELS else None
        if read is None:
            continue
        x, curves, unit = read
        model = surrogate(points, curves, x)
        own = {
            "x": x,
            "axis": model.axis,
            "points": model.points,
            "lengths": model.lengths,
            "spread": model.spread,
            "least": model.least,
            "inverse": model.inverse,
            "trend_re": model.trend.real,
            "weights_re": model.weights.real,
        }
        if np.iscomplexobj(curves):
            own |= {"trend_im": model.trend.imag, "weights_im": model.weights.imag}
        for key, values in own.items():
            arrays |= _precise(f"{name}_{key}", values)
        header["channels"][name] = {
            "unit": unit,
            "reach": model.reach,
            "poles": model.poles,
            "noise": model.noise,
            "low": model.low.tolist(),
            "scale": model.scale.tolist(),
        }
    header["reference"] = _reference(rows[0])
    return bytes(packet(header, **arrays).content)


def _precise(name: str, values: NDArray[Any]) -> dict[str, NDArray[Any]]:
    """An array as two of single precision, whose sum has the digits that inverses need."""
    first = np.asarray(values, dtype="<f4")
    return {name: first, f"{name}_rest": np.asarray(values, dtype=float) - first}


def _reference(row: StudyVariant) -> float | None:
    results = store.load(row.run_id or 0)
    return (
        float(np.real(results["reference"].values.ravel()[0])) if "reference" in results else None
    )


Channel = tuple[NDArray[Any], NDArray[Any], str]  # x (f,), curves (n, f), their unit
Reader = Callable[[list[StudyVariant], float], Channel | None]


def _of_formula(formula: str, unit: str) -> Reader:
    def read(rows: list[StudyVariant], frequency: float) -> Channel | None:
        header, arrays = _curves(rows, formula)
        if len(header["places"]) < len(rows):
            return None  # not all have it
        values = arrays["re"] + 1j * arrays["im"] if "im" in arrays else arrays["re"]
        there = np.isfinite(values).all(axis=0)
        return (arrays["x"][there], values[:, there], unit) if there.any() else None

    return read


def _of_plane(plane: str) -> Reader:
    def read(rows: list[StudyVariant], frequency: float) -> Channel | None:
        try:
            own = [_cut(r.run_id or 0, frequency, plane) for r in rows]
        except (HeronError, ValueError, KeyError):
            return None
        alike = all(len(c[1]) == len(own[0][1]) for c in own)
        return (own[0][0], np.array([c[1] for c in own]), "dBi") if alike else None

    return read


CHANNELS: dict[str, Reader] = {
    "s11": _of_formula("s11", ""),
    "gain": _of_formula("db10(realized_gain)", "dBi"),
    "reflection": _of_formula("reflection", ""),
    "transmission": _of_formula("transmission", ""),
    "phi0": _of_plane("phi=0"),
    "phi90": _of_plane("phi=90"),
}
FLOOR_DB = -40.0  # of a cut, below its peak: deep nulls are no smooth functions of anything


@lru_cache(maxsize=KEPT_CURVES)
def _cut(run_id: int, frequency: float, plane: str) -> tuple[NDArray[Any], NDArray[Any]]:
    results = store.load(run_id)
    index = patterns.nearest_index(results, frequency)
    found = patterns.cut(
        results, index, plane, budget(results), CUT_STEP, "realized_gain", "total", 0.0
    )
    level = np.asarray(found.level, dtype=float)
    return np.asarray(found.angle), np.maximum(level, np.nanmax(level) + FLOOR_DB)
