"""The shipped examples, and the card of a project on the Shelf."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from heron.model import Document, load_document
from server.config import ROOT
from server.errors import Problem, not_found
from server.looking.pool import ask
from server.projects.models import Project

BLANK = {
    "name": "Untitled",
    "parameters": [
        {"name": "f0", "expression": "868 MHz", "unit": "MHz"},
        {"name": "lambda0", "expression": "c0 / f0", "unit": "mm"},
    ],
    "captures": [{"kind": "far_field", "name": "far field"}],
    "plans": [{"f_start": "0.8 * f0", "f_stop": "1.2 * f0"}],
}


@lru_cache(maxsize=1)
def examples() -> dict[str, Document]:
    return {
        p.stem: load_document(p.read_bytes()) for p in sorted((ROOT / "examples").glob("*.json"))
    }


def example(name: str | None) -> Document:
    """A shipped example, or an empty model without a name."""
    if name is None:
        return load_document(BLANK)
    if name not in examples():
        raise not_found("example of that name")
    return examples()[name]


_outlines: dict[int, list[dict[str, Any]]] = {}
MOST_OUTLINES = 2000


def _outline(project: Project, person: int) -> list[dict[str, Any]]:
    """The drawing of a project's head, made once; none where it takes too much to make."""
    head = project.head_id
    if head not in _outlines:
        try:
            found = ask(person, project.id, "outline_of", head)
        except Problem as error:
            if error.status == 429:
                return []  # the next look will have it
            found = []
        while len(_outlines) >= MOST_OUTLINES:
            _outlines.pop(next(iter(_outlines)))
        _outlines[head] = found
    return _outlines[head]


def card(project: Project, role: str, person: int) -> dict[str, Any]:
    runs = sorted(project.runs.all(), key=lambda r: -r.number)
    last = next((r for r in runs if r.headline), None)
    return {
        "id": project.id,
        "name": project.name,
        "role": role,
        "updated": project.updated,
        "revision": project.head.number,
        "outline": _outline(project, person),
        "headline": last.headline.get("text", "") if last else "",
        "running": sum(r.active for r in runs),
    }
