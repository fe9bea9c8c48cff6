"""No module needs itself: neither at once, nor later inside of a function, nor for a type."""

from __future__ import annotations

import ast
import os
import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components

from server.config import ROOT

Graph = dict[str, set[str]]


def of_python() -> Graph:
    files = {
        ".".join(f.relative_to(ROOT).with_suffix("").parts).removesuffix(".__init__"): f
        for package in ("heron", "server", "tools")
        for f in (ROOT / package).rglob("*.py")
    }

    def needed(name: str, file: Path) -> set[str]:
        found = set()
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.ImportFrom) and node.module:
                for alias in node.names:
                    whole = f"{node.module}.{alias.name}"
                    found.add(whole if whole in files else node.module)
            elif isinstance(node, ast.Import):
                found |= {alias.name for alias in node.names}
        return found & set(files) - {name}

    return {name: needed(name, file) for name, file in files.items()}


def of_the_interface() -> Graph:
    files = {str(f.with_suffix("")): f for f in (ROOT / "web" / "src").rglob("*.ts*")}

    def needed(file: Path) -> set[str]:
        named = re.findall(r'from "(\.[^"]+)"', file.read_text())
        return {os.path.normpath(file.parent / name) for name in named} & set(files)

    return {name: needed(file) for name, file in files.items()}


def circles(graph: Graph) -> list[list[str]]:
    """Modules that need each other."""
    names = sorted(graph)
    pairs = [(names.index(a), names.index(b)) for a in names for b in graph[a]]
    rows, columns = np.array(pairs).T
    shape = (len(names), len(names))
    edges = csr_matrix((np.ones(len(pairs)), (rows, columns)), shape)
    _, group = connected_components(edges, directed=True, connection="strong")
    together = [[n for n, g in zip(names, group, strict=True) if g == k] for k in set(group)]
    return [members for members in together if len(members) > 1]


def check(graph: Callable[[], Graph], least: int) -> None:
    found = graph()
    assert sum(map(len, found.values())) > least, "imports are found at all"
    assert circles(found) == []


def test_a_circle_would_be_found() -> None:
    assert circles({"a": {"b"}, "b": {"c"}, "c": {"a"}, "d": {"a"}}) == [["a", "b", "c"]]


def test_no_python_module_needs_itself() -> None:
    check(of_python, 1000)


def test_no_module_of_the_interface_needs_itself() -> None:
    check(of_the_interface, 200)
