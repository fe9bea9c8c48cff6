"""The command line, without server or database: each command is a file of this package, with
``HELP``, ``arguments(parser)`` and ``run(args)``.
"""

from __future__ import annotations

import argparse
import sys
from importlib import import_module
from pathlib import Path

from heron.errors import HeronError

BAD_INPUT = 2
COMMANDS = sorted(p.stem for p in Path(__file__).parent.glob("[!_]*.py"))


def main(argv: list[str] | None = None) -> int:
    """Runs one command; returns the exit code (2 for bad input)."""
    parser = argparse.ArgumentParser(prog="odd-heron")
    commands = parser.add_subparsers(dest="command", required=True)
    words = sys.argv[1:] if argv is None else argv
    asked = [name for name in COMMANDS if words[:1] == [name]] or COMMANDS
    for name in asked:  # one command does not load what others need
        command = import_module(f"heron.cli.{name}")
        own = commands.add_parser(name, help=command.HELP, description=command.HELP)
        command.arguments(own)
        own.set_defaults(run=command.run)
    args = parser.parse_args(argv)
    try:
        code: int = args.run(args)
        return code
    except HeronError as error:
        print(f"odd-heron: {error}", file=sys.stderr)
        return BAD_INPUT
    except OSError as error:
        print(f"odd-heron: {error.filename or ''}: {error.strerror}", file=sys.stderr)
        return BAD_INPUT
