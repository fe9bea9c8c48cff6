"""``solve``: a model to a folder of files."""

from __future__ import annotations

import argparse
import sys

from heron.cli._models import add_model, document_of, overrides_of
from heron.engines import Event, Signal, silent
from heron.geometry.build import beside
from heron.jobs import Job, Variant, execute, save

HELP = "solve a model without a server"


def arguments(parser: argparse.ArgumentParser) -> None:
    add_model(parser)
    parser.add_argument("--engine")
    parser.add_argument(
        "--plan", help="the name of one of the model's plans; the first unless given"
    )
    parser.add_argument(
        "--noise-floor",
        action="store_true",
        help="solve an illuminated model without its parts: what leaks out of the total-field box",
    )
    parser.add_argument("--quiet", action="store_true")
    parser.add_argument(
        "--all",
        action="store_true",
        help="fields and patterns at every frequency, not only at those of the plan or the best",
    )


def run(args: argparse.Namespace) -> int:
    variant = Variant(overrides_of(args.overrides), args.plan, empty=args.noise_floor)
    job = Job(document_of(args.model), variant, beside(args.model), args.engine)
    done = execute(job, silent if args.quiet else _line)
    if not args.quiet:
        print(file=sys.stderr)
    save(done, args.out, args.all)
    return 0


def _line(event: Event, /) -> Signal:
    at = "" if event.news is None else f" {event.news.words}"
    line = f"\r{event.stage:<10} {100 * event.fraction:3.0f} %{at:<24}"
    print(line, end="", file=sys.stderr, flush=True)
    return Signal.CONTINUE
