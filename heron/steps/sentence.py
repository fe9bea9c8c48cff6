"""Sentences of steps: one template is how a step is printed and how it is read.

A template is words with slots::

    {name} from {corner} by {size}, of {material:material}[, priority {priority}]

- ``{field}``: the value of a field, whose type is the schema's; ``{field:reference}`` a name of
  something else in the document; ``{field|words}`` reads as the words where there is no value.
- ``[...]``: a clause that is left out where all its fields have their defaults.
- ``[field=value: ...]``: a clause that stands when a field has that value, and gives it that value
  when it is read; ``[!field=value: ...]`` is not left out even for the default.
- ``<field/and: ...>``: the members of a list, with a word between them; ``{.}`` is a member itself.

Commas, and ``¦`` that is not printed, part the sentence into segments, which may be typed in any
order, and left out. What the template does not name is printed behind it as ``; field = JSON``, so
that a printed step is the whole step.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from heron.errors import ModelError
from heron.steps.fields import Step
from heron.steps.printing import Printer, joined
from heron.steps.reading import Reader
from heron.steps.schemas import Path, assembled, same
from heron.steps.template import (
    Clause,
    Node,
    Slot,
    Words,
    _Compiler,
    _templates,
    first_words,
    nodes_of,
    stops_of,
)


@dataclass(frozen=True)
class Sentence:
    nodes: tuple[Node, ...]
    schema: type[Step]

    @classmethod
    def of(cls, template: str, schema: type[Step]) -> Sentence:
        """The sentence of a template.

        :raises KeyError: when it names a field that the schema has not.
        """
        return cls(nodes_of(_Compiler().transform(_templates().parse(template)), schema), schema)

    def text(self, step: Mapping[str, Any]) -> str:
        """A step in words; quoted throughout where it could be read in another way."""
        for quoted in (False, True):
            printer = Printer(self.schema, quoted, stops_of(self.nodes))
            printer.run(self.nodes, dict(step), ())
            text = joined(printer.out + printer.rest(dict(step)))
            reader = Reader(text)
            try:
                read, end = self.read(reader, 0)
            except ModelError:
                continue
            if reader.skip(end) == len(text) and same(read, dict(step), self.schema):
                return text
        return text

    def segments(self) -> list[tuple[Node, ...]]:
        """The parts between commas, and clauses, that may stand in any order."""
        out: list[list[Node]] = []
        begins = True
        for node in self.nodes:
            if isinstance(node, Clause):
                out.append([node])
                begins = True
                continue
            pieces: list[Node] = [node]
            if isinstance(node, Words) and not node.begins:
                pieces = [Words(w.strip()) for w in re.split(r"(?=[,;:])", node.text) if w.strip()]
            for piece in pieces:
                if begins or (
                    isinstance(piece, Words) and (piece.begins or piece.text[0] in ",;:")
                ):
                    out.append([])
                    begins = False
                out[-1].append(piece)
        return [tuple(s) for s in out]

    def read(self, reader: Reader, at: int) -> tuple[dict[str, Any], int]:
        """The fields that a text names from a place on, and where it stops making sense."""
        found: dict[Path, Any] = {}
        segments = self.segments()
        stops = stops_of(self.nodes)
        if segments and isinstance(segments[0][0], Slot) and segments[0][0].path == ("name",):
            at = reader.own_name(segments[0][0], at, stops, found)
            segments[0] = segments[0][1:]
        left = [s for s in segments if s]
        left.sort(key=lambda s: -len(first_words(s)))
        while True:
            for segment in left:
                trial: dict[Path, Any] = {}
                end = reader.nodes(segment, at, stops, trial)
                if end is not None and end > at:
                    found |= trial
                    left.remove(segment)
                    at = end
                    break
            else:
                end = reader.shorthand(at, stops, found) or reader.field(at, self.schema, found)
                if end is None:
                    return assembled(found, self.schema, reader.present), at
                at = end
