"""The interface speaks by the glossary: none of the words that it lists as not used."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
GLOSSARY = ROOT / "docs/guide/glossary.md"
# where old documents are read by the words they have
OLD = ("heron/model/upgrades.py",)


def rows() -> list[list[str]]:
    lines = [line for line in GLOSSARY.read_text().splitlines() if line.startswith("|")]
    return [[cell.strip() for cell in line.strip("|").split("|")] for line in lines[2:]]


AVOIDED = [word.strip() for row in rows() for word in row[2].split(";") if word.strip()]


def said_in_python(path: Path) -> Iterator[str]:
    """Texts of a file that are not docstrings."""
    tree = ast.parse(path.read_text())
    silent = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    for node in ast.walk(tree):
        if (
            isinstance(node, ast.Constant)
            and isinstance(node.value, str)
            and id(node) not in silent
        ):
            yield node.value


def said_in_typescript(path: Path) -> Iterator[str]:
    """Literals of a file, and what stands between its tags."""
    text = re.sub(r"/\*.*?\*/|(?<!:)//[^\n]*", "", path.read_text(), flags=re.DOTALL)
    for found in re.finditer(r"\"([^\"\n]*)\"|`([^`]*)`|>([^<>{}=;]+)<", text):
        yield next(g for g in found.groups() if g is not None)


def texts() -> Iterator[tuple[str, str]]:
    for folder in ("heron", "server"):
        for path in sorted((ROOT / folder).rglob("*.py")):
            name = path.relative_to(ROOT).as_posix()
            if name not in OLD:
                yield from ((name, text) for text in said_in_python(path))
    for path in sorted((ROOT / "web/src").rglob("*.ts*")):
        name = path.relative_to(ROOT).as_posix()
        if ".test." not in name and "generated" not in name:
            yield from ((name, text) for text in said_in_typescript(path))
    for path in sorted((ROOT / "docs").rglob("*.md")):
        if path != GLOSSARY:
            yield path.relative_to(ROOT).as_posix(), path.read_text()
    yield "README.md", (ROOT / "README.md").read_text()


TEXTS = [(name, " ".join(text.split())) for name, text in texts()]


def test_the_texts_are_found() -> None:
    said = {text for _, text in TEXTS}
    assert "nothing feeds the antenna" in said and "Reflection and transmission" in said
    assert any("No runs yet." in text for text in said), "what stands between tags"
    assert len(rows()) > 40 and all(len(row) == 3 and row[0] and row[1] for row in rows())


@pytest.mark.parametrize("word", AVOIDED)
def test_a_word_that_the_glossary_does_not_want_is_said_nowhere(word: str) -> None:
    asked = re.compile(rf"\b{re.escape(word)}\b", re.IGNORECASE)
    # the name of a field of stored datasets
    found = [f"{n}: {t[:120]}" for n, t in TEXTS if asked.search(t) and t != "lit"]
    assert found == []
