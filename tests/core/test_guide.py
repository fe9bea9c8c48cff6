"""The manual: what its pages type can be typed, what they say comes out does, and links lead
somewhere.

A page names the skeleton it begins from as ``<!-- start: NAME -->``, else it begins from an empty
sheet; its blocks of ``steps`` are typed in their order; its table of results has a formula, where
on the curve it is read, and the value, to half a unit of the last digit or to the ± beside it.
"""

from __future__ import annotations

import json
import re
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from heron.engines import ENGINES
from heron.interface import Model
from heron.materials import LIBRARY, MEDIA
from heron.model import Document, load_document
from heron.phrases import step_from
from heron.quantities import evaluate
from server.projects.library import BLANK

ROOT = Path(__file__).parents[2]
PAGES = sorted((ROOT / "docs/guide").glob("*.md"))
KNOWN = [*LIBRARY, *MEDIA]
RESULT = re.compile(r"^\| (?:[^|]|\\\|)+ \| `([^`]+)` \| ([^|]+) \| ([^|]+) \|$", re.MULTILINE)
VALUE = re.compile(r"^(−?[\d.]+)(?: ± ([\d.]+))?\s*(.*)$")


def typed_in(text: str) -> list[str]:
    blocks = re.findall(r"^```steps\n(.*?)^```", text, re.MULTILINE | re.DOTALL)
    return [line for block in blocks for line in block.splitlines() if line.strip()]


def begun(text: str) -> Document:
    start = re.search(r"<!-- start: ([\w-]+) -->", text)
    if start is None:
        return load_document(BLANK)
    return load_document(
        json.loads((ROOT / f"examples/starts/{start[1]}.json").read_text())["document"]
    )


def with_steps(document: Document, lines: list[str]) -> Document:
    for line in lines:
        read = step_from(line, document, KNOWN)
        data: dict[str, Any] = document.model_dump(mode="json")
        if not isinstance(data[read.chapter], list):
            data[read.chapter] = read.step
        elif read.number is None:
            data[read.chapter].append(read.step)
        else:
            data[read.chapter][read.number] = read.step
        document = load_document(data)
    return document


@lru_cache(maxsize=1)
def solved(path: Path) -> Any:
    text = path.read_text()
    document = with_steps(begun(text), typed_in(text))
    found = Model(document).check()
    assert found.sound, [p.message for p in found.errors]
    return Model(document).solve()


def read(run: Any, formula: str, where: str) -> float:
    """The value of a formula where it is smallest, largest, at the best match or at a frequency;
    of ``f`` where that of another formula is, as in "f of db20(s11) at its smallest".
    """
    quantities = run.quantities
    curve = np.asarray(quantities.curve(formula).values)
    level = re.fullmatch(r"where `?(.+?)`? is (smallest|largest)", where)
    if level:
        other = np.asarray(quantities.curve(level[1]).values)
        at = int(np.nanargmin(other) if level[2] == "smallest" else np.nanargmax(other))
        return float(np.real(curve[at]))
    if where == "smallest":
        return float(np.nanmin(curve))
    if where == "largest":
        return float(np.nanmax(curve))
    frequency = run.best if where == "best match" else evaluate(where, {}).value
    there = np.flatnonzero(np.isfinite(curve))
    at = there[np.abs(quantities.frequency[there] - frequency).argmin()]
    return float(np.real(curve[at]))


def results_of(path: Path) -> list[tuple[str, str, str]]:
    return [tuple(m.groups()) for m in RESULT.finditer(path.read_text())]  # type: ignore[misc]


WITH_RESULTS = [
    pytest.param(path, *row, id=f"{path.stem}: {row[0]} {row[1]}")
    for path in PAGES
    for row in results_of(path)
]


@pytest.mark.parametrize(("path", "formula", "where", "value"), WITH_RESULTS)
def test_a_page_says_what_comes_out(path: Path, formula: str, where: str, value: str) -> None:
    found = VALUE.match(value.strip())
    assert found, value
    number, unit = found[1].replace("−", "-"), found[3].strip()
    factor = evaluate(f"1 {unit}", {}).value if re.match(r"[kMGT]?Hz$|[mnµ]?m$", unit) else 1.0
    digits = len(number.partition(".")[2])
    allowed = float(found[2]) if found[2] else 0.51 * 10**-digits
    there = read(solved(path), formula, where.strip()) / factor
    print(f"{path.stem}: {formula} {where.strip()}: {there:.6g}, said {value.strip()}")
    assert there == pytest.approx(float(number), abs=allowed)


@pytest.mark.parametrize("path", PAGES, ids=lambda p: p.stem)
def test_what_a_page_types_can_be_typed(path: Path) -> None:
    text = path.read_text()
    with_steps(begun(text), typed_in(text))
    for block in re.findall(r"^```typed\n(.*?)^```", text, re.MULTILINE | re.DOTALL):
        for line in block.splitlines():
            step_from(line, load_document(BLANK), KNOWN)


def anchors(text: str) -> set[str]:
    headings = re.findall(r"^#+ (.*)$", text, re.MULTILINE)
    return {re.sub(r"[^\w]+|_", "-", h.lower()).strip("-") for h in headings}


def test_links_and_help_lead_to_pages_and_headings() -> None:
    pages = {p.stem: anchors(p.read_text()) for p in PAGES}
    links = [
        (path.stem, name, anchor)
        for path in PAGES
        for name, anchor in re.findall(r"\]\(([\w-]+)\.md(?:#([\w-]+))?\)", path.read_text())
    ]
    for path in (ROOT / "web/src").rglob("*.tsx"):
        found = re.findall(r'data-help="([\w-]+)(?:#([\w-]+))?"', path.read_text())
        links += [(path.name, name, anchor) for name, anchor in found]
    assert len(links) > 20
    for source, name, anchor in links:
        assert name in pages, f"{source}: {name}"
        assert not anchor or anchor in pages[name], f"{source}: {name}#{anchor}"


def test_every_chapter_and_engine_has_its_words() -> None:
    from heron.steps.contract import CHAPTERS

    sheet = anchors((ROOT / "docs/guide/sheet.md").read_text())
    assert {c.key for c in CHAPTERS} <= sheet
    assert set(ENGINES) <= anchors((ROOT / "docs/guide/engines.md").read_text())
