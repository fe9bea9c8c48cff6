"""Steps as sentences."""

from __future__ import annotations

import json
import re
from typing import Any

from heron.quantities.expressions import expression_end
from heron.steps.reading import PHRASE, PLAIN_TEXT, find_words
from heron.steps.schemas import MISSING, Path, default_at, leaves, value_of
from heron.steps.template import Clause, Group, Node, Slot, Words

_PLAIN_NAME = re.compile(r"[^\W\d][\w.\-]*(?: [\w.\-]+)*")


def joined(words: list[str]) -> str:
    """Words with spaces, but none before commas and after opening brackets."""
    out = ""
    for w in words:
        own = w.lstrip(", ") if out.endswith(":") else w
        tight = not out or own[:1] in (*",;:)", "") or out[-1] == "("
        out += own if tight else " " + own
    return out


class Printer:
    def __init__(self, schema: Any, quoted: bool, stops: tuple[str, ...]) -> None:
        self.schema, self.quoted, self.stops = schema, quoted, stops
        self.out: list[str] = []
        self.shown: set[Path] = set()

    def run(self, nodes: tuple[Node, ...], step: Any, base: Path, schema: Any = None) -> None:
        schema = schema or self.schema
        for node in nodes:
            if isinstance(node, Words):
                self.out.append(node.text)
            elif isinstance(node, Slot):
                self.out.append(self.value(node, value_of(step, node.path, schema)))
                self.shown.add((*base, *node.path))
            elif isinstance(node, Group):
                if value_of(step, node.path, schema) is None:
                    self.out.append(node.empty)
                else:
                    self.out.append("(")
                    for k, slot in enumerate(node.slots):
                        self.out += ([","] if k else []) + [
                            self.value(slot, value_of(step, slot.path, schema))
                        ]
                    self.out.append(")")
                self.shown.add((*base, *node.path))
            elif isinstance(node, Clause):
                if stands(node, step, schema):
                    if node.when:
                        self.shown.add((*base, *node.when[0]))
                    self.run(node.nodes, step, base, schema)
            else:
                for k, member in enumerate(value_of(step, node.path, schema) or []):
                    if k and node.between:
                        self.out.append(node.between)
                    self.run(node.nodes, member, (*base, *node.path, k), node.member)

    def value(self, slot: Slot, value: Any) -> str:
        if value is None or value is MISSING or (value == "" and slot.empty):
            return slot.empty or '""'
        if slot.type == "flag":
            return "yes" if value else "no"
        if slot.type in ("choice", "integer"):
            return str(value)
        text = str(value)
        bare = not self.quoted
        if slot.type in ("expression", "formula"):
            bare &= 0 < len(text) == expression_end(text, 0)
        elif slot.type in ("name", "reference"):
            bare &= bool(_PLAIN_NAME.fullmatch(text)) and not any(
                find_words(text, s) >= 0 for s in self.stops
            )
        elif slot.type == "phrase":
            bare &= bool(PHRASE.fullmatch(text)) and not any(
                find_words(text, s) >= 0 for s in self.stops
            )
        else:
            bare &= bool(PLAIN_TEXT.fullmatch(text)) and " " not in text
        return text if bare else json.dumps(text, ensure_ascii=False)

    def rest(self, step: dict[str, Any]) -> list[str]:
        """What the sentence did not show and is not the default."""
        out = []
        for path, value, default in leaves(step, self.schema):
            covered = any(path[: len(s)] == s or s[: len(path)] == path for s in self.shown)
            if not covered and value not in (default, MISSING) and path != ("kind",):
                name = ".".join(map(str, path))
                out.append(f"; {name} = {json.dumps(value, ensure_ascii=False)}")
        return out


def stands(clause: Clause, step: Any, schema: Any) -> bool:
    """Whether a clause is printed: its condition holds, and one of its fields differs from its
    default.
    """
    if clause.when is not None:
        at, wanted = clause.when
        value = value_of(step, at, schema)
        if value != wanted:
            return False
        if clause.shown or value != default_at(schema, at):
            return True
    return any(_differs(n, step, schema) for n in clause.nodes)


def _differs(node: Node, step: Any, schema: Any) -> bool:
    if isinstance(node, Clause):
        return stands(node, step, schema)
    if isinstance(node, Words):
        return False
    return bool(value_of(step, node.path, schema) != default_at(schema, node.path))
