"""Texts read against the nodes of templates."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple, get_args, get_origin

from heron.quantities.expressions import expression_end
from heron.steps.schemas import Path, annotation_at, assembled, bare_of
from heron.steps.template import Clause, Each, Group, Node, Slot, Words, first_words, path_of

LENGTH_UNIT = "m"


LEAST_SIZES = 2  # that tell sizes from a name


_NAME = re.compile(r"[^\W\d][\w .\-]*")


PLAIN_TEXT = re.compile(r"[^\s,;:()\"“”][^,;:()\"“”]*")


_INNER = r"(?:[^()]|\([^()]*\))*"
PHRASE = re.compile(rf"[^\s,;()\"“”](?:[^,;()\"“”]|\({_INNER}\))*|\({_INNER}\)")


_SKIPPED = re.compile(r"[\s,;:]*")


_AXIS = re.compile(r"([+\-−]?)\s*([xyz])(?!\w)")


_INTEGER = re.compile(r"[-−]?\d+")


_FIELD = re.compile(r"([a-z_]+(?:\.(?:[a-z_]+|\d+))*)\s*=\s*")


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
        self.present: Mapping[str, Any] = {}  # the step that is changed, where that is known
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
                run = list(_run(nodes, k))
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
        left = sorted(run, key=lambda c: -len(first_words(c.nodes)))
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
        axis = _AXIS.match(self.text, at) if node.along else None
        if axis is not None:
            way = "-1" if axis[1] in ("-", "−") else "1"
            found[node.path] = [way if k == axis[2] else "0" for k in "xyz"]
            return axis.end()
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
        members = list(values.values())
        if bare and node.slots and node.slots[0].unit == LENGTH_UNIT:
            members = shared(members)
        found[node.path] = members
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
        return self._until(PLAIN_TEXT, at, own, "a word")

    def _phrase(self, slot: Slot, at: int, own: Stops) -> tuple[Any, int | None]:
        return self._until(PHRASE, at, own, "words")

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
        first = not set(found) - {("name",)} or self.text[start : start + 1].isdigit()
        if self.short.sizes and not self.sizes and first:
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
        path = path_of(match.group(1))
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
    bare, _ = bare_of(annotation)
    if get_origin(bare) is tuple:
        return [found.get((k,)) for k in range(len(get_args(bare)))]
    return assembled(found, bare)
