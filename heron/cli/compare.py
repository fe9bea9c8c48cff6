"""``compare``: how alike two curves are."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from heron.errors import HeronError
from heron.formats import curves
from heron.results import fsv

HELP = "grade the difference of two curves (IEEE Std 1597.1 feature selective validation)"


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("first", type=Path, help="two columns: abscissa and value")
    parser.add_argument("second", type=Path)
    parser.add_argument("--json", action="store_true")


def run(args: argparse.Namespace) -> int:
    pairs = []
    for path in (args.first, args.second):
        if path.stat().st_size > curves.MOST_BYTES:
            raise HeronError(f"{path} is larger than {curves.MOST_BYTES // 1_000_000} MB")
        try:
            pairs.append(curves.two_columns(path.read_text(encoding="utf-8-sig"), str(path)))
        except HeronError as error:
            raise HeronError(f"{path}: {error.message}") from error
        except UnicodeDecodeError as error:
            raise HeronError(f"{path} is not text") from error
    found = fsv.compare(*pairs[0], *pairs[1])
    if args.json:
        print(
            json.dumps({"adm": found.adm, "fdm": found.fdm, "gdm": found.gdm, "grade": found.grade})
        )
    else:
        print(f"{found.grade}  ADM {found.adm:.4g}  FDM {found.fdm:.4g}  GDM {found.gdm:.4g}")
    return 0
