"""The language of steps as JSON, for whoever draws sheets and menus."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from heron.steps import all_kinds
from heron.steps.contract import CHAPTERS, Kind
from heron.steps.schemas import MISSING, annotation_at, default_at, plain, plain_full, schema_of
from heron.steps.template import Clause, Group, Node, Slot, Words


def language() -> dict[str, Any]:
    """Chapters in the order of the sheet, and every kind of step in the order of menus.

    A node of a sentence is ``words``, a ``slot`` with a path and a type, a ``group`` of slots in
    brackets, a ``clause`` that stands when its ``when`` holds or a slot differs from its default,
    or ``each`` member of a list; paths in the latter begin at the member.
    """
    return {
        "chapters": [
            {
                "key": c.key,
                "title": c.title,
                "many": c.many,
                "default": c.default,
                "quiet": c.quiet,
                "merged": c.merged,
            }
            for c in CHAPTERS
        ],
        "kinds": [_kind(kind) for kind in all_kinds()],
    }


def _kind(kind: Kind) -> dict[str, Any]:
    own = {"kind": kind.name} if "kind" in kind.schema.model_fields else {}
    return {
        "name": kind.name,
        "chapter": kind.chapter,
        "title": kind.title,
        "makes": kind.makes,
        "nodes": [_node(n) for n in kind.language.nodes],
        "defaults": _defaults(kind.schema),
        "menu": [
            {
                "group": e.group,
                "label": e.label,
                "step": own | {k: plain(v) for k, v in e.step.items()},
            }
            for e in kind.menu
        ],
        "picks": [{"path": list(p.path), "of": p.of, "many": p.many} for p in kind.picks],
        "members": {k: plain(v) for k, v in kind.members.items()},
        "above": {k: dict(v) for k, v in kind.above.items()},
        "widget": kind.widget,
    }


def _defaults(schema: Any) -> dict[str, Any]:
    found = {n: default_at(schema, (n,)) for n in schema.model_fields}
    return {
        n: plain_full(v, annotation_at(schema, (n,))) for n, v in found.items() if v is not MISSING
    }


def _node(node: Node) -> dict[str, Any]:
    if isinstance(node, Words):
        return {"node": "words", "text": node.text}
    if isinstance(node, Slot):
        return {
            "node": "slot",
            "path": list(node.path),
            "type": node.type,
            "unit": node.unit,
            "choices": list(node.choices),
            "of": node.of,
            "empty": node.empty,
        }
    if isinstance(node, Group):
        return {
            "node": "group",
            "path": list(node.path),
            "nodes": [_node(s) for s in node.slots],
            "empty": node.empty,
        }
    if isinstance(node, Clause):
        when: Mapping[str, Any] | None = (
            None if node.when is None else {"path": list(node.when[0]), "value": node.when[1]}
        )
        return {
            "node": "clause",
            "nodes": [_node(n) for n in node.nodes],
            "when": when,
            "shown": node.shown,
            "of": node.of,
        }
    schema = schema_of(node.member)
    return {
        "node": "each",
        "path": list(node.path),
        "between": node.between,
        "nodes": [_node(n) for n in node.nodes],
        "defaults": {} if schema is None else _defaults(schema),
    }
