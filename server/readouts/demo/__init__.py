"""What the demo's readouts show beside the models: variants, spec lines, a reference curve.

All invented.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from django.http import HttpRequest

from server.projects.models import Project
from server.readouts import actions
from server.readouts.content import PageContent, SpecLine
from server.runs.actions import annotate, start_run

HERE = Path(__file__).parent


@dataclass(frozen=True)
class Demo:
    """Further runs with values and notes, spec lines, and a file of a curve with its name."""

    variants: list[tuple[dict[str, str], str]]
    specs: list[str]
    curve: tuple[str, str]


DEMOS = {
    "Ground whip": Demo(
        [
            ({"height": "0.225 * lambda0"}, "cut shorter for the upper channel"),
            ({"height": "0.245 * lambda0"}, "with the rubber tip on"),
        ],
        [
            "|S11| < -10 dB from 863 to 873 MHz",
            "realized gain > 4 dBi at theta = 85 from 863 to 873 MHz",
            "total efficiency > 90 % from 863 to 873 MHz",
        ],
        ("whip on the deck", "whip-on-the-deck.csv"),
    ),
}


def furnish(request: HttpRequest, project: Project) -> None:
    """Adds to a project of the demo what belongs to its readout."""
    demo = DEMOS.get(project.name)
    if demo is None:
        return
    annotate(request, project.id, 1, "as drawn", True)
    for values, note in demo.variants:
        annotate(
            request, project.id, start_run(request, project.id, None, values).number, note, None
        )
    name, file = demo.curve
    actions.add_reference(request, project.id, name, file, (HERE / file).read_text(), None, None)
    specs = [SpecLine(id=f"s{n}", text=text) for n, text in enumerate(demo.specs)]
    actions.save_page(request, project.id, 0, PageContent(specs=specs).model_dump())
