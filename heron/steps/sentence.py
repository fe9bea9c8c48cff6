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

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from types import UnionType
from typing import Annotated, Any, Literal, NamedTuple, Union, get_args, get_origin

from lark import Lark, Token, Transformer
from pydantic_core import PydanticUndefined

from heron.errors import ModelError
from heron.quantities.expressions import expression_end
from heron.quantities.units import si_symbol
from heron.steps.fields import ByName, Of, OfT, Step

Path = tuple[str | int, ...]
MISSING = PydanticUndefined
BREAK = "¦"
LENGTH_UNIT = "m"
LEAST_SIZES = 2  # that tell sizes from a name
_NAME = re.compile(r"[^\W\d][\w .\-]*")
_PLAIN_NAME = re.compile(r"[^\W\d][\w.\-]*(?: [\w.\-]+)*")
_PLAIN_TEXT = re.compile(r"[^\s,;:()\"“”][^,;:()\"“”]*")
_SKIPPED = re.compile(r"[\s,;:]*")
_INTEGER = re.compile(r"[-−]?\d+")
_FIELD = re.compile(r"([a-z_]+(?:\.(?:[a-z_]+|\d+))*)\s*=\s*")

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
    """A value. ``type`` is expression, formula, choice, integer, flag, name, text or reference."""

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


# --- what the schema says ---------------------------------------------------------------


def _bare(annotation: Any) -> tuple[Any, list[Any]]:
    """An annotation without metadata and None, and the metadata."""
    found: list[Any] = []
    while True:
        if get_origin(annotation) is Annotated:
            annotation, *more = get_args(annotation)
            found += more
        elif get_origin(annotation) in (Union, UnionType):
            annotation = next(a for a in get_args(annotation) if a is not type(None))
        else:
            return annotation, found


def schema_of(annotation: Any) -> type[Step] | None:
    """The schema that an annotation stands for, if it is one."""
    bare, _ = _bare(annotation)
    return bare if isinstance(bare, type) and issubclass(bare, Step) else None


def annotation_at(annotation: Any, path: Path) -> Any:
    """The annotation of a member of a schema, tuple or list.

    :raises KeyError: when there is none.
    """
    for key in path:
        bare, metadata = _bare(annotation)
        by_name = next((m for m in metadata if isinstance(m, ByName)), None)
        if by_name is not None:
            annotation = by_name.schemas()[str(key)]
        elif isinstance(bare, type) and issubclass(bare, Step):
            info = bare.model_fields[str(key)]
            annotation = (
                Annotated[info.annotation, *info.metadata] if info.metadata else info.annotation
            )
        elif get_origin(bare) is tuple:
            annotation = get_args(bare)[int(key)]
        elif get_origin(bare) is list:
            annotation = get_args(bare)[0]
        else:
            raise KeyError(key)
    return annotation


def default_at(annotation: Any, path: Path) -> Any:
    """The default at a path as JSON gives it, ``MISSING`` where there is none."""
    if not path:
        return MISSING
    bare, metadata = _bare(annotation)
    if any(isinstance(m, ByName) for m in metadata):
        return default_at(annotation_at(annotation, path[:1]), path[1:])
    if not (isinstance(bare, type) and issubclass(bare, Step)):
        return MISSING
    value = bare.model_fields[str(path[0])].get_default(call_default_factory=True)
    found = value_at(plain(value), path[1:])
    return default_at(annotation_at(bare, path[:1]), path[1:]) if found is MISSING else found


def plain(value: Any) -> Any:
    """A value as JSON has it."""
    if isinstance(value, Step):
        return {k: plain(v) for k, v in value}
    if isinstance(value, Mapping):
        return {k: plain(v) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain(v) for v in value]
    return value


def value_at(value: Any, path: Path) -> Any:
    for key in path:
        try:
            value = value[key]
        except (KeyError, IndexError, TypeError):
            return MISSING
    return value


# --- from a template to nodes -----------------------------------------------------------


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


def _path(text: str) -> Path:
    return tuple(int(k) if k.isdigit() else k for k in text.split(".") if k)


def _nodes(tree: Any, schema: Any) -> tuple[Node, ...]:
    out: list[Node] = []
    for kind, *rest in tree:
        if kind == "words":
            pieces = str(rest[0]).split(BREAK)
            out += [Words(w.strip(), k > 0) for k, w in enumerate(pieces) if w.strip()]
        elif kind == "slot":
            path, of, empty = rest
            out.append(_slot(_path(path), schema, str(of or ""), str(empty or "").strip()))
        elif kind == "clause":
            guard, inner = rest
            when = None
            if guard is not None:
                at = _path(guard[1])
                flag = _bare(annotation_at(schema, at))[0] is bool
                when = (at, guard[2] == "yes" if flag else str(guard[2]))
            out.append(
                Clause(_nodes(inner, schema), when, guard is not None and guard[0] is not None)
            )
        else:
            path, between, inner = rest
            member = annotation_at(annotation_at(schema, _path(path)), (0,))
            out.append(Each(_path(path), between.strip(), _nodes(inner, member), member))
    return tuple(out)


def _slot(path: Path, schema: Any, of: str, empty: str) -> Slot | Group:
    made = _of_type(path, schema, of, empty)
    whole = annotation_at(schema, path)
    while get_origin(whole) is Annotated:
        whole = get_args(whole)[0]
    return replace(made, nullable=type(None) in get_args(whole)) if isinstance(made, Slot) else made


def _of_type(path: Path, schema: Any, of: str, empty: str) -> Slot | Group:
    annotation, metadata = _bare(annotation_at(schema, path))
    if get_origin(annotation) is tuple:
        members = tuple(_slot((*path, k), schema, of, "") for k in range(len(get_args(annotation))))
        return Group(path, tuple(s for s in members if isinstance(s, Slot)), empty)
    for m in metadata:
        if isinstance(m, Of):
            return Slot(path, "expression", si_symbol(m.dimension) or "1", empty=empty)
        if isinstance(m, OfT):
            return Slot(path, "formula", empty=empty)
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


# --- the sentence -----------------------------------------------------------------------


@dataclass(frozen=True)
class Sentence:
    nodes: tuple[Node, ...]
    schema: type[Step]

    @classmethod
    def of(cls, template: str, schema: type[Step]) -> Sentence:
        """The sentence of a template.

        :raises KeyError: when it names a field that the schema has not.
        """
        return cls(_nodes(_Compiler().transform(_templates().parse(template)), schema), schema)

    def text(self, step: Mapping[str, Any]) -> str:
        """A step in words; quoted throughout where it could be read in another way."""
        for quoted in (False, True):
            printer = _Printer(self.schema, quoted, _stops(self.nodes))
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
        stops = _stops(self.nodes)
        if segments and isinstance(segments[0][0], Slot) and segments[0][0].path == ("name",):
            at = reader.own_name(segments[0][0], at, stops, found)
            segments[0] = segments[0][1:]
        left = [s for s in segments if s]
        left.sort(key=lambda s: -len(_first_words(s)))
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
                    return assembled(found, self.schema), at
                at = end


def _first_words(nodes: tuple[Node, ...]) -> str:
    if nodes and isinstance(nodes[0], Clause):
        return _first_words(nodes[0].nodes)
    if nodes and isinstance(nodes[0], Each):
        return _first_words(nodes[0].nodes)
    return nodes[0].text.strip(",;: ") if nodes and isinstance(nodes[0], Words) else ""


def _stops(nodes: tuple[Node, ...]) -> tuple[str, ...]:
    """All words of a template: a name is quoted where it has one of them in it."""
    out: list[str] = []
    for node in nodes:
        if isinstance(node, Words):
            out += [w for w in (p.strip() for p in re.split("[,;:]", node.text)) if w]
        elif isinstance(node, Clause | Each):
            out += _stops(node.nodes)
            if isinstance(node, Each) and node.between:
                out.append(node.between)
    return tuple(out)


def joined(words: list[str]) -> str:
    """Words with spaces, but none before commas and after opening brackets."""
    out = ""
    for w in words:
        own = w.lstrip(", ") if out.endswith(":") else w
        tight = not out or own[:1] in (*",;:)", "") or out[-1] == "("
        out += own if tight else " " + own
    return out


class _Printer:
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
        else:
            bare &= bool(_PLAIN_TEXT.fullmatch(text)) and " " not in text
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


def leaves(value: Any, annotation: Any, path: Path = ()) -> Iterator[tuple[Path, Any, Any]]:
    """(path, value, default) of every field, members of lists and schemas apart."""
    bare, metadata = _bare(annotation)
    by_name = next((m for m in metadata if isinstance(m, ByName)), None)
    if by_name is not None and isinstance(value, Mapping):
        for name, own in value.items():
            yield from leaves(own, by_name.schemas()[name], (*path, name))
    elif isinstance(bare, type) and issubclass(bare, Step) and isinstance(value, Mapping):
        for name in bare.model_fields:
            default = default_at(bare, (name,))
            own = value.get(name, default)
            inner = annotation_at(bare, (name,))
            nested = list(leaves(own, inner, (*path, name)))
            if (default is not MISSING and own == default) or not nested:
                yield (*path, name), own, default
            else:
                yield from nested
    elif get_origin(bare) is list and isinstance(value, list) and value:
        for k, member in enumerate(value):
            yield from leaves(member, get_args(bare)[0], (*path, k))
    elif path:
        yield path, value, MISSING


def value_of(step: Any, path: Path, schema: Any) -> Any:
    """The value at a path, or its default where it is left out."""
    found = value_at(step, path)
    return default_at(schema, path) if found is MISSING and path else found


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


def same(read: Mapping[str, Any], step: Mapping[str, Any], schema: type[Step]) -> bool:
    """Whether what was read is the step, defaults counted."""
    left, right = (
        {k: plain_full(v, annotation_at(schema, (k,))) for k, v in d.items()} for d in (read, step)
    )
    names = [n for n in schema.model_fields if n != "kind"]
    return all(
        left.get(n, default_at(schema, (n,))) == right.get(n, default_at(schema, (n,)))
        for n in names
    )


def plain_full(value: Any, annotation: Any) -> Any:
    """A JSON value with the defaults of nested schemas."""
    bare, metadata = _bare(annotation)
    by_name = next((m for m in metadata if isinstance(m, ByName)), None)
    if by_name is not None and isinstance(value, Mapping):
        return {n: plain_full(value.get(n, {}), s) for n, s in by_name.schemas().items()}
    if isinstance(bare, type) and issubclass(bare, Step) and isinstance(value, Mapping):
        return {
            n: plain_full(value[n], annotation_at(bare, (n,)))
            if n in value
            else plain_full(default_at(bare, (n,)), annotation_at(bare, (n,)))
            for n in bare.model_fields
        }
    if get_origin(bare) is list and isinstance(value, list):
        return [plain_full(v, get_args(bare)[0]) for v in value]
    return plain(value)


def assembled(found: Mapping[Path, Any], schema: Any) -> dict[str, Any]:
    """Values by path as a nested step; what is not named of a tuple has its default."""
    out: dict[str, Any] = {}
    for path, value in found.items():
        into: Any = out
        annotation: Any = schema
        for k, key in enumerate(path[:-1]):
            annotation = annotation_at(annotation, (key,))
            bare, _ = _bare(annotation)
            start: Any = {}
            if get_origin(bare) is tuple:
                known = default_at(schema, path[: k + 1])
                start = list(known) if isinstance(known, list) else ["0"] * len(get_args(bare))
            elif get_origin(bare) is list:
                start = []
            if isinstance(into, list):
                while len(into) <= int(key):
                    into.append(start)
                into = into[int(key)]
            else:
                into = into.setdefault(str(key), start)
        if isinstance(into, list):
            while len(into) <= int(path[-1]):
                into.append(None)
            into[int(path[-1])] = value
        else:
            into[str(path[-1])] = value
    return out


# --- reading ----------------------------------------------------------------------------


def find_words(text: str, words: str) -> int:
    """Where whole words stand in a text, −1 if nowhere."""
    pattern = r"\s+".join(map(re.escape, words.split()))
    head = r"(?<!\w)" if words[0].isalnum() else ""
    tail = r"(?!\w)" if words[-1].isalnum() else ""
    found = re.search(head + pattern + tail, text, re.IGNORECASE)
    return found.start() if found else -1


class Stops(NamedTuple):
    """Words before which a bare name ends; whether one of them must ``follow``."""

    words: tuple[str, ...]
    follow: bool = False


class Reader:
    """A text that is read against templates; remembers how far any of them came, and what could
    have stood there.
    """

    def __init__(
        self, text: str, names: Mapping[str, list[str]] | None = None, short: Any = None
    ) -> None:
        self.text = text
        self.names = names or {}
        self.short = short
        self.sizes: list[str] = []
        self.place: list[str] | None = None
        self.support = ""
        self.furthest = 0
        self.expected: list[str] = []

    def skip(self, at: int) -> int:
        found = _SKIPPED.match(self.text, at)
        return found.end() if found else at

    def miss(self, at: int, *wanted: str) -> None:
        if at > self.furthest:
            self.furthest, self.expected = at, []
        if at == self.furthest:
            self.expected += [w for w in wanted if w not in self.expected]

    def words(self, words: str, at: int) -> int | None:
        """Where the text goes on after words; commas, colons and case do not count."""
        start = self.skip(at)
        for word in (w.strip(",;:") for w in words.split()):
            if not word:
                continue
            at = self.skip(at)
            end = at + len(word)
            if self.text[at:end].casefold() != word.casefold() or (
                word[-1].isalnum() and re.match(r"\w", self.text[end : end + 1])
            ):
                self.miss(start, words.strip(",;: "))
                return None
            at = end
        return at

    def nodes(
        self, nodes: tuple[Node, ...], at: int, stops: tuple[str, ...], found: dict[Path, Any]
    ) -> int | None:
        """Where a row of nodes ends; clauses beside each other may stand in any order."""
        k = 0
        while k < len(nodes):
            node = nodes[k]
            if isinstance(node, Clause):
                run = [n for n in _run(nodes, k)]
                k += len(run)
                at = self.clauses(run, at, stops, found)
                continue
            following = nodes[k + 1] if k + 1 < len(nodes) else None
            words = following.text.strip(",;: ") if isinstance(following, Words) else ""
            own = Stops((words,), True) if words else Stops(stops)
            end = self.node(node, at, own, found, stops)
            if end is None:
                return None
            at = end
            k += 1
        return at

    def node(
        self,
        node: Node,
        at: int,
        own: Stops,
        found: dict[Path, Any],
        stops: tuple[str, ...],
    ) -> int | None:
        if isinstance(node, Words):
            return self.words(node.text, at)
        if isinstance(node, Slot):
            return self.slot(node, at, own, found)
        if isinstance(node, Group):
            return self.group(node, at, own, found)
        if isinstance(node, Each):
            return self.each(node, at, stops, found)
        raise TypeError(node)

    def clauses(
        self, run: list[Clause], at: int, stops: tuple[str, ...], found: dict[Path, Any]
    ) -> int:
        left = sorted(run, key=lambda c: -len(_first_words(c.nodes)))
        while True:
            for clause in left:
                trial: dict[Path, Any] = {}
                end = self.nodes(clause.nodes, at, stops, trial)
                if end is not None and end > at:
                    if clause.when:
                        found[clause.when[0]] = clause.when[1]
                    found |= trial
                    at = end
                    left = [
                        c
                        for c in left
                        if c is not clause
                        and not (c.when and clause.when and c.when[0] == clause.when[0])
                    ]
                    break
            else:
                return at

    def each(
        self, node: Each, at: int, stops: tuple[str, ...], found: dict[Path, Any]
    ) -> int | None:
        members: list[Any] = []
        place = at
        own = (*stops, node.between) if node.between else stops
        while True:
            start: int | None = place
            if members and node.between:
                start = self.words(node.between, place)
            trial: dict[Path, Any] = {}
            end = None if start is None else self.nodes(node.nodes, start, own, trial)
            if end is None or end <= place:
                break
            members.append(_member(trial, node.member))
            place = end
        if not members:
            return None
        found[node.path] = members
        return place

    def group(self, node: Group, at: int, own: Stops, found: dict[Path, Any]) -> int | None:
        if node.empty:
            end = self.words(node.empty, at)
            if end is not None:
                found[node.path] = None
                return end
        at = self.skip(at)
        if self.text[at : at + 1] != "(":
            self.miss(at, "(" + ", ".join(["…"] * len(node.slots)) + ")")
            return None
        values: dict[Path, Any] = {}
        at += 1
        bare = True
        for slot in node.slots:
            start = self.skip(at)
            bare &= self.text[start : start + 1] not in ('"', "“")
            end = self.slot(slot, start, Stops(()), values)
            if end is None:
                return None
            at = self.skip(end)
        if self.text[at : at + 1] != ")":
            self.miss(at, ")")
            return None
        own = list(values.values())
        if bare and node.slots and node.slots[0].unit == LENGTH_UNIT:
            own = shared(own)
        found[node.path] = own
        return at + 1

    def slot(self, slot: Slot, at: int, own: Stops, found: dict[Path, Any]) -> int | None:
        if slot.empty:
            end = self.words(slot.empty, at)
            if end is not None:
                found[slot.path] = None if slot.nullable else ""
                return end
        at = self.skip(at)
        if self.text[at : at + 1] in ('"', "“"):
            value, end = self.quoted(at)
            if end is not None:
                found[slot.path] = value
            return end
        value, end = getattr(self, "_" + slot.type)(slot, at, own)
        if end is None:
            return None
        found[slot.path] = value
        return int(end)

    def quoted(self, at: int) -> tuple[Any, int | None]:
        if self.text[at] == "“":
            end = self.text.find("”", at)
            return (self.text[at + 1 : end], end + 1) if end > 0 else (None, None)
        try:
            value, end = json.JSONDecoder().raw_decode(self.text, at)
        except (ValueError, RecursionError):
            self.miss(at, "a closing quotation mark")
            return None, None
        return value, end

    def _expression(self, slot: Slot, at: int, own: Stops) -> tuple[Any, int | None]:
        end = expression_end(self.text, at)
        if end == at:
            self.miss(at, "an expression")
            return None, None
        return self.text[at:end], end

    _formula = _expression

    def _choice(self, slot: Slot, at: int, own: Stops) -> tuple[Any, int | None]:
        for choice in sorted(slot.choices, key=len, reverse=True):
            end = self.words(choice, at)
            if end is None and choice[0] in "+-":
                text = self.text[at : at + len(choice)].replace("−", "-")
                end = at + len(choice) if text == choice else None
            if end is not None:
                return choice, end
        self.miss(at, *slot.choices)
        return None, None

    def _integer(self, slot: Slot, at: int, own: Stops) -> tuple[Any, int | None]:
        found = _INTEGER.match(self.text, at)
        if not found:
            self.miss(at, "a whole number")
            return None, None
        return int(found.group().replace("−", "-")), found.end()

    def _flag(self, slot: Slot, at: int, own: Stops) -> tuple[Any, int | None]:
        for word, value in (("yes", True), ("no", False)):
            end = self.words(word, at)
            if end is not None:
                return value, end
        return None, None

    def _text(self, slot: Slot, at: int, own: Stops) -> tuple[Any, int | None]:
        return self._until(_PLAIN_TEXT, at, own, "a word")

    def _name(self, slot: Slot, at: int, own: Stops) -> tuple[Any, int | None]:
        return self._until(_NAME, at, own, "a name")

    def _reference(self, slot: Slot, at: int, own: Stops) -> tuple[Any, int | None]:
        known = self.names.get(slot.of, [])
        for name in sorted(known, key=len, reverse=True):
            end = at + len(name)
            if (
                name
                and self.text[at:end].casefold() == name.casefold()
                and not re.match(r"[\w.\-]", self.text[end : end + 1])
            ):
                return name, end
        value, end_ = self._until(_NAME, at, own, *(known[:40] or ["a name"]))
        return value, end_

    def _until(
        self, pattern: re.Pattern[str], at: int, stops: Stops, *wanted: str
    ) -> tuple[Any, int | None]:
        """A bare name or text, which ends before any of the words that may follow."""
        found = pattern.match(self.text, at)
        value = self.before(found.group(), at, stops.words).rstrip() if found else ""
        cut = found is not None and value != found.group().rstrip()
        if not value or (stops.follow and not cut and not self.follows(stops, at + len(value))):
            self.miss(at, *wanted)
            return None, None
        return value, at + len(value)

    def follows(self, stops: Stops, at: int) -> bool:
        rest = self.text[self.skip(at) :]
        return any(find_words(rest, word) == 0 for word in stops.words)

    def before(self, value: str, at: int, stops: tuple[str, ...]) -> str:
        """What of a value at a place stands before any of the words that may follow it."""
        for stop in stops:
            cut = find_words(self.text[at : at + len(value) + len(stop) + 8], stop)
            if 0 <= cut < len(value):
                value = value[:cut]
        return value

    def own_name(self, slot: Slot, at: int, stops: tuple[str, ...], found: dict[Path, Any]) -> int:
        """The step's own name behind its title, if there is one."""
        start = self.skip(at)
        if self.text[start : start + 1] in ('"', "“"):
            value, end = self.quoted(start)
            if end is not None:
                found[slot.path] = value
                return end
        match = _NAME.match(self.text, start)
        if match is None or self.begins_with_sizes(start):
            return at
        value = self.before(match.group(), start, stops)
        sure = value != match.group()
        for stop in ("of", "in", "on", "at", "called"):
            cut = find_words(value, stop)
            if cut >= 0:
                value, sure = value[:cut], False
        value = value.rstrip() if sure else value.split(" ")[0]
        known = {m.casefold() for m in self.names.get("material", [])}
        material = self.short is not None and self.short.material and value.casefold() in known
        if not value or (material and not sure):
            return at
        found[slot.path] = value
        return start + len(value)

    # --- what may be typed besides ------------------------------------------------------

    def shorthand(self, at: int, stops: tuple[str, ...], found: dict[Path, Any]) -> int | None:
        """Sizes as "a x b x c", a bare material, "on PART", "at (x, y, z)", "called NAME"."""
        if self.short is None:
            return None
        start = self.skip(at)
        if self.short.named:
            end = self.words("called", start)
            if end is not None:
                value, stop = self._until(_NAME, self.skip(end), Stops(stops), "a name")
                if stop is not None:
                    found["name",] = value
                    return stop
        end = self.words("on", start)
        if end is not None and self.short.place and not self.support:
            value, stop = self._reference(
                Slot(("on",), "reference", of="support"), self.skip(end), Stops(stops)
            )
            if stop is not None:
                self.support = value
                return stop
        end = self.words("at", start)
        if end is not None and self.short.place and self.place is None:
            values: dict[Path, Any] = {}
            slots = tuple(Slot(("at", k), "expression") for k in range(3))
            stop = self.group(Group(("at",), slots), end, Stops(stops), values)
            if stop is not None:
                self.place = spread(values["at",])
                return stop
        for lead in ("", "in", "of"):
            end = self.words(lead, start) if lead else start
            if end is None or not self.short.material:
                continue
            for name in sorted(self.names.get("material", []), key=len, reverse=True):
                stop = self.words(name, end)
                if stop is not None and ("material",) not in found:
                    found["material",] = name
                    return stop
        if self.short.sizes and not self.sizes:
            begun = any(find_words(self.text[start:], stop) == 0 for stop in stops)
            return None if begun else self.read_sizes(start)
        return None

    def begins_with_sizes(self, at: int) -> bool:
        """Whether several sizes stand here, as many as the short way to type the step takes."""
        wanted = len(self.short.sizes) if self.short is not None else 0
        if wanted < LEAST_SIZES:
            return False
        self.read_sizes(at)
        found, self.sizes = len(self.sizes), []
        return found == wanted

    def read_sizes(self, at: int) -> int | None:
        sizes: list[str] = []
        while True:
            end = expression_end(self.text, at, products=False)
            if end == at:
                break
            sizes.append(self.text[at:end].strip())
            at = end
            between = re.compile(r"\s*(?:×|x(?![\w(])|by(?!\w))\s*", re.IGNORECASE).match(
                self.text, at
            )
            if between is None:
                break
            at = between.end()
        if not sizes:
            self.miss(at, "sizes")
            return None
        self.sizes = spread(sizes)
        return at

    def field(self, at: int, schema: Any, found: dict[Path, Any]) -> int | None:
        """``field = JSON``."""
        start = self.skip(at)
        match = _FIELD.match(self.text, start)
        if match is None:
            return None
        path = _path(match.group(1))
        try:
            annotation_at(schema, path)
            value, end = json.JSONDecoder().raw_decode(self.text, match.end())
        except (KeyError, ValueError, IndexError, RecursionError):
            return None
        if any(isinstance(k, int) for k in path[:-1]) and path[:1] in found:
            member = found[path[:1]]
            for key in path[1:-1]:
                member = member[key] if isinstance(key, int) else member.setdefault(key, {})
            member[path[-1]] = value
        else:
            found[path] = value
        return end


_WITH_UNIT = re.compile(r"^[\d.]+(?:[eE][+-]?\d+)?\s*([A-Za-zµ°Ω\"]+)$")
_NUMBER = re.compile(r"[\d.]+(?:[eE][+-]?\d+)?")


def spread(sizes: list[str]) -> list[str]:
    """ "40", "20", "1.6 mm" all in mm: a last unit serves the plain numbers before it."""
    found = _WITH_UNIT.match(sizes[-1].strip())
    if not found:
        return [s.strip() for s in sizes]
    return [f"{s.strip()} {found[1]}" if _NUMBER.fullmatch(s.strip()) else s.strip() for s in sizes]


def shared(values: list[Any]) -> list[Any]:
    """Places such as (0, 6, 1.6 mm): a last unit serves the plain numbers before it, but for zero,
    which needs none.
    """
    with_unit = spread([str(v) for v in values])
    return [
        v if not _NUMBER.fullmatch(str(v)) or float(v) == 0 else w
        for v, w in zip(values, with_unit, strict=True)
    ]


def _run(nodes: tuple[Node, ...], k: int) -> Iterator[Clause]:
    while k < len(nodes):
        node = nodes[k]
        if not isinstance(node, Clause):
            return
        yield node
        k += 1


def _member(found: dict[Path, Any], annotation: Any) -> Any:
    if list(found) == [()]:
        return found[()]
    bare, _ = _bare(annotation)
    if get_origin(bare) is tuple:
        return [found.get((k,)) for k in range(len(get_args(bare)))]
    return assembled(found, bare)
