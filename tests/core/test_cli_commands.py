"""The command line is its files: each is a command, and loads no more than it needs."""

from __future__ import annotations

import subprocess
import sys
from importlib import import_module
from pathlib import Path

import pytest

import heron.cli
from heron.cli import BAD_INPUT, COMMANDS, main
from heron.cli._models import overrides_of
from heron.errors import ModelError
from server.config import ROOT


def test_every_file_is_a_command() -> None:
    assert set(COMMANDS) >= {"solve", "geometry", "modes", "compare", "benchmark"}
    for name in COMMANDS:
        command = import_module(f"heron.cli.{name}")
        assert command.__doc__.startswith(f"``{name}``")
        assert command.HELP and command.HELP[0].islower() and not command.HELP.endswith(".")
        assert callable(command.arguments) and callable(command.run)


@pytest.mark.parametrize("name", COMMANDS)
def test_every_command_tells_its_arguments(name: str, capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit) as ended:
        main([name, "--help"])
    assert ended.value.code == 0
    said = " ".join(capsys.readouterr().out.split())
    assert f"usage: odd-heron {name}" in said
    assert " ".join(import_module(f"heron.cli.{name}").HELP.split()) in said


def test_without_a_command_all_are_listed(capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit) as ended:
        main([])
    assert ended.value.code == BAD_INPUT
    said = capsys.readouterr().err
    assert all(name in said for name in COMMANDS)


def test_a_new_file_would_be_a_command(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "ebb.py").write_text(
        '"""``ebb``: says how low."""\nHELP = "say how low the water is"\n'
        "def arguments(parser):\n    parser.add_argument('depth', type=float)\n"
        "def run(args):\n    print(f'{args.depth:g} m')\n    return 3\n"
    )
    monkeypatch.setattr(heron.cli, "__path__", [*heron.cli.__path__, str(tmp_path)])
    monkeypatch.setattr(heron.cli, "COMMANDS", [*COMMANDS, "ebb"])
    assert main(["ebb", "0.4"]) == 3
    assert capsys.readouterr().out == "0.4 m\n"


def test_overrides_are_names_and_expressions() -> None:
    assert overrides_of(["a=1 mm", " b = c + 2", "d=x==y"]) == {
        "a": "1 mm",
        "b": " c + 2",
        "d": "x==y",
    }
    for bad in ("a", "=1 mm", " = 2"):
        with pytest.raises(ModelError, match="name=expression"):
            overrides_of([bad])


def test_a_model_of_wires_loads_no_grid_and_no_exact_geometry(tmp_path: Path) -> None:
    """They take seconds to load."""
    code = (
        "import sys\nfrom heron.cli import main\n"
        f"main(['solve', {str(ROOT / 'examples' / 'ground-whip.json')!r}, '--quiet',"
        f" '--set', 'points=3', '--out', {str(tmp_path / 'out')!r}])\n"
        "heavy = ('heron.engines.transient', 'OCP', 'scipy.optimize', 'trimesh')\n"
        "print([m for m in sys.modules if m.startswith(heavy)])\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, check=True
    )
    assert done.stdout.strip() == "[]", done.stdout
