"""``study``: many variants of a model to figures, a table and a dataset."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Any

from heron.cli._models import document_of
from heron.errors import HeronError
from heron.model import Document
from heron.studies.contract import Point, Trial
from heron.studies.here import Here
from heron.studies.kinds import made, named, step_of
from heron.studies.outcomes import outcome
from heron.studies.record import save
from heron.studies.sensitivity import STEP
from heron.studies.tune import METHODS
from heron.studies.variables import Choice, Variable

HELP = "solve many variants of a model: sweep, tune, tolerance, sensitivity, rescale"
BUDGET, SAMPLES = 60, 128


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("model", type=Path)
    kinds = parser.add_argument_group("what to study, one of these")
    kinds.add_argument("--study", metavar="NAME", help="one of the studies of the model")
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
    more.add_argument(
        "--solved", type=int, help="tolerance: so many samples; a surrogate predicts the others"
    )
    more.add_argument("--spec", action="append", default=[], metavar="SPEC LINE", help="tolerance")
    more.add_argument(
        "--correlate",
        action="append",
        default=[],
        metavar="name,name=VALUE",
        help="tolerance: how much two parameters go together, from -1 to 1",
    )
    more.add_argument(
        "--step", type=float, default=STEP, help="sensitivity: share of each parameter"
    )
    more.add_argument(
        "--by",
        action="append",
        default=[],
        metavar="name",
        help="rescale: these alone; unless given, those from which all lengths follow",
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
            "a study is one of --study, --sweep, --tune, --tolerance, --sensitivity and --rescale"
            + (f", not {' and '.join(f'--{a}' for a in asked)}" if asked else "")
        )
    step = KINDS[asked[0]](args, document)
    more = [*step.outcomes, *args.outcome]
    plan = args.plan or step.plan
    found = made(step.model_copy(update={"outcomes": more, "plan": plan}), document)
    with Here(
        args.model,
        found.variables,
        [outcome(text) for text in found.outcomes],
        plan or None,
        args.engine,
        args.workers,
        args.out / "variants",
        found.alike,
        _silent if args.quiet else _line(found.variables),
    ) as solve:
        findings = found.study.run(solve)
    if not args.quiet:
        print(file=sys.stderr)
    save(args.out, found.study.kind, found.variables, findings, found.lists)
    return 0


def split(text: str, what: str) -> tuple[str, str]:
    """Name and the rest of ``name=…``.

    :raises HeronError: it is no such thing.
    """
    name, equals, rest = text.partition("=")
    if not equals or not name.strip() or not rest.strip():
        raise HeronError(f"{what}, not “{text}”")
    return name.strip(), rest.strip()


def _named(args: argparse.Namespace, document: Document) -> Any:
    return named(document, args.study)


def _sweep(args: argparse.Namespace, document: Document) -> Any:
    pairs = [split(t, "--sweep takes name=start:stop:count or name=v1,v2,…") for t in args.sweep]
    return step_of(
        "sweep",
        name="sweep",
        vary=[{"parameter": name, "values": _values(text)} for name, text in pairs],
        together="side by side" if args.side_by_side else "in all combinations",
    )


def _values(text: str) -> str:
    """Values of a sweep as a step has them."""
    parts = [p.strip() for p in text.split(":")]
    if len(parts) == 1:
        return " or ".join(t.strip() for t in _listed(text))
    ratios = " of equal ratios" if parts[-1] == "log" else ""
    if parts[-1] in ("log", "linear"):
        parts.pop()
    if len(parts) != 3 or not parts[2].isdigit():
        raise HeronError(
            f"“{text}” is no range; write start:stop:count, or values with commas between"
        )
    return f"{parts[0]} to {parts[1]} in {parts[2]} steps{ratios}"


def _listed(text: str) -> Iterable[str]:
    """What stands between commas that are not within brackets."""
    depth, own = 0, ""
    for letter in text:
        depth += {"(": 1, ")": -1}.get(letter, 0)
        if letter == "," and depth == 0:
            yield own
            own = ""
        else:
            own += letter
    yield own


def _tune(args: argparse.Namespace, document: Document) -> Any:
    pairs = [split(t, "--vary takes name=low:high") for t in args.vary]
    if not pairs:
        raise HeronError("tuning needs parameters that may change: --vary name=low:high")
    return step_of(
        "tune",
        name="tune",
        vary=[{"parameter": name, "range": text.replace(":", " to ")} for name, text in pairs],
        goals=args.tune,
        constraints=args.constraint,
        budget=str(args.budget),
        method=args.method,
    )


def _tolerance(args: argparse.Namespace, document: Document) -> Any:
    pairs = [split(t, "--tolerance takes name=spread, such as L=0.1 mm") for t in args.tolerance]
    together = [split(t, "--correlate takes name,name=value") for t in args.correlate]
    return step_of(
        "tolerance",
        name="tolerance",
        spreads=[{"parameter": name, "spread": text} for name, text in pairs],
        specs=args.spec,
        samples=str(args.samples),
        solved=None if args.solved is None else str(args.solved),
        correlations=[
            {"first": a.strip(), "second": b.strip(), "value": value}
            for names, value in together
            for a, _, b in [names.partition(",")]
        ],
    )


def _sensitivity(args: argparse.Namespace, document: Document) -> Any:
    return step_of(
        "sensitivity", name="sensitivity", parameters=args.sensitivity, step=str(args.step)
    )


def _rescale(args: argparse.Namespace, document: Document) -> Any:
    return step_of("rescale", name="rescale", wished=args.rescale, parameters=args.by)


KINDS: dict[str, Callable[[argparse.Namespace, Document], Any]] = {
    "study": _named,
    "sweep": _sweep,
    "tune": _tune,
    "tolerance": _tolerance,
    "sensitivity": _sensitivity,
    "rescale": _rescale,
}


def _silent(trial: Trial, done: int) -> None:
    pass


def _line(variables: Sequence[Variable | Choice]) -> Callable[[Trial, int], None]:
    def tell(trial: Trial, done: int) -> None:
        said = _words(variables, trial.point)
        state = trial.failure or ("known" if trial.known else f"{trial.seconds:.2g} s")
        print(f"\r{done:>5}  {said}  {state}"[:110].ljust(110), end="", file=sys.stderr, flush=True)

    return tell


def _words(variables: Sequence[Variable | Choice], point: Point) -> str:
    shown = ((v, v.shown(c)) for v, c in zip(variables, point, strict=True))
    return ", ".join(
        f"{v.name} {c if isinstance(c, str) else f'{c:.5g}'} {v.unit}".strip() for v, c in shown
    )
