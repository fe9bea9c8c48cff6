"""Waves, beams and captures on a grid."""

from __future__ import annotations

from typing import Any

import numpy as np

from heron.engines.transient.beams import ray_bounds, rays_of
from heron.engines.transient.incidence import box_corners, corners
from heron.engines.transient.structure import Structure
from heron.errors import HeronError
from heron.excitation.pulse import pulse_of
from heron.excitation.waves import Beam, light_of
from heron.fields.surface import within
from heron.geometry import Geometry
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import at_frequencies, capture_points, in_time
from heron.model import Evaluated
from heron.model.substances import media_of
from heron.model.surroundings import layers_of
from heron.problems import Problem
from heron.quantities import engineering
from heron.quantities.constants import C0


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
    """Captures that lie on both sides of the total-field box, or in the cells where waves
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
            or not (at_frequencies(capture) or in_time(capture))
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
                    f"“{capture.name}” lies on both sides of the total-field box; beyond it"
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
