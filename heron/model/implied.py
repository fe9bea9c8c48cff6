"""Parts that steps of other chapters bring with them, as a document that has them as its own."""

from __future__ import annotations

from typing import Any

from heron.model.document import Document
from heron.steps import kind_of
from heron.steps.contract import ImpliedKind

Path = tuple[str | int, ...]


def with_implied(document: Document) -> tuple[Document, dict[int, Path]]:
    """A document with the parts that its feeds imply behind its own, and the feeds on them; by the
    number of each such part, the step that brought it.
    """
    parts: list[Any] = list(document.parts)
    feeds: list[Any] = list(document.feeds)
    taken = {p.name for p in parts}
    origins: dict[int, Path] = {}
    for i, feed in enumerate(document.feeds):
        kind = kind_of("feeds", feed.kind)
        if not isinstance(kind, ImpliedKind):
            continue
        name = f"feed {feed.number}"
        while name in taken:
            name += " own"
        taken.add(name)
        part, feeds[i] = kind.implied(feed, name)
        origins[len(parts)] = ("feeds", i)
        parts.append(part)
    if not origins:
        return document, {}
    return document.model_copy(update={"parts": parts, "feeds": feeds}), origins
