"""Shared code knows no engine and no sort of run by name: what they are is asked of them."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from heron.engines import ENGINES
from heron.steps import kinds

ROOT = Path(__file__).parents[2]
FOLDERS = ("heron", "server", "web/src")
# where an engine is registered, has its settings, and where old documents are read
OWN = ("heron/engines/", "heron/steps/__init__.py", "heron/steps/settings/", "heron/model/upgrades")


def sources() -> list[tuple[str, str]]:
    out = []
    for folder in FOLDERS:
        for path in sorted((ROOT / folder).rglob("*")):
            name = path.relative_to(ROOT).as_posix()
            if path.suffix in (".py", ".ts", ".tsx") and "generated" not in name:
                out.append((name, path.read_text()))
    return out


@pytest.mark.parametrize("engine", [n for n in ENGINES if n in kinds("settings")])
def test_no_engine_is_named_outside_its_own_package(engine: str) -> None:
    said = re.compile(rf"[\"']{engine}[\"']|engines[./]{engine}|\bthe {engine} engine")
    found = [
        f"{name}: {line.strip()}"
        for name, text in sources()
        if not name.startswith(OWN)
        for line in text.splitlines()
        if said.search(line)
    ]
    assert found == []


def test_no_sort_of_run_is_told_apart_outside_what_older_runs_provide() -> None:
    """Runs say what they provide; only those too old to say are told apart by what they kept."""
    said = re.compile(r"attrs(\.get)?[\[(][\"'](lit|repeated|empty)[\"']|\bkind\(results")
    for name, text in sources():
        for number, line in enumerate(text.splitlines()):
            if said.search(line):
                before = "\n".join(text.splitlines()[max(0, number - 4) : number])
                assert "def in_older" in before, f"{name}: {line.strip()}"


def test_no_step_kind_is_told_apart_in_what_draws_the_sheet() -> None:
    """The interface draws sentences and menus from what the server sends."""
    also = {"formula", "face", "conductor"}  # types of slots, of picks and of references
    chapters = ("parts", "materials", "loads", "refinements")
    names = {k for chapter in chapters for k in kinds(chapter)} - also
    said = re.compile(rf"[\"']({'|'.join(sorted(names))})[\"']")
    bench = ROOT / "web/src/features/bench"
    for path in (*bench.glob("language.ts"), *bench.glob("[WB]*.tsx"), *bench.glob("AddStep.tsx")):
        assert not said.findall(path.read_text()), path.name
