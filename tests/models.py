"""Small documents, and a shortcut from a document to its results."""

from __future__ import annotations

from typing import Any

import numpy as np
import xarray as xr

from heron.checks import Examination, examine
from heron.engines import ENGINES
from heron.model import load_document
from heron.results import ports

C0 = 299792458.0
METRE_WAVE = "299792458 Hz"  # the frequency whose wavelength is 1 m


def plan(f_start: str = METRE_WAVE, f_stop: str | None = None, points: int = 1, **more: Any) -> dict[str, Any]:
    return {"f_start": f_start, "f_stop": f_stop or f_start, "points": str(points), **more}


def wire(name: str, start: list[Any], end: list[Any], radius: Any = "1e-5 m", **more: Any) -> dict[str, Any]:
    return {"kind": "wire", "name": name, "start": [_m(c) for c in start], "end": [_m(c) for c in end], "radius": _m(radius), **more}


def _m(value: Any) -> Any:
    return f"{float(value)!r} m" if isinstance(value, float) else value


def dipole(length: float = 0.5, radius: float = 1e-5, segments: int = 40, **more: Any) -> dict[str, Any]:
    """Centre-fed along z at a wavelength of 1 m, lengths in wavelengths."""
    return {
        "parts": [wire("rod", [0, 0, -length / 2], [0, 0, length / 2], radius)],
        "feeds": [{"number": 1, "part": "rod"}],
        "plan": plan(segments_per_wavelength=str(segments)),
        **more,
    }


def look(document: dict[str, Any], **overrides: str) -> Examination:
    return examine(load_document(document), overrides)


def solve(document: dict[str, Any], **overrides: str) -> xr.Dataset:
    examination = look(document, **overrides)
    assert examination.sound, examination.errors
    return ENGINES[examination.engine].solve(examination.model, examination.discretisation)


def impedance(document: dict[str, Any], **overrides: str) -> complex:
    return complex(ports.impedances(solve(document, **overrides))[0, 0])


def first(results: xr.Dataset, name: str) -> Any:
    return np.asarray(results[name].values)[0]
