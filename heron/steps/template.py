"""Templates of sentences as nodes: words, slots, clauses and lists, typed by a schema."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Annotated, Any, Literal, get_args, get_origin

from lark import Lark, Token, Transformer

from heron.quantities.units import si_symbol
from heron.steps.fields import Along, Of, OfT, Phrase
from heron.steps.schemas import Path, annotation_at, bare_of

BREAK = "¦"


_TEMPLATE = r"""
start: node*
?node: TEXT -> words | slot | clause | each
slot: "{" PATH [":" REFERENCE] ["|" EMPTY] "}"
clause: "[" [guard] node* "]"
guard: SHOWN? PATH "=" VALUE ":"
each: "<" PATH "/" BETWEEN? ":" node* ">"
PATH.2: /[a-z_0-9.]+/
SHOWN.3: "!"
REFERENCE: /[a-z]+/
VALUE: /[a-z]+/
BETWEEN: /[^:<>{}\[\]\/]+/
EMPTY: /[^}]+/
TEXT: /[^\[\]{}<>]+/
"""


@dataclass(frozen=True)
class Words:
    """Words; ``begins`` a segment, though no comma says so."""

    text: str
    begins: bool = False


@dataclass(frozen=True)
class Slot:
    """A value. ``type`` is expression, formula, choice, integer, flag, name, text, phrase (several
    words) or reference.
    """

    path: Path
    type: str
    unit: str = ""
    choices: tuple[str, ...] = ()
    of: str = ""
    empty: str = ""
    nullable: bool = False


@dataclass(frozen=True)
class Group:
    """The members of a tuple in brackets."""

    path: Path
    slots: tuple[Slot, ...]
    empty: str = ""
    along: bool = False  # whether it may be typed as an axis


@dataclass(frozen=True)
class Clause:
    """``of``: the engine that it is about."""

    nodes: tuple[Node, ...]
    when: tuple[Path, Any] | None = None
    shown: bool = False
    of: str = ""


@dataclass(frozen=True)
class Each:
    path: Path
    between: str
    nodes: tuple[Node, ...]
    member: Any  # the annotation of a member


Node = Words | Slot | Group | Clause | Each


@lru_cache(maxsize=1)
def _templates() -> Lark:
    return Lark(_TEMPLATE, parser="lalr", lexer="contextual")


class _Compiler(Transformer[Token, Any]):  # type: ignore[misc]
    """The tree of a template as plain tuples, which the schema then gives types."""

    def start(self, nodes: list[Any]) -> tuple[Any, ...]:
        return tuple(nodes)

    def words(self, tokens: list[Token]) -> Any:
        return ("words", str(tokens[0]))

    def slot(self, parts: list[Any]) -> Any:
        return ("slot", *parts)

    def guard(self, parts: list[Any]) -> Any:
        return parts if len(parts) == 3 else [None, *parts]

    def clause(self, parts: list[Any]) -> Any:
        return ("clause", parts[0], parts[1:])

    def each(self, parts: list[Any]) -> Any:
        between = parts[1] if isinstance(parts[1], Token) and parts[1].type == "BETWEEN" else ""
        return ("each", parts[0], str(between), parts[2:] if between else parts[1:])


def path_of(text: str) -> Path:
    """ "a.b" as a path."""
    return tuple(int(k) if k.isdigit() else k for k in text.split(".") if k)


def nodes_of(tree: Any, schema: Any) -> tuple[Node, ...]:
    """The nodes of a parsed template, for a schema."""
    out: list[Node] = []
    for kind, *rest in tree:
        if kind == "words":
            pieces = str(rest[0]).split(BREAK)
            out += [Words(w.strip(), k > 0) for k, w in enumerate(pieces) if w.strip()]
        elif kind == "slot":
            path, of, empty = rest
            out.append(_slot(path_of(path), schema, str(of or ""), str(empty or "").strip()))
        elif kind == "clause":
            guard, inner = rest
            when = None
            if guard is not None:
                at = path_of(guard[1])
                flag = bare_of(annotation_at(schema, at))[0] is bool
                when = (at, guard[2] == "yes" if flag else str(guard[2]))
            out.append(
                Clause(nodes_of(inner, schema), when, guard is not None and guard[0] is not None)
            )
        else:
            path, between, inner = rest
            member = annotation_at(annotation_at(schema, path_of(path)), (0,))
            out.append(Each(path_of(path), between.strip(), nodes_of(inner, member), member))
    return tuple(out)


def _slot(path: Path, schema: Any, of: str, empty: str) -> Slot | Group:
    made = _of_type(path, schema, of, empty)
    whole = annotation_at(schema, path)
    while get_origin(whole) is Annotated:
        whole = get_args(whole)[0]
    return replace(made, nullable=type(None) in get_args(whole)) if isinstance(made, Slot) else made


def _of_type(path: Path, schema: Any, of: str, empty: str) -> Slot | Group:
    annotation, metadata = bare_of(annotation_at(schema, path))
    if get_origin(annotation) is tuple:
        members = tuple(_slot((*path, k), schema, of, "") for k in range(len(get_args(annotation))))
        along = any(isinstance(m, Along) for m in metadata)
        return Group(path, tuple(s for s in members if isinstance(s, Slot)), empty, along)
    for m in metadata:
        if isinstance(m, Of):
            return Slot(path, "expression", si_symbol(m.dimension) or "1", empty=empty)
        if isinstance(m, OfT):
            return Slot(path, "formula", empty=empty)
        if isinstance(m, Phrase):
            return Slot(path, "phrase", empty=empty)
    if of == "expression":
        return Slot(path, "expression", empty=empty)
    if get_origin(annotation) is Literal:
        return Slot(path, "choice", choices=get_args(annotation), empty=empty)
    if annotation is int:
        return Slot(path, "integer", empty=empty)
    if annotation is bool:
        return Slot(path, "flag", empty=empty)
    if of:
        return Slot(path, "reference", of=of, empty=empty)
    return Slot(path, "name" if path == ("name",) else "text", empty=empty)


def within(nodes: tuple[Node, ...], base: Path, words: Words) -> Clause:
    """A sentence of a part of a schema as a clause behind words."""

    def moved(node: Node) -> Node:
        if isinstance(node, Words):
            return node
        if isinstance(node, Clause):
            when = None if node.when is None else ((*base, *node.when[0]), node.when[1])
            return replace(node, nodes=tuple(map(moved, node.nodes)), when=when)
        if isinstance(node, Group):
            slots = tuple(replace(s, path=(*base, *s.path)) for s in node.slots)
            return replace(node, path=(*base, *node.path), slots=slots)
        return replace(node, path=(*base, *node.path))

    return Clause((words, *map(moved, nodes)), of=str(base[-1]))


def first_words(nodes: tuple[Node, ...]) -> str:
    """The words that a sentence of these nodes may begin with."""
    if nodes and isinstance(nodes[0], Clause):
        return first_words(nodes[0].nodes)
    if nodes and isinstance(nodes[0], Each):
        return first_words(nodes[0].nodes)
    return nodes[0].text.strip(",;: ") if nodes and isinstance(nodes[0], Words) else ""


def stops_of(nodes: tuple[Node, ...]) -> tuple[str, ...]:
    """All words of a template: a name is quoted where it has one of them in it."""
    out: list[str] = []
    for node in nodes:
        if isinstance(node, Words):
            out += [w for w in (p.strip() for p in re.split("[,;:]", node.text)) if w]
        elif isinstance(node, Clause | Each):
            out += stops_of(node.nodes)
            if isinstance(node, Each) and node.between:
                out.append(node.between)
    return tuple(out)
