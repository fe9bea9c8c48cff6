"""Typing and printing steps: "box 40 x 20 x 1.6 mm, FR4, on ground" becomes a step of the document.

A step is typed as the sheet prints it, whole or in part; what is left out has the value that a new
step of the kind has. Where places and supports come in, the geometry is asked.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Any

from heron.errors import ModelError
from heron.geometry import build_geometry
from heron.model import Document, evaluate_document
from heron.quantities import evaluate
from heron.quantities.expressions import LENGTH
from heron.steps import CHAPTER, all_kinds, kind_of
from heron.steps.contract import BodyKind, Kind, Shorthand
from heron.steps.reading import Reader, shared
from heron.steps.schemas import MISSING, default_at, plain

GROUND = "ground"
MOST_OFFERED = 8
SAME = 1e-9  # of a coordinate: what was typed stands
ALIKE = 0.7  # above, one word is taken for a slip of another
_NAMED = re.compile(r"(?:[^\W\d]\w*|\"[^\"]*\")\s*=(?!=)")  # how a parameter begins
COMMON = ["box", "wire", "gap feed", "far field"]


@dataclass(frozen=True)
class Typed:
    """A step that was read: of which chapter, and its fields as JSON has them. With a ``number`` it
    is that step of the chapter, changed; else a new one.
    """

    chapter: str
    step: dict[str, Any]
    number: int | None = None


def printed(chapter: str, step: Mapping[str, Any]) -> str:
    """A step (JSON) as its sentence, which reads back as the same step."""
    kind = kind_of(chapter, step.get("kind") if CHAPTER[chapter].many else None)
    return f"{_title(kind)}{kind.language.text(step)}"


def step_from(text: str, document: Document, materials: Iterable[str]) -> Typed:
    """The step that a sentence or a part of one says.

    :param materials: names of the library; those of the document are known.
    :raises ModelError: saying what was not understood and what may stand there.
    """
    text = text.strip()
    names = _names(document, materials)
    best: tuple[int, ModelError] | None = None
    for kind, short, start in _candidates(text):
        reader = Reader(text, names, _Short(short, kind))
        if not CHAPTER[kind.chapter].many:
            reader.present = getattr(document, kind.chapter).model_dump(mode="json")
        try:
            found, end = kind.typed(short).read(reader, start)
            if reader.skip(end) < len(text):
                raise _not_understood(reader, end)
            if short is not None:
                found = _completed(found, short, document)
            number = _meant(kind, found, document)
            step = _finished(kind, short, found, reader, document, number)
            return Typed(kind.chapter, step, number)
        except ModelError as error:
            if best is None or reader.furthest > best[0]:
                best = (reader.furthest, error)
    if best is not None:
        raise best[1]
    words = sorted(
        {k.title.lower() for k in all_kinds()} | {s.word for k in all_kinds() for s in k.short}
    )
    near = _nearest(text, words)
    raise ModelError(
        f"a step begins with what it is, such as {', '.join(COMMON)}; not “{text.split(' ')[0]}”"
        + (f"; did you mean “{near}”?" if near else "")
    )


@dataclass(frozen=True)
class Completion:
    """A text that goes on from what is typed, and what the step is in a line."""

    text: str
    meaning: str


def completions(text: str, document: Document, materials: Iterable[str]) -> list[Completion]:
    """What goes on from what is typed, best first; nothing before a first letter."""
    start = text.lstrip()
    if not start:
        return []
    names = _names(document, materials)
    begun = [*_examples(), *((s.word, k) for k in all_kinds() for s in k.short if not s.example)]
    out = {
        e: kind.meaning for e, kind in begun if e.lower().startswith(start.lower()) and e != start
    }
    for kind, short, at in _candidates(start):
        reader = Reader(start, names, _Short(short, kind))
        try:
            _, end = kind.typed(short).read(reader, at)
        except ModelError:
            continue
        furthest = max(reader.furthest, end)
        head, typed = start[:furthest], start[furthest:].lstrip(" ,;:").lower()
        wanted = [*reader.expected]
        if reader.skip(end) == len(start):
            wanted += names["material"] if "material" in kind.schema.model_fields else []
        for word in wanted:
            if word.lower().startswith(typed) and word.lower() != typed and word[0].isalpha():
                comma = "" if not head or head[-1] in " ,(=" else " "
                out.setdefault(f"{head}{comma}{word}", kind.meaning)
    return [Completion(t, m) for t, m in out.items()][:MOST_OFFERED]


def examples() -> list[str]:
    """A typed step of every kind: short ones first, then whole sentences of new steps."""
    return [text for text, _ in _examples()]


def _examples() -> list[tuple[str, Kind]]:
    short = [(f"{s.word} {s.example}", k) for k in all_kinds() for s in k.short if s.example]
    return short + [
        (printed(k.chapter, _new(k, e.step)), k)
        for k in all_kinds()
        for e in k.menu
        if _whole(e.step)
    ]


def _whole(step: Mapping[str, Any]) -> bool:
    """Whether a new step needs no other one."""
    return "" not in step.values() and [""] not in step.values()


def _new(kind: Kind, step: Mapping[str, Any]) -> dict[str, Any]:
    own = {"kind": kind.name} if "kind" in kind.schema.model_fields else {}
    return own | {k: plain(v) for k, v in step.items()}


def _title(kind: Kind) -> str:
    return "" if kind.name == "parameter" else kind.title + " "


def _names(document: Document, materials: Iterable[str]) -> dict[str, list[str]]:
    """What names in a text may refer to, by sort."""
    parts = [p.name for p in document.parts]
    own = [m.name for m in document.materials]
    conductors = [
        m.name for m in document.materials if kind_of("materials", m.kind).makes == "conductor"
    ]
    library = [m for m in materials if m not in own]
    makes = {p.name: kind_of("parts", p.kind).makes for p in document.parts}
    return {
        "material": [*own, *library],
        "conductor": [*conductors, *library],
        "part": parts,
        "wire": [n for n in parts if makes[n] in ("wire", "part")],
        "body": [n for n in parts if makes[n] in ("body", "part")],
        "support": [*(n for n in parts if makes[n] != "wire"), GROUND],
        "frame": [f.name for f in document.frames],
    }


class _Short:
    """What may be typed of a kind besides its sentence."""

    def __init__(self, short: Shorthand | None, kind: Kind) -> None:
        self.sizes = short.sizes if short else ()
        self.place = kind.place if isinstance(kind, BodyKind) else ""
        self.material = "material" in kind.schema.model_fields
        self.named = "name" in kind.schema.model_fields


def _candidates(text: str) -> Iterator[tuple[Kind, Shorthand | None, int]]:
    """Kinds that a text may begin as, the longest beginnings first, and where it goes on."""
    found: list[tuple[int, Kind, Shorthand | None]] = []
    for kind in all_kinds():
        if kind.name == "parameter":
            if _NAMED.match(text):
                found.append((0, kind, None))
            continue
        for word, short in [(kind.title, None), *((s.word, s) for s in kind.short)]:
            end = Reader(text).words(word, 0)
            if end is not None:
                found.append((end, kind, short))
    for end, kind, short in sorted(found, key=lambda f: (-f[0], f[2] is None)):
        yield kind, short, end


def _not_understood(reader: Reader, end: int) -> ModelError:
    at = max(reader.skip(end), reader.furthest)
    rest = reader.text[at:].strip() or reader.text[reader.skip(end) :].strip()
    wanted = [w for w in dict.fromkeys(reader.expected) if w]
    near = _nearest(rest, wanted)
    may = f"; there may stand {', '.join(wanted[:12])}" if wanted else ""
    may = f"; did you mean “{near}”?" if near else may
    if at >= len(reader.text):
        return ModelError(f"the sentence ends too early behind “{reader.text[-30:]}”{may}")
    return ModelError(f"“{rest[:60]}” is not understood here{may}")


def _nearest(rest: str, wanted: list[str]) -> str:
    """The words that may stand there and are spelled most like those that do."""
    words = rest.lower().split()
    scores = {
        w: SequenceMatcher(None, w.lower(), " ".join(words[: len(w.split())])).ratio()
        for w in wanted
        if w[0].isalpha()
    }
    best = max(scores, key=lambda w: scores[w], default="")
    return best if best and scores[best] > ALIKE else ""


def _finished(
    kind: Kind,
    short: Shorthand | None,
    found: dict[str, Any],
    reader: Reader,
    document: Document,
    number: int | None,
) -> dict[str, Any]:
    """A read step with what was left out, in its place, with a name of its own."""
    if number is not None:
        steps = getattr(document, kind.chapter)
        present = steps[number] if isinstance(steps, list) else steps
        merged: dict[str, Any] = _merged(
            present.model_dump(mode="json", exclude_defaults=True), found
        )
        return merged
    step = found
    if short is not None:
        _sizes(step, short, reader.sizes)
    fresh = _new(kind, kind.menu[0].step if kind.menu else {})
    typed = bool(reader.place or reader.support or (short is not None and short.centred))
    place = kind.place if isinstance(kind, BodyKind) else ""
    needed = {n for n in kind.schema.model_fields if default_at(kind.schema, (n,)) is MISSING}
    out = {k: v for k, v in fresh.items() if k == "kind" or k in needed - {"name"}} | step
    if typed and place and place not in step:
        out[place] = _placed(out, short, reader, document)
    if "name" in kind.schema.model_fields and "name" not in out:
        word = short.word if short else str(fresh.get("name", kind.name))
        out["name"] = _free(getattr(document, kind.chapter), word)
    if "number" in kind.schema.model_fields and "number" not in found:
        out["number"] = max((f.number for f in document.feeds), default=0) + 1
    return out


def _meant(kind: Kind, found: Mapping[str, Any], document: Document) -> int | None:
    """Which step of the document a typed one changes: the only one of its chapter, or of a chapter
    whose steps are changed so, that of the same name, the first where none is named.
    """
    chapter = CHAPTER[kind.chapter]
    if not chapter.many:
        return 0
    if not chapter.merged:
        return None
    names = [s.name for s in getattr(document, kind.chapter)]
    name = found.get("name", names[0] if names else None)
    return names.index(name) if name in names else None


def _merged(present: Any, found: Any) -> Any:
    """What is found in the place of what there was, member by member."""
    if not isinstance(present, dict) or not isinstance(found, dict):
        return found
    return present | {k: _merged(present.get(k), v) for k, v in found.items()}


def _nearest_place(document: Document) -> Callable[[str, Any], list[str]]:
    """Gives the place of a part that is nearest to a point, as expressions."""
    model = evaluate_document(document)
    geometry = build_geometry(model)

    def place(name: str, near: Any) -> list[str]:
        from heron.shapes.kernel import nearest

        body = geometry.body(name)
        if body is None:
            known = ", ".join(b.name for b in geometry.bodies) or "none"
            raise ModelError(f"there is no body “{name}” to feed; there are {known}")
        at = [evaluate(str(c), model.values, LENGTH).value for c in near]
        found = nearest(body.shape, at, geometry.unit)
        return [
            str(c) if abs(v - a) < SAME * max(1e-6, abs(a)) else f"{v * 1e3:.9g} mm"
            for c, v, a in zip(near, found, at, strict=True)
        ]

    return place


def _completed(found: dict[str, Any], short: Shorthand, document: Document) -> dict[str, Any]:
    """What a short way to type a step leaves to be understood."""
    if short.means is not None:
        return short.means(found, _nearest_place(document))
    values = [found[n] for n in short.of_one_unit if isinstance(found.get(n), str)]
    if values and len(values) == len(short.of_one_unit):
        found |= zip(short.of_one_unit, shared(values), strict=True)
    return found | {n: found[other] for n, other in short.like.items() if other in found}


def _sizes(step: dict[str, Any], short: Shorthand, sizes: list[str]) -> None:
    """Bare sizes into the fields they are for."""
    if not sizes:
        return
    if len(sizes) != len(short.sizes):
        wanted = ", ".join(s if "." not in s else "along " + "xyz"[int(s[-1])] for s in short.sizes)
        raise ModelError(
            f"{short.word} takes {len(short.sizes)} sizes ({wanted}), not {len(sizes)}"
        )
    for name, value in zip(short.sizes, sizes, strict=True):
        field, _, index = name.partition(".")
        if index:
            step.setdefault(field, []).append(value)
        else:
            step[field] = value


def _placed(
    step: dict[str, Any], short: Shorthand | None, reader: Reader, document: Document
) -> list[str]:
    """Where a part stands: boxes and rectangles with their middle at the place in x and y, their
    low side in z.
    """
    place = reader.place or ["0", "0", "0"]
    if reader.support:
        place = [place[0], place[1], _top(reader.support, document)]
    if short is not None and short.centred:
        place = [
            ("-" if place[k] == "0" else f"{place[k]} - ") + f"{_whole_factor(step['size'][k])} / 2"
            for k in (0, 1)
        ] + [place[2]]
    return place


def _whole_factor(expression: str) -> str:
    """An expression as one factor."""
    return expression if re.fullmatch(r"[\w. ]+", expression) else f"({expression})"


def _top(name: str, document: Document) -> str:
    """The height of a part's top side, as an expression when its own sizes give one; the ground
    plane's, or zero, of the ground.
    """
    part = next((p for p in document.parts if p.name.casefold() == name.casefold()), None)
    if part is None:
        if name.casefold() == GROUND:
            return str(document.surround.height) if document.surround.kind == GROUND else "0"
        known = ", ".join(p.name for p in document.parts) or "none"
        raise ModelError(f"there is no part “{name}” to stand on; there are {known}")
    kind = kind_of("parts", part.kind)
    if isinstance(kind, BodyKind) and not part.frame:
        own = kind.top(part)
        if own is not None:
            return own
    body = build_geometry(evaluate_document(document)).body(part.name)
    if body is None:
        raise ModelError(f"“{part.name}” has no top to stand on")
    return f"{body.bounds[1][2] * 1e3:.9g} mm"


def _free(steps: list[Any], word: str) -> str:
    taken = {s.name for s in steps}
    name, k = word, 2
    while name in taken:
        name, k = f"{word} {k}", k + 1
    return name
