"""What is wrong with the waves that light a model, with what they pass and with where they are
looked at, before a run.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from heron.checks.problems import Problem
from heron.engines.transient.beams import Beam, light_of, ray_bounds, rays_of
from heron.engines.transient.incidence import box_corners, corners
from heron.engines.transient.pulse import pulse_of
from heron.engines.transient.structure import Structure, layers_of
from heron.errors import HeronError
from heron.fields.surface import within
from heron.geometry import Geometry
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import POINTS, TIME_POINTS, capture_points
from heron.model import Evaluated
from heron.model.substances import media_of
from heron.quantities import engineering
from heron.quantities.constants import C0

DEAF = {  # feeds that cannot receive, with the reason
    "line": "line feeds: the case behind one lies open to the wave",
    "dipole": (
        "point dipoles: they let no current flow that could receive; ask for the near field at"
        " their places"
    ),
}


def illumination_problems(model: Evaluated) -> Iterator[Problem]:
    """Waves that travel nowhere or carry nothing, names given twice, feeds that would be driven
    too.
    """
    names: dict[str, int] = {}
    for i, light in enumerate(model.illuminations):
        if light is None:
            continue
        here = ("illuminations", i)
        if light.name in names:
            yield Problem(
                "error",
                "invalid",
                f"“{light.name}” is already the name of illumination {names[light.name] + 1}; name"
                " them differently",
                path=(*here, "name"),
            )
        names[light.name] = i
        try:
            light_of(light, bool(model.document.surround.layers))
        except HeronError as error:
            yield Problem("error", "invalid", error.message, path=error.within(*here).path)
        if light.amplitude < 0:
            yield Problem(
                "error",
                "invalid",
                "the amplitude must not be negative; use the phase",
                path=(*here, "amplitude"),
            )
    if all(light is not None and light.amplitude == 0 for light in model.illuminations):
        yield Problem(
            "error",
            "invalid",
            "no wave carries anything: every amplitude is zero",
            path=("illuminations", 0, "amplitude"),
        )
    for i, feed in enumerate(model.document.feeds):
        if feed.kind in DEAF:
            yield Problem(
                "error",
                "invalid",
                f"a lit model has no {DEAF[feed.kind]}",
                "take the feed out, or the illumination",
                ("feeds", i),
            )
    if model.document.feeds:
        yield Problem(
            "look",
            "terminated",
            "the model is lit, so its feeds only terminate and receive",
            "take the illumination out to drive the feeds",
            ("feeds",),
        )


def layer_problems(model: Evaluated) -> Iterator[Problem]:
    """Layers that are no media, have no thickness, or lie under a model that is driven."""
    layers = model.document.surround.layers
    if model.surround is None:
        return
    media = media_of(model)[0]
    for i, layer in enumerate(model.surround.layers):
        here = ("surround", "layers", i)
        if layer.material not in media:
            yield Problem(
                "error",
                "invalid",
                f"there is no medium “{layer.material}”; choose one of the library or add it to"
                " this project",
                path=(*here, "material"),
            )
        if layer.thickness is None and i + 1 < len(layers):
            yield Problem(
                "error",
                "invalid",
                "only the lowest layer goes on for ever; give this one a thickness",
                path=(*here, "thickness"),
            )
        elif layer.thickness is not None and layer.thickness <= 0:
            yield Problem(
                "error",
                "invalid",
                "the thickness of a layer must be above zero",
                path=(*here, "thickness"),
            )
    if layers and not model.document.illuminations:
        yield Problem(
            "error",
            "invalid",
            "layers are for models that are lit: what a feed sends out above and into them is not"
            " worked out yet",
            "light the model, or draw the layers as boxes",
            ("surround", "layers"),
        )


def first_media(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Waves that come out of a medium which takes power from them, or that layers reflect as a
    whole.
    """
    layers, media = layers_of(model), media_of(model)[0]
    middle = 0.5 * (model.plan.f_start + model.plan.f_stop)
    below = media[layers[-1][0]].epsilon(middle)[0] if layers and np.isinf(layers[-1][1]) else 1.0
    out = []
    for i, light in enumerate(model.illuminations):
        if light is None or not layers:
            continue
        way = np.array(light.travels) / np.linalg.norm(light.travels)
        first, last = (below, 1.0) if way[2] > 0 else (1.0, below)
        if abs(np.imag(first)) > 0:
            out.append(
                Problem(
                    "error",
                    "invalid",
                    "the layer that it comes from takes power from it, so that it has no strength"
                    " of its own",
                    "let it come from the other side, or give that layer a medium without loss",
                    ("illuminations", i, "travels"),
                )
            )
        elif (
            np.sqrt(np.real(first)) * np.hypot(way[0], way[1]) >= np.sqrt(max(np.real(last), 1e-9))
            and np.imag(last) == 0
        ):
            out.append(
                Problem(
                    "error",
                    "invalid",
                    "the layers reflect this wave as a whole: what clings to their surface runs"
                    " ahead of a pulse for ever",
                    "let it come less slanted",
                    ("illuminations", i, "travels"),
                )
            )
    return out


def beams_in_box(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Beams that are narrower than any, or that no sum of plane waves from one side makes."""
    layers, media, out = layers_of(model), media_of(model)[0], []
    for i, light in enumerate(model.illuminations):
        try:
            wave = light_of(light, bool(layers)) if light is not None else None
        except HeronError:
            continue  # said already
        if not isinstance(wave, Beam):
            continue
        rising = wave.travels[2] > 0 and layers and np.isinf(layers[-1][1])
        index = (
            float(np.sqrt(media[layers[-1][0]].epsilon(model.plan.f_start)[0].real))
            if rising
            else 1.0
        )
        longest = C0 / model.plan.f_start / index
        if wave.waist < longest / 2:
            out.append(
                Problem(
                    "error",
                    "invalid",
                    "no beam is narrower than half a wavelength,"
                    f" {engineering(longest / 2, 'm', 3)} at the start of the band",
                    "make its radius larger, or begin the band higher",
                    ("illuminations", i, "waist"),
                )
            )
            continue
        try:
            rays_of(
                wave,
                *ray_bounds(
                    wave,
                    corners(discretisation.structure),
                    pulse_of(model.plan, light),
                    float(model.plan.f_start),
                    index,
                ),
            )
        except HeronError as error:
            out.append(
                Problem(
                    "error", "invalid", error.message, path=error.within("illuminations", i).path
                )
            )
    return out


def looked_across(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Captures that lie on both sides of the box of total fields, or in the cells where waves
    enter.
    """
    if not model.document.illuminations:
        return []
    s: Structure = discretisation.structure
    low, high = box_corners(s)
    before, beyond = (
        np.array(
            [line[np.clip(n, 0, len(line) - 1)] for line, n in zip(s.lines, numbers, strict=True)]
        )
        for numbers in (s.box[0] - 1, s.box[1] + 1)
    )
    for k in s.repeats:  # there the box has no sides
        low[k] = before[k] = -np.inf
        high[k] = beyond[k] = np.inf
    frames, out = build_frames(model, []), []
    for i, capture in enumerate(model.captures):
        if (
            capture is None
            or capture.kind not in (*POINTS, *TIME_POINTS)
            or (capture.frame and capture.frame not in frames)
        ):
            continue
        points = capture_points(capture, frame_matrix(frames, capture.frame))
        deep = ((points > low) & (points < high)).all(axis=1)
        far = ((points < before) | (points > beyond)).any(axis=1)
        if (model.document.surround.layers or s.repeats) and not within(points, *s.inner).all():
            where = "of what is repeated" if s.repeats else "over layers"
            out.append(
                Problem(
                    "error",
                    "invalid",
                    f"“{capture.name}” reaches beyond the walls, and {where} fields are known"
                    " between them only",
                    "make it smaller, or move the walls away",
                    ("captures", i),
                )
            )
        elif deep.any() and not deep.all():
            out.append(
                Problem(
                    "error",
                    "invalid",
                    f"“{capture.name}” lies on both sides of the box of total fields; beyond it"
                    " there are scattered fields only",
                    "make it smaller, or move the box or the walls away",
                    ("captures", i),
                )
            )
        elif not deep.any() and not far.all():
            out.append(
                Problem(
                    "error",
                    "invalid",
                    f"“{capture.name}” lies in the cells where the wave enters",
                    "move it by a few cells",
                    ("captures", i),
                )
            )
    return out
