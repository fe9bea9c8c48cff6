"""What is wrong with the waves that light a model, before a run."""

from __future__ import annotations

from collections.abc import Iterator

from heron.checks.problems import Problem
from heron.engines.transient.incidence import plane_wave
from heron.errors import HeronError
from heron.model import Evaluated


def illumination_problems(model: Evaluated) -> Iterator[Problem]:
    """Waves that travel nowhere or carry nothing, names given twice, feeds that would be driven too."""
    names: dict[str, int] = {}
    for i, light in enumerate(model.illuminations):
        if light is None:
            continue
        here = ("illuminations", i)
        if light.name in names:
            yield Problem("error", "invalid", f"“{light.name}” is already the name of illumination {names[light.name] + 1}; name them differently", path=(*here, "name"))
        names[light.name] = i
        try:
            plane_wave(light)
        except HeronError as error:
            yield Problem("error", "invalid", error.message, path=error.within(*here).path)
        if light.amplitude < 0:
            yield Problem("error", "invalid", "the amplitude must not be negative; use the phase", path=(*here, "amplitude"))
    if all(light is not None and light.amplitude == 0 for light in model.illuminations):
        yield Problem("error", "invalid", "no wave carries anything: every amplitude is zero", path=("illuminations", 0, "amplitude"))
    if model.document.feeds:
        yield Problem("look", "terminated", "the model is lit, so its feeds only terminate and receive", "take the illumination out to drive the feeds", ("feeds",))
