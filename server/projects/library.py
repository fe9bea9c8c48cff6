"""The shipped examples, and the card of a project on the Shelf."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from heron.geometry import build_geometry
from heron.geometry.tessellate import shapes
from heron.model import Document, evaluate_document, load_document
from server.config import ROOT
from server.errors import not_found
from server.projects import files
from server.projects.models import Project, Revision
from server.projects.views import outline

BLANK = {
    "name": "Untitled",
    "parameters": [
        {"name": "f0", "expression": "868 MHz", "unit": "MHz"},
        {"name": "lambda0", "expression": "c0 / f0", "unit": "mm"},
    ],
    "captures": [{"kind": "far_field", "name": "far field"}],
    "plan": {"f_start": "0.8 * f0", "f_stop": "1.2 * f0", "points": "101"},
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


@lru_cache(maxsize=256)
def _outline(revision_id: int) -> list[dict[str, Any]]:
    revision = Revision.objects.select_related("project").get(id=revision_id)
    document = load_document(revision.document)
    geometry = build_geometry(evaluate_document(document), files.provider(revision.project))
    return [{"points": s["points"]} for s in shapes(geometry)] + [
        {"points": line} for line in outline(geometry)
    ]


def card(project: Project, role: str) -> dict[str, Any]:
    runs = sorted(project.runs.all(), key=lambda r: -r.number)
    last = next((r for r in runs if r.headline), None)
    return {
        "id": project.id,
        "name": project.name,
        "role": role,
        "updated": project.updated,
        "revision": project.head.number,
        "outline": _outline(project.head_id),
        "headline": last.headline.get("text", "") if last else "",
        "running": sum(r.active for r in runs),
    }
