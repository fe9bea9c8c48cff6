"""``benchmark``: measure this machine, or check against formulas at length."""

from __future__ import annotations

import argparse
import json
from importlib import import_module
from pathlib import Path

HELP = "measure this machine"


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("name", choices=_benchmarks())
    parser.add_argument("--json", action="store_true")


def _benchmarks() -> list[str]:
    """Names of the benchmarks of this checkout."""
    folder = Path(__file__).parents[2] / "benchmarks"
    return sorted(p.stem for p in folder.glob("*.py") if "\ndef run(" in p.read_text())


def run(args: argparse.Namespace) -> int:
    rows = import_module(f"benchmarks.{args.name}").run()
    if args.json:
        print(json.dumps(rows))
    else:
        for row in rows:
            print(
                "  ".join(
                    f"{k} {v}" if isinstance(v, str) else f"{k} {v:.5g}" for k, v in row.items()
                )
            )
    return 0
