"""``geometry``: a model's parts as files, without a solve."""

from __future__ import annotations

import argparse
import json

from heron.checks import examine_model
from heron.cli._models import add_model, document_of, overrides_of
from heron.geometry.build import beside
from heron.model import evaluate_document

HELP = "build a model's parts and write them as STEP, STL and glTF"


def arguments(parser: argparse.ArgumentParser) -> None:
    add_model(parser)
    parser.add_argument(
        "--deflection", type=float, help="of the STL's triangles from the exact surfaces, in m"
    )


def run(args: argparse.Namespace) -> int:
    from heron.formats.shapes import write_all

    model = evaluate_document(document_of(args.model), overrides_of(args.overrides))
    if model.errors:
        raise model.errors[0]
    args.out.mkdir(parents=True, exist_ok=True)
    summary = write_all(examine_model(model, files=beside(args.model)), args.out, args.deflection)
    (args.out / "summary.json").write_text(json.dumps(summary, indent=1, allow_nan=False))
    return 0
