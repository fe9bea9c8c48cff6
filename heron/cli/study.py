"""``study``: many variants of a model to figures, a table and a dataset."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from heron.cli._models import document_of
from heron.errors import HeronError
from heron.model import Document
from heron.quantities import Values, names_in
from heron.quantities.expressions import FREQUENCY, LENGTH, evaluate
from heron.studies.constraints import constraint
from heron.studies.contract import Point, Study, Trial
from heron.studies.here import Here
from heron.studies.minimise import METHODS
from heron.studies.outcomes import outcome
from heron.studies.record import save
from heron.studies.rescale import Rescale
from heron.studies.sensitivity import STEP, Sensitivity
from heron.studies.sweep import Sweep
from heron.studies.tolerance import Tolerance, spread
from heron.studies.tune import Tune, goal
from heron.studies.variables import Variable, box, combined, split, stepped, variables_of

HELP = "solve many variants of a model: sweep, tune, tolerance, sensitivity, rescale"
RESONANCE = "f where abs(s11) is smallest"
BUDGET, SAMPLES = 60, 128


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("model", type=Path)
    kinds = parser.add_argument_group("what to study, one of these")
    kinds.add_argument(
        "--sweep",
        action="append",
        default=[],
        metavar="name=start:stop:count[:log] | name=v1,v2,…",
        help="values of a parameter; several are combined",
    )
    kinds.add_argument("--tune", action="append", default=[], metavar="GOAL[; weight W]")
    kinds.add_argument(
        "--tolerance",
        action="append",
        default=[],
        metavar="name=SPREAD",
        help="0.1 mm or 5 %% (standard deviations), uniform 0.2 mm, normal 1 %% truncated at 2 %%",
    )
    kinds.add_argument("--sensitivity", action="append", default=[], metavar="name")
    kinds.add_argument(
        "--rescale",
        metavar="FREQUENCY",
        help="scale lengths by one ratio, so that the first outcome becomes this",
    )
    more = parser.add_argument_group("more of it")
    more.add_argument("--side-by-side", action="store_true", help="sweeps: first with first values")
    more.add_argument(
        "--vary", action="append", default=[], metavar="name=low:high", help="tune: what may change"
    )
    more.add_argument("--budget", type=int, default=BUDGET, help="tune: variants at most")
    more.add_argument("--method", choices=METHODS, default="auto", help="tune")
    more.add_argument(
        "--constraint", action="append", default=[], metavar="EXPRESSION < EXPRESSION", help="tune"
    )
    more.add_argument("--samples", type=int, default=SAMPLES, help="tolerance: variants")
    more.add_argument("--spec", action="append", default=[], metavar="SPEC LINE", help="tolerance")
    more.add_argument(
        "--step", type=float, default=STEP, help="sensitivity: share of each parameter"
    )
    more.add_argument(
        "--by",
        action="append",
        default=[],
        metavar="name",
        help="rescale: these alone; all lengths that follow from no other one unless given",
    )
    parser.add_argument(
        "--outcome",
        action="append",
        default=[],
        metavar="FORMULA",
        help="what to read off each variant, such as s11, db20(s11) at 868 MHz, largest gain, "
        "f where abs(s11) is smallest, or a spec line, of which the margin counts",
    )
    parser.add_argument("--plan", help="the name of one of the model's plans")
    parser.add_argument("--engine")
    parser.add_argument("--workers", type=int, default=0, help="processes; one for each core")
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--quiet", action="store_true")


def run(args: argparse.Namespace) -> int:
    document = document_of(args.model)
    asked = [kind for kind in KINDS if getattr(args, kind)]
    if len(asked) != 1:
        raise HeronError(
            "a study is one of --sweep, --tune, --tolerance, --sensitivity and --rescale"
            + (f", not {' and '.join(f'--{a}' for a in asked)}" if asked else "")
        )
    study, variables, outcomes, lists = KINDS[asked[0]](args, document)
    wanted = list(dict.fromkeys(outcomes))
    if not wanted:
        raise HeronError("nothing is read off the variants; give an --outcome, such as s11")
    with Here(
        args.model,
        variables,
        [outcome(text) for text in wanted],
        args.plan,
        args.engine,
        args.workers,
        args.out / "variants",
        _silent if args.quiet else _line(variables),
    ) as solve:
        found = study.run(solve)
    if not args.quiet:
        print(file=sys.stderr)
    save(args.out, study.kind, variables, found, lists)
    return 0


Made = tuple[Study, list[Variable], list[str], list[list[float]] | None]


def _sweep(args: argparse.Namespace, document: Document) -> Made:
    pairs = [split(t, "--sweep takes name=start:stop:count or name=v1,v2,…") for t in args.sweep]
    variables, values = variables_of(document, [n for n, _ in pairs])
    lists = [stepped(text, v, values) for v, (_, text) in zip(variables, pairs, strict=True)]
    study = Sweep(combined(lists, args.side_by_side))
    return study, variables, args.outcome, None if args.side_by_side else lists


def _tune(args: argparse.Namespace, document: Document) -> Made:
    pairs = [split(t, "--vary takes name=low:high") for t in args.vary]
    if not pairs:
        raise HeronError("tuning needs parameters that may change: --vary name=low:high")
    variables, values = variables_of(document, [n for n, _ in pairs])
    ranges = [_ends(text, v, values) for v, (_, text) in zip(variables, pairs, strict=True)]
    goals = [goal(text) for text in args.tune]
    study = Tune(
        variables,
        box(variables, ranges),
        goals,
        tuple(v.nominal for v in variables),
        args.budget,
        args.method,
        [constraint(text, document, variables) for text in args.constraint],
    )
    return study, variables, [*(g.text for g in goals), *args.outcome], None


def _ends(text: str, variable: Variable, values: Values) -> tuple[float, float]:
    low, colon, high = text.partition(":")
    if not colon:
        raise HeronError(f"“{text}” is no range of “{variable.name}”; write low:high")
    return variable.value(low, values), variable.value(high, values)


def _tolerance(args: argparse.Namespace, document: Document) -> Made:
    pairs = [split(t, "--tolerance takes name=spread, such as L=0.1 mm") for t in args.tolerance]
    variables, values = variables_of(document, [n for n, _ in pairs])
    spreads = [spread(text, v, values) for v, (_, text) in zip(variables, pairs, strict=True)]
    study = Tolerance(spreads, args.samples, args.spec)
    return study, variables, [*args.spec, *args.outcome], None


def _sensitivity(args: argparse.Namespace, document: Document) -> Made:
    variables, _ = variables_of(document, args.sensitivity)
    return Sensitivity(variables, args.step), variables, args.outcome, None


def _rescale(args: argparse.Namespace, document: Document) -> Made:
    wished = evaluate(args.rescale, {}, FREQUENCY).value
    variables, _ = variables_of(document, args.by or lengths_of(document))
    outcomes = args.outcome or [RESONANCE]
    return Rescale(variables, outcomes[0], wished), variables, outcomes, None


def lengths_of(document: Document) -> list[str]:
    """Parameters that are lengths and follow from no other parameter."""
    known = {p.name for p in document.parameters}
    free = [p.name for p in document.parameters if not names_in(p.expression) & known]
    return [v.name for v in variables_of(document, free)[0] if v.dimension == LENGTH]


KINDS: dict[str, Callable[[argparse.Namespace, Document], Made]] = {
    "sweep": _sweep,
    "tune": _tune,
    "tolerance": _tolerance,
    "sensitivity": _sensitivity,
    "rescale": _rescale,
}


def _silent(trial: Trial, done: int) -> None:
    pass


def _line(variables: Sequence[Variable]) -> Callable[[Trial, int], None]:
    def tell(trial: Trial, done: int) -> None:
        said = _words(variables, trial.point)
        state = trial.failure or ("known" if trial.known else f"{trial.seconds:.2g} s")
        print(f"\r{done:>5}  {said}  {state}"[:110].ljust(110), end="", file=sys.stderr, flush=True)

    return tell


def _words(variables: Sequence[Variable], point: Point) -> str:
    return ", ".join(
        f"{v.name} {c:.5g} {v.unit}".strip() for v, c in zip(variables, point, strict=True)
    )
