"""``modes``: those of a line or guide feed, without a run."""

from __future__ import annotations

import argparse
import json

from heron.checks import examine
from heron.checks.preflight import view_of
from heron.cli._models import add_model, document_of, overrides_of
from heron.engines import ENGINES
from heron.errors import ModelError
from heron.geometry.build import beside
from heron.model.feeds import MOST_MODES

HELP = "modes of a line or guide feed over the band, without a run"


def arguments(parser: argparse.ArgumentParser) -> None:
    add_model(parser)
    parser.add_argument("--port", type=int, default=1, help="number of the feed's first port")
    parser.add_argument("--modes", type=int, default=3, help="how many")
    parser.add_argument(
        "--frequency", type=float, help="of the fields, in Hz; the top of the band unless given"
    )


def run(args: argparse.Namespace) -> int:
    engine = next(name for name, e in ENGINES.items() if "modes" in e.views)
    document, overrides = document_of(args.model), overrides_of(args.overrides)
    examination = examine(document, overrides, engine, beside(args.model))
    number = next(
        (
            i
            for i, f in enumerate(examination.model.feeds)
            if f is not None and f.number == args.port and f.kind != "gap"
        ),
        None,
    )
    if number is None:
        raise ModelError(f"there is no line or guide feed with port {args.port}", ("feeds",))
    if not 1 <= args.modes <= MOST_MODES:
        raise ModelError(f"--modes takes 1 to {MOST_MODES}, not {args.modes}")
    asked = (
        ENGINES[engine]
        .views["modes"]
        .asks.model_validate({"feed": number, "frequency": args.frequency, "modes": args.modes})
    )
    found = view_of(examination, "modes", asked)
    args.out.mkdir(parents=True, exist_ok=True)
    for name, text in found.tables.items():
        (args.out / name).write_text(text())
    header = found.header
    summary = {
        "frequency_hz": header["at_hz"],
        "modes": [
            {"number": k + 1, "kind": kind, "cut_off_hz": cut_off}
            for k, (kind, cut_off) in enumerate(
                zip(header["kinds"], header["cut_off_hz"], strict=True)
            )
        ],
        "next_cut_offs_hz": header["following_hz"],
    }
    (args.out / "summary.json").write_text(json.dumps(summary, indent=1, allow_nan=False))
    return 0
