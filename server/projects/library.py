"""The shipped examples, and the card of a project on the Shelf."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from django.db.models import Count, F, OuterRef, Subquery
from django.db.models.functions import Coalesce
from django.http import HttpRequest

from heron.model import Document, load_document
from server.accounts.people import person
from server.config import ROOT
from server.errors import not_found
from server.projects.models import Member
from server.projects.permissions import visible
from server.runs.models import ACTIVE, Run

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


@dataclass(frozen=True)
class Start:
    """A working skeleton to begin a model from, with its drawing as SVG."""

    name: str
    title: str
    hint: str
    drawing: str
    document: dict[str, Any]


@lru_cache(maxsize=1)
def starts() -> list[Start]:
    """The skeletons, one file each with a drawing of the same name beside it, in their order."""
    found = []
    for path in sorted((ROOT / "examples/starts").glob("*.json")):
        own = json.loads(path.read_bytes())
        document = load_document(own["document"]).model_dump(mode="json")
        drawing = path.with_suffix(".svg").read_text()
        found.append(Start(path.stem, own["title"], own["hint"], drawing, document))
    return found


def example(name: str | None) -> Document:
    """A shipped example, or an empty model without a name."""
    if name is None:
        return load_document(BLANK)
    if name not in examples():
        raise not_found("example of that name")
    return examples()[name]


def cards(request: HttpRequest) -> list[dict[str, Any]]:
    """The projects of whoever asks, the latest changed first, each with the number of its head, its
    last run's headline, how many runs are going on and how far the farthest is; one query, and
    nothing of their models.
    """
    runs = Run.objects.filter(project=OuterRef("pk"), study=None)
    active = runs.filter(status__in=ACTIVE).order_by().values("project")
    role = Member.objects.filter(project=OuterRef("pk"), user=person(request)).values("role")
    found = (
        visible(request)
        .annotate(
            revision=F("head__number"),
            role=Subquery(role[:1]),
            last=Subquery(
                runs.exclude(headline={}).order_by("-number").values("headline__text")[:1]
            ),
            running=Coalesce(Subquery(active.annotate(n=Count("*")).values("n")), 0),
            fraction=Coalesce(
                Subquery(
                    runs.filter(status__in=ACTIVE).order_by("-fraction").values("fraction")[:1]
                ),
                0.0,
            ),
        )
        .order_by("-updated")
        .values("id", "name", "updated", "revision", "role", "last", "running", "fraction")
    )
    return [{**line, "headline": line.pop("last") or ""} for line in found]
