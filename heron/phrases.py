"""Typing a step: "box 40 x 20 x 1.6 mm, FR4, on ground" becomes a part of the document."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from heron.errors import ModelError
from heron.geometry import build_geometry
from heron.model import Document, evaluate_document

_SIZES = re.compile(r"\s*(?:×|\bx\b|\bby\b)\s*", re.IGNORECASE)
_POINT = re.compile(r"\(([^()]*(?:\([^()]*\)[^()]*)*)\)")
_NUMBER = re.compile(r"[\d.]+(?:[eE][+-]?\d+)?")
_WITH_UNIT = re.compile(r"^[\d.]+(?:[eE][+-]?\d+)?\s*([A-Za-zµ\"]+)$")


@dataclass(frozen=True)
class Form:
    """How a kind is typed: an example after its word, what its bare sizes mean in order, and which
    of its fields may be named.
    """

    example: str
    kind: str
    # fields filled by "a x b x c"; "size.0" is an item of a list
    sizes: tuple[str, ...]
    place: str = ""  # field that "at (x, y, z)" sets
    named: dict[str, str] = field(default_factory=dict)
    # boxes and rectangles are typed by their middle in x and y
    centred: bool = False
    fixed: dict[str, Any] = field(default_factory=dict)


_ROUND = {"radius": "radius", "height": "height", "inner": "inner", "axis": "axis"}
FORMS: dict[str, Form] = {
    "box": Form("40 x 20 x 1.6 mm", "box", ("size.0", "size.1", "size.2"), "corner", centred=True),
    "block": Form(
        "40 x 20 x 1.6 mm", "box", ("size.0", "size.1", "size.2"), "corner", centred=True
    ),
    "sheet": Form("40 x 20 mm", "rectangle", ("size.0", "size.1"), "corner", centred=True),
    "rectangle": Form("40 x 20 mm", "rectangle", ("size.0", "size.1"), "corner", centred=True),
    "cylinder": Form(
        "radius 5 mm height 20 mm", "cylinder", ("radius", "height"), "centre", _ROUND
    ),
    "tube": Form(
        "radius 5 mm inner 4 mm height 20 mm",
        "cylinder",
        ("radius", "inner", "height"),
        "centre",
        _ROUND,
    ),
    "cone": Form(
        "radius 5 mm height 20 mm", "cone", ("radius", "height"), "centre", {**_ROUND, "top": "top"}
    ),
    "sphere": Form("radius 10 mm", "sphere", ("radius",), "centre", {"radius": "radius"}),
    "torus": Form(
        "bend 20 mm radius 3 mm",
        "torus",
        ("bend", "radius"),
        "centre",
        {"bend": "bend", "radius": "radius", "axis": "axis"},
    ),
    "disc": Form(
        "radius 10 mm",
        "disc",
        ("radius",),
        "centre",
        {"radius": "radius", "inner": "inner", "axis": "axis"},
    ),
    "ring": Form(
        "radius 10 mm inner 5 mm",
        "disc",
        ("radius", "inner"),
        "centre",
        {"radius": "radius", "inner": "inner", "axis": "axis"},
    ),
    "dish": Form(
        "diameter 200 mm focus 80 mm",
        "dish",
        ("diameter",),
        "centre",
        {"focus": "focus", "diameter": "diameter", "thickness": "thickness"},
    ),
    "wire": Form(
        "from (0, 0, 0) to (0, 0, 80 mm) radius 1 mm", "wire", (), "", {"radius": "radius"}
    ),
}
WORDS = sorted(FORMS)


def step_from(text: str, document: Document, materials: Iterable[str]) -> dict[str, Any]:
    """A part from a phrase: kind, sizes, then any of a material, "at (x, y, z)", "on PART", "from
    (…) to (…)", "radius …", "called NAME".

    :raises ModelError: saying which words were not understood and what may stand there.
    """
    text = text.strip()
    word, _, rest = text.partition(" ")
    form = FORMS.get(word.lower())
    if form is None:
        raise ModelError(f"a step begins with what it is: {', '.join(WORDS)}; not “{word}”")
    library = {m.lower(): m for m in materials}
    parts = {p.name.lower(): p.name for p in document.parts}
    step: dict[str, Any] = {"kind": form.kind, **form.fixed}
    sizes: list[str] = []
    support = ""
    at: list[str] | None = None
    for written in _clauses(rest, form.named):
        endings = (
            ()
            if written.lower().startswith(("in ", "called "))
            else sorted(library, key=len, reverse=True)
        )
        tail = next((m for m in endings if written.lower().endswith(f" {m}")), "")
        if tail:
            step["material"] = library[tail]
        clause = written[: len(written) - len(tail)].strip()
        lower = clause.lower()
        first, _, more = clause.partition(" ")
        if lower in library:
            step["material"] = library[lower]
        elif lower.startswith("in ") and more.lower() in library:
            step["material"] = library[more.lower()]
        elif lower.startswith("on "):
            support = parts.get(more.strip().lower(), "")
            if not support:
                raise ModelError(
                    f"there is no part “{more.strip()}” to stand on; there are"
                    f" {', '.join(parts.values()) or 'none'}"
                )
        elif lower.startswith("called "):
            step["name"] = more.strip()
        elif lower.startswith("at "):
            at = _point(more)
        elif lower.startswith("from ") and form.kind == "wire":
            ends = _POINT.findall(clause)
            if len(ends) != 2:
                raise ModelError("a wire runs from (x, y, z) to (x, y, z)")
            step["start"], step["end"] = (_triple(e) for e in ends)
        elif first.lower() in form.named and more:
            step[form.named[first.lower()]] = more.strip()
        elif not sizes and form.sizes and _looks_like_size(clause):
            sizes = _spread(_SIZES.split(clause))
        else:
            raise ModelError(
                f"“{clause}” is not understood here; it is no material, and no size, place or part"
                " either"
            )
    _fill(step, form, sizes)
    if form.kind == "wire" and "start" not in step:
        raise ModelError("a wire runs from (x, y, z) to (x, y, z)")
    if form.kind == "wire":
        step.setdefault("radius", "0.5 mm")
    if form.kind == "dish":
        step.setdefault("focus", f"0.4 * ({step['diameter']})")
    _put(step, form, at, support, document)
    step.setdefault("name", _free(document, word.lower()))
    return step


def _clauses(text: str, named: Iterable[str]) -> list[str]:
    """Split at commas outside parentheses, and before the words that begin a clause."""
    depth, out, current = 0, [], ""
    for c in text:
        depth += (c == "(") - (c == ")")
        if c == "," and depth == 0:
            out.append(current)
            current = ""
        else:
            current += c
    out.append(current)
    begins = "|".join(["at", "on", "called", "in", "from", *named])
    return [
        p.strip()
        for clause in out
        for p in re.split(rf"(?:^|\s+)(?=(?:{begins})\s)", clause.strip())
        if p.strip()
    ]


def _looks_like_size(clause: str) -> bool:
    return bool(
        _NUMBER.match(clause)
        or _SIZES.search(clause)
        or re.match(r"^[A-Za-z_]\w*\s*(?:$|[-+*/])", clause)
    )


def _spread(sizes: list[str]) -> list[str]:
    """ "40", "20", "1.6 mm" all in mm: a last unit serves the plain numbers before it."""
    found = _WITH_UNIT.match(sizes[-1].strip())
    if not found:
        return [s.strip() for s in sizes]
    return [f"{s.strip()} {found[1]}" if _NUMBER.fullmatch(s.strip()) else s.strip() for s in sizes]


def _fill(step: dict[str, Any], form: Form, sizes: list[str]) -> None:
    if sizes and len(sizes) != len(form.sizes):
        wanted = ", ".join(s if "." not in s else "along " + "xyz"[int(s[-1])] for s in form.sizes)
        raise ModelError(f"{form.kind} takes {len(form.sizes)} sizes ({wanted}), not {len(sizes)}")
    for name, value in zip(form.sizes, sizes, strict=False):
        field_name, _, index = name.partition(".")
        if index:
            step.setdefault(field_name, []).append(value)
        else:
            step[field_name] = value
    missing = [n for n in form.sizes if n.partition(".")[0] not in step]
    if missing:
        raise ModelError(f"a size is missing: {missing[0].partition('.')[0]}")


def _put(
    step: dict[str, Any], form: Form, at: list[str] | None, support: str, document: Document
) -> None:
    """Where the part stands: boxes and rectangles with their middle at the place in x and y, their
    low side in z.
    """
    if not form.place:
        return
    place = at or ["0", "0", "0"]
    if support:
        place = [place[0], place[1], _top(support, document)]
    if form.centred:
        place = [
            ("-" if place[k] == "0" else f"{place[k]} - ") + f"{_whole(step['size'][k])} / 2"
            for k in (0, 1)
        ] + [place[2]]
    if at or support or form.centred:
        step[form.place] = place


def _whole(expression: str) -> str:
    """An expression as one factor."""
    return expression if re.fullmatch(r"[\w. ]+", expression) else f"({expression})"


def _top(name: str, document: Document) -> str:
    """The height of a part's top side, as an expression when its own sizes give one."""
    part = next(p for p in document.parts if p.name == name)
    if part.kind == "box" and not part.frame:
        z, height = part.corner[2], part.size[2]
        return height if z == "0" else f"{z} + {height}"
    if part.kind in ("rectangle", "disc") and not part.frame and part.axis == "z":
        return str((part.corner if part.kind == "rectangle" else part.centre)[2])
    if part.kind == "cylinder" and not part.frame and part.axis == "z":
        return part.height if part.centre[2] == "0" else f"{part.centre[2]} + {part.height}"
    body = build_geometry(evaluate_document(document)).body(name)
    if body is None:
        raise ModelError(f"“{name}” has no top to stand on")
    return f"{body.bounds[1][2] * 1e3:.9g} mm"


def _point(text: str) -> list[str]:
    found = _POINT.search(text)
    if not found:
        raise ModelError(f"a place is (x, y, z), not “{text}”")
    return _triple(found[1])


def _triple(inner: str) -> list[str]:
    values = [v.strip() for v in inner.split(",")]
    if len(values) != 3 or not all(values):
        raise ModelError(f"a place has three coordinates, not “({inner})”")
    return _spread(values)


def _free(document: Document, word: str) -> str:
    taken = {p.name for p in document.parts}
    name, k = word, 2
    while name in taken:
        name, k = f"{word} {k}", k + 1
    return name
