"""What differs between two documents, step by step: for the ledger's comparison of runs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from heron.model.document import Document
from heron.steps.contract import CHAPTERS


@dataclass(frozen=True)
class Difference:
    """A step, or one of its fields, in both documents; ``None`` where it is missing."""

    chapter: str
    step: str
    field: str
    first: Any
    second: Any


def differences(first: Document, second: Document) -> list[Difference]:
    """Steps are matched by name (feeds by number), whatever their order."""
    a, b = first.model_dump(mode="json"), second.model_dump(mode="json")
    out: list[Difference] = []
    for chapter in (c.key for c in CHAPTERS if c.many):
        one, other = (_named(chapter, d[chapter]) for d in (a, b))
        for name in [*one, *(n for n in other if n not in one)]:
            if name not in one or name not in other:
                out.append(
                    Difference(
                        chapter,
                        name,
                        "",
                        *(
                            None
                            if name not in d
                            else d[name].get("expression", d[name].get("kind", "there"))
                            for d in (one, other)
                        ),
                    )
                )
            else:
                out += _fields(chapter, name, one[name], other[name])
    for chapter in (c.key for c in CHAPTERS if not c.many):
        out += _fields(chapter, chapter, a[chapter] or {}, b[chapter] or {})
    return out


def _named(chapter: str, steps: list[dict[str, Any]]) -> dict[str, dict[str, Any]]:
    """Steps by name; those without one by kind and place among their like."""
    out: dict[str, dict[str, Any]] = {}
    for step in steps:
        name = (
            f"port {step['number']}"
            if chapter == "feeds"
            else str(step.get("name") or step.get("kind", "step"))
        )
        count = 2
        while name in out:
            name = f"{name.rsplit(' (', 1)[0]} ({count})"
            count += 1
        out[name] = step
    return out


def _fields(
    chapter: str, name: str, one: dict[str, Any], other: dict[str, Any]
) -> list[Difference]:
    one, other = _flat(one), _flat(other)
    keys = [*one, *(k for k in other if k not in one)]
    return [
        Difference(chapter, name, k, one.get(k), other.get(k))
        for k in keys
        if one.get(k) != other.get(k)
    ]


def _flat(step: dict[str, Any]) -> dict[str, Any]:
    """Fields of a step, those within others with points between their names."""
    out: dict[str, Any] = {}
    for key, value in step.items():
        if isinstance(value, dict):
            out |= {f"{key}.{k}": v for k, v in _flat(value).items()}
        else:
            out[key] = value
    return out
