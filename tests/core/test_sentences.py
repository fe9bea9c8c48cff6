"""Every step's sentence is its grammar: what is printed can be typed, whole or in part."""

from __future__ import annotations

import json
import string
from contextlib import suppress
from pathlib import Path
from types import UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.strategies import SearchStrategy
from pydantic_core import PydanticUndefined

from heron.errors import HeronError
from heron.materials import LIBRARY, MEDIA
from heron.model import Document, load_document
from heron.phrases import Typed, completions, examples, printed, step_from
from heron.quantities.expressions import expression_end
from heron.steps import CHAPTER, CHAPTERS, all_kinds
from heron.steps.contract import Kind
from heron.steps.description import language
from heron.steps.fields import Of, OfT, Step
from heron.steps.plans.plan import Settings
from heron.steps.schemas import bare_of

EMPTY = load_document({"plan": {"f_start": "1 GHz", "f_stop": "2 GHz"}})
KNOWN = [*LIBRARY, *MEDIA]
EXAMPLES = sorted((Path(__file__).parents[2] / "examples").glob("*.json"))


# --- random steps of a schema -----------------------------------------------------------

NUMBERS = ["0", "1", "2.5", "-3", "1e-3"]
SIZES = ["12 mm", "L", "L/2 - gap", "2*(a + b)", "-(h)", "max(a, b)", "5 in", "0.25 * c0/f0", "3m"]
# names with the words of sentences in them, and of other sorts
NAMES = ["arm", "mast foot 2", "of", "by from to", "copper", "in frame", "radius", "a.b-c", "FR4 "]
TEXTS = ["", "mm", 'with "quotes"', "a, b; c = (d)", "né", "in", " "]


def values(annotation: Any, name: str = "") -> SearchStrategy[Any]:
    """JSON values that a field takes."""
    bare, metadata = bare_of(annotation)
    outer = annotation
    while get_origin(outer) is Annotated:
        outer = get_args(outer)[0]
    optional = get_origin(outer) in (Union, UnionType)
    made = _values(bare, metadata, name)
    return st.one_of(st.none(), made) if optional else made


def _values(bare: Any, metadata: list[Any], name: str) -> SearchStrategy[Any]:
    if any(isinstance(m, OfT) for m in metadata):
        return st.sampled_from(["t * 2 mm", "sin(t) * L"])
    for m in metadata:
        if isinstance(m, Of):
            plain = m.dimension == (0, 0, 0, 0, 0)
            return st.sampled_from(NUMBERS if plain else NUMBERS + SIZES)
    if get_origin(bare) is Literal:
        return st.sampled_from(get_args(bare))
    if bare is bool:
        return st.booleans()
    if bare is int:
        return st.integers(1, 60)
    if get_origin(bare) is tuple:
        return st.tuples(*(values(a) for a in get_args(bare))).map(list)
    if get_origin(bare) is list:
        return st.lists(values(get_args(bare)[0]), min_size=2, max_size=4)
    if isinstance(bare, type) and issubclass(bare, Step):
        return steps(bare)
    if name == "settings":
        return st.fixed_dictionaries(
            {}, optional={n: steps(s) for n, s in Settings().schemas().items()}
        )
    if name in ("name", "part", "source", "first", "material", "frame", "within"):
        return st.sampled_from(NAMES)
    if name == "expression":
        return st.sampled_from(SIZES)
    return st.sampled_from(TEXTS)


def steps(schema: type[Step]) -> SearchStrategy[dict[str, Any]]:
    """Steps of a schema, optional fields there or not."""
    needed, free = {}, {}
    for name, info in schema.model_fields.items():
        annotation = info.annotation if not info.metadata else _with(info)
        own = values(annotation, name)
        (needed if info.default is PydanticUndefined else free)[name] = own
    return st.fixed_dictionaries(needed, optional=free)


def _with(info: Any) -> Any:
    return Annotated[info.annotation, *info.metadata]


def full(kind: Kind, step: dict[str, Any]) -> dict[str, Any]:
    """A step as its schema gives it back, defaults filled in."""
    return kind.schema.model_validate(step).model_dump(mode="json")


@st.composite
def some_step(draw: st.DrawFn) -> tuple[Kind, dict[str, Any]]:
    kind = draw(st.sampled_from(list(all_kinds())))
    step = draw(steps(kind.schema))
    if "kind" in kind.schema.model_fields and kind.name != "surround":
        step["kind"] = kind.name
    try:
        return kind, full(kind, step)
    except ValueError:  # a name or text that the schema refuses
        step = {
            k: ("arm" if k in ("name", "file") else "p1" if k == "unit" else v)
            for k, v in step.items()
        }
        return kind, full(kind, {k: v for k, v in step.items() if k != "unit"})


@given(some_step())
@settings(max_examples=600, deadline=None)
def test_what_is_printed_can_be_typed(chosen: tuple[Kind, dict[str, Any]]) -> None:
    kind, step = chosen
    text = printed(kind.chapter, step)
    read = step_from(text, EMPTY, KNOWN)
    assert read.chapter == kind.chapter, text
    assert full(kind, read.step) == step, text


@pytest.mark.parametrize("path", EXAMPLES, ids=lambda p: p.stem)
def test_every_example_can_be_typed_from_nothing(path: Path) -> None:
    """Step by step, what an example's sheet says makes the same model."""
    document = load_document(json.loads(path.read_text()))
    typed = EMPTY
    for chapter in CHAPTERS:
        own = getattr(document, chapter.key)
        for step in own if chapter.many else [own]:
            text = printed(chapter.key, step.model_dump(mode="json"))
            read = step_from(text, typed, KNOWN)
            data = typed.model_dump(mode="json")
            typed = load_document(with_step(data, read))
    same = {"name": document.name, "notes": document.notes}
    assert typed.model_copy(update=same) == document


def with_step(data: dict[str, Any], read: Typed) -> dict[str, Any]:
    """A document's JSON with a typed step in its place."""
    if not CHAPTER[read.chapter].many:
        return {**data, read.chapter: read.step}
    steps = list(data[read.chapter])
    if read.number is None:
        steps.append(read.step)
    else:
        steps[read.number] = read.step
    return {**data, read.chapter: steps}


def kinds_by_name() -> list[Any]:
    return [pytest.param(k, id=f"{k.chapter}-{k.name}") for k in all_kinds()]


@pytest.mark.parametrize("kind", kinds_by_name())
def test_a_new_step_of_every_kind_is_one_and_reads_back(kind: Kind) -> None:
    for entry in kind.menu:
        own = {"kind": kind.name} if "kind" in kind.schema.model_fields else {}
        step = full(kind, own | dict(entry.step))
        read = step_from(printed(kind.chapter, step), EMPTY, KNOWN)
        assert full(kind, read.step) == step


@pytest.mark.parametrize("text", examples())
def test_every_example_of_typing_works_on_an_empty_sheet(text: str) -> None:
    read = step_from(text, EMPTY, KNOWN)
    data = EMPTY.model_dump(mode="json")
    data = with_step(data, read)
    assert isinstance(load_document(data), Document)


def test_a_sentence_shows_only_what_differs_from_a_default() -> None:
    assert printed("surround", {}) == "Surround open on all sides"
    assert printed("plans", {"f_start": "1 GHz", "f_stop": "2 GHz"}) == (
        "Plan auto engine, from 1 GHz to 2 GHz, 101 points"
    )
    gap = {"kind": "gap", "number": 1, "part": "arm", "amplitude": "2"}
    assert printed("feeds", gap) == "Gap feed port 1 on arm at 0.5, 50 ohm, amplitude 2"


@pytest.mark.parametrize(
    ("text", "chapter", "fields"),
    [
        ("Surround ground plane at z = -2 mm", "surround", {"kind": "ground", "height": "-2 mm"}),
        (
            "surround symmetry planes PMC at y = 0",
            "surround",
            {"mirror": ["none", "PMC", "none"]},
        ),
        ("plan 41 points, from 3 GHz to 4 GHz", "plans", {"points": "41", "f_stop": "4 GHz"}),
        (
            "gap feed on arm at 0.3, 75 Ω",
            "feeds",
            {"part": "arm", "impedance": "75 Ω", "number": 1},
        ),
        ("L = lambda/4 - 2 mm", "parameters", {"name": "L", "expression": "lambda/4 - 2 mm"}),
        ("wire, radius 2 mm, from (0, 0, 0) to (0, L, 0)", "parts", {"end": ["0", "L", "0"]}),
        ("cut shape", "", {}),
        (
            "combine c, cut base with hole and slot",
            "parts",
            {"operation": "cut", "first": "base", "others": ["hole", "slot"]},
        ),
        ("wire from (0, 6, 0 mm) to (0, 6, 1.6 mm)", "parts", {"end": ["0", "6 mm", "1.6 mm"]}),
        ("plane wave along (0, 0, -1)", "illuminations", {"travels": ["0", "0", "-1"]}),
        ("box 40 x 20 x 1.6 mm, FR4, on ground", "parts", {"material": "FR4"}),
        (
            "wave along −z, E along x",
            "illuminations",
            {"travels": ["0", "0", "-1"], "electric": ["1", "0", "0"], "name": "wave"},
        ),
        ("wave aslant along (1, 0, -1), E along y", "illuminations", {"name": "aslant"}),
        ("plane wave along +x", "illuminations", {"travels": ["1", "0", "0"]}),
        (
            "far field every 2 deg",
            "captures",
            {"theta_step": "2 deg", "phi_step": "2 deg", "name": "far field"},
        ),
        ("far field every 2 deg of θ, 3 deg of φ", "captures", {"phi_step": "3 deg"}),
        (
            "sweep 2 to 3 GHz, 201 points",
            "plans",
            {"f_start": "2 GHz", "f_stop": "3 GHz", "points": "201"},
        ),
        ("sweep f0 / 2 to 3 GHz", "plans", {"f_start": "f0 / 2", "f_stop": "3 GHz"}),
        ("mirror plane x = 0, PMC", "surround", {"mirror": ["PMC", "none", "none"]}),
        ("symmetry plane z = 0: PEC", "surround", {"mirror": ["none", "none", "PEC"]}),
        ("ground plane at z = -2 mm", "surround", {"kind": "ground", "height": "-2 mm"}),
        ("margin 20 mm", "surround", {"margin": "20 mm"}),
        ("L = 32 mm", "parameters", {"name": "L", "expression": "32 mm"}),
    ],
)
def test_parts_of_sentences_are_enough(text: str, chapter: str, fields: dict[str, Any]) -> None:
    if not chapter:
        with pytest.raises(HeronError, match="begins with what it is"):
            step_from(text, EMPTY, KNOWN)
        return
    read = step_from(text, EMPTY, KNOWN)
    assert read.chapter == chapter
    assert {k: read.step[k] for k in fields} == fields


def test_a_typed_step_changes_what_it_names_and_leaves_the_rest() -> None:
    document = load_document(
        {
            "parameters": [{"name": "L", "expression": "30 mm", "comment": "arm", "low": "1 mm"}],
            "surround": {"mirror": ["PEC", "none", "none"], "margin": "9 mm"},
            "plans": [{"f_start": "1 GHz", "f_stop": "2 GHz"}],
        }
    )
    read = step_from("mirror plane y = 0, PMC", document, KNOWN)
    assert read.number == 0 and read.step["mirror"] == ["PEC", "PMC", "none"]
    assert read.step["margin"] == "9 mm"
    read = step_from("L = 32 mm", document, KNOWN)
    assert (read.number, read.step["expression"], read.step["comment"]) == (0, "32 mm", "arm")
    assert step_from("W = 32 mm", document, KNOWN).number is None


def test_typing_a_part_of_the_plan_leaves_the_rest_of_it() -> None:
    read = step_from("plan 7 points", EMPTY, KNOWN)
    assert (read.step["f_start"], read.step["points"]) == ("1 GHz", "7")


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("box from (0, 0) by (1, 2, 3)", r"“\) by"),
        ("far field every", "ends too early"),
        ("gap feed port x on arm", "“x on arm” is not understood"),
        ("plan from 1 GHz until 2 GHz", "“until 2 GHz” is not understood here; there may stand to"),
        ("surround sideways", "ground, open"),
        ("box 9 x 9 x 2 mm, cooper", "“cooper” is not understood here; did you mean “copper”"),
        ("wir from (0, 0, 0) to (0, 0, 1)", "did you mean “wire”"),
        ("wave along −z, E allong x", "did you mean “E along”"),
    ],
)
def test_what_is_not_understood_is_named_with_what_may_stand_there(text: str, words: str) -> None:
    with pytest.raises(HeronError, match=words):
        step_from(text, EMPTY, KNOWN)


def test_completions_go_on_from_what_is_typed() -> None:
    def offered(text: str) -> list[str]:
        return [c.text for c in completions(text, EMPTY, KNOWN)]

    assert "box 40 x 20 x 1.6 mm" in offered("bo")
    assert "box 40 x 20 x 1.6 mm, FR4" in offered("box 40 x 20 x 1.6 mm, FR")
    made = "cylinder radius 5 mm, height 20 mm, copp"
    assert offered(made) == [made + "er"]
    assert "gap feed port 1 on" in offered("gap feed port 1 ")
    assert "feed between" in offered("feed b")
    assert offered("") == []


def test_a_completion_says_what_it_is_in_a_line() -> None:
    (dish, *_) = completions("dish", EMPTY, KNOWN)
    assert dish.meaning.startswith("A paraboloid with its vertex at centre")
    for kind in all_kinds():
        assert 8 < len(kind.meaning) < 140 and "`" not in kind.meaning, kind.name


@pytest.mark.parametrize(
    ("text", "end"),
    [
        ("12 mm of FR4", 5),
        ("L by 3", 1),
        ("L/2 - gap, in", 9),
        ("5 in, in copper", 4),
        ("max(a, b) to", 9),
        ("40 x 20", 2),
        ("(1 + 2) * 3 mm at", 14),
        ("2 at (0, 0)", 1),
        ("from", 4),
        (", 3", 0),
        ("5.8e7 S/m, sheets", 9),
        ("3 mm^2 with", 6),
    ],
)
def test_an_expression_ends_where_words_go_on(text: str, end: int) -> None:
    assert expression_end(text, 0) == end


@given(st.text(string.printable + "Ω°µ“”×−", max_size=200))
@settings(max_examples=200, deadline=None)
def test_no_text_is_more_than_refused(text: str) -> None:
    """Whatever is typed is a step or an error of ours, within bounded time."""
    for start in ("", "box ", "surround ", "gap feed ", "medium "):
        with suppress(HeronError):
            step_from(start + text, EMPTY, KNOWN)


def test_the_language_is_plain_json_that_names_every_kind() -> None:
    data = json.loads(json.dumps(language()))
    assert {(k["chapter"], k["name"]) for k in data["kinds"]} == {
        (k.chapter, k.name) for k in all_kinds()
    }
    groups = {e["group"] for k in data["kinds"] for e in k["menu"]}
    assert {"Wires", "Sheets", "Solids", "Changes", "Materials", "Feeds", "Captures"} <= groups
