"""What is wrong with the waves that light a model, with what they pass and with where they are
looked at, before a run.
"""

from __future__ import annotations

from collections.abc import Iterator

from heron.errors import HeronError
from heron.excitation.waves import light_of
from heron.model import Evaluated
from heron.model.substances import media_of
from heron.problems import Problem

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
                f"an illuminated model has no {DEAF[feed.kind]}",
                "take the feed out, or the illumination",
                ("feeds", i),
            )
    if model.document.feeds:
        yield Problem(
            "look",
            "terminated",
            "the model is illuminated, so its feeds only terminate and receive",
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
            "layers are for models that are illuminated: what a feed radiates above and into them"
            " is not worked out yet",
            "illuminate the model, or draw the layers as boxes",
            ("surround", "layers"),
        )
