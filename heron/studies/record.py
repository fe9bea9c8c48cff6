"""A study as files: ``study.json``, ``study.csv`` and ``study.nc``."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import xarray as xr

from heron.errors import HeronError
from heron.formats import netcdf
from heron.studies.contract import Findings, Trial, Value
from heron.studies.values import plain
from heron.studies.variables import Choice, Variable


def as_json(kind: str, variables: Sequence[Variable | Choice], found: Findings) -> dict[str, Any]:
    """``{kind, parameters, variants: [{values, outcome, status}], …}``; values in SI units, curves
    with their frequencies in Hz.
    """
    return {
        "kind": kind,
        "parameters": [{"name": v.name, "unit": v.unit, "nominal": v.nominal} for v in variables],
        "variants": [_variant(variables, t) for t in found.trials],
        **found.told,
    }


def _variant(variables: Sequence[Variable | Choice], trial: Trial) -> dict[str, Any]:
    return {
        "values": {v.name: v.shown(c) for v, c in zip(variables, trial.point, strict=True)},
        "status": "failed" if trial.failure else "solved",
        **({"reason": trial.failure} if trial.failure else {}),
        "seconds": trial.seconds,
        "outcome": {name: plain(v) for name, v in trial.outcomes.items()},
    }


def as_csv(variables: Sequence[Variable | Choice], found: Findings) -> str:
    """A row for each variant: its values, status, and outcomes that are numbers."""
    names = numbers(found)
    units = {n: next(t.outcomes[n].unit for t in found.trials if n in t.outcomes) for n in names}
    text = io.StringIO()
    table = csv.writer(text, lineterminator="\n")
    table.writerow(
        [
            "variant",
            *(f"{v.name} [{v.unit}]" if v.unit else v.name for v in variables),
            "status",
            *(f"{n} [{units[n]}]" if units[n] else n for n in names),
        ]
    )
    for k, t in enumerate(found.trials):
        shown = [v.shown(c) for v, c in zip(variables, t.point, strict=True)]
        own = [t.outcomes[n].number if n in t.outcomes else "" for n in names]
        table.writerow([k, *shown, "failed" if t.failure else "solved", *own])
    return text.getvalue()


def numbers(found: Findings) -> list[str]:
    """Names of outcomes that are numbers."""
    first = next((t for t in found.trials if not t.failure), None)
    return [] if first is None else [n for n, v in first.outcomes.items() if v.number is not None]


def as_dataset(
    kind: str,
    variables: Sequence[Variable | Choice],
    found: Findings,
    lists: Sequence[Sequence[float]] | None = None,
) -> xr.Dataset:
    """Outcomes over the values of each variable where all combinations of ``lists`` were solved,
    else over variants; curves also over frequency. NaN where a variant failed.
    """
    trials = found.trials
    shape: tuple[int, ...] = (len(trials),)
    dims: tuple[str, ...] = ("variant",)
    coords: dict[str, Any] = {}
    if lists is not None:
        shape, dims = tuple(len(v) for v in lists), tuple(v.name for v in variables)
        for v, steps in zip(variables, lists, strict=True):
            coords[v.name] = (v.name, np.array(steps), _said(v))
    else:
        for k, v in enumerate(variables):
            own_values = np.array([t.point[k] for t in trials])
            coords[v.name] = ("variant", own_values, _said(v))
    data: dict[str, Any] = {
        "solved": (dims, np.array([0 if t.failure else 1 for t in trials]).reshape(shape))
    }
    first = next((t for t in trials if not t.failure), None)
    for name, value in (first.outcomes if first else {}).items():
        said = {"units": value.unit, "long_name": name}
        if value.x is None or value.y is None:
            own_values = np.array(
                [np.nan if t.failure else t.outcomes[name].number for t in trials], dtype=float
            )
            data[_name(name)] = (dims, own_values.reshape(shape), said)
            continue
        x, empty = value.x, np.full(len(value.x), np.nan, dtype=np.asarray(value.y).dtype)
        rows = [empty if t.failure else _fitting(t.outcomes[name], empty) for t in trials]
        coords.setdefault("frequency", ("frequency", x, {"units": "Hz"}))
        own = np.array(rows).reshape(*shape, len(x))
        data[_name(name)] = ((*dims, "frequency"), own, said)
    return xr.Dataset(data, coords, {"kind": kind})


def _said(variable: Variable | Choice) -> dict[str, str]:
    """What a file says of a variable; choices as the CF conventions have flags."""
    if isinstance(variable, Choice):
        return {"flag_meanings": ", ".join(variable.options)}
    return {"units": variable.unit}


def _name(name: str) -> str:
    """An outcome's name as a variable of a file may be called."""
    return re.sub(r"\W+", "_", name).strip("_")


def _fitting(value: Value, empty: Any) -> Any:
    """A curve that has the frequencies of the first variant's; a variant that has others, as its
    band depends on what is varied, is in the JSON only.
    """
    y = empty if value.y is None else np.asarray(value.y)
    return y if y.shape == empty.shape else empty


def save(
    folder: Path,
    kind: str,
    variables: Sequence[Variable | Choice],
    found: Findings,
    lists: Sequence[Sequence[float]] | None = None,
) -> list[str]:
    """Writes a study to a folder; the names of its files.

    :raises HeronError: the folder cannot be written.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise HeronError(f"{folder} cannot be written: {error.strerror}") from error
    told = json.dumps(as_json(kind, variables, found), indent=1, allow_nan=False)
    (folder / "study.json").write_text(told)
    (folder / "study.csv").write_text(as_csv(variables, found))
    netcdf.write(as_dataset(kind, variables, found, lists), folder / "study.nc")
    return ["study.json", "study.csv", "study.nc"]
