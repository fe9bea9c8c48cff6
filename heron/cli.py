"""The command line: ``solve``, ``modes``, ``geometry``, ``compare`` and ``bench``, without server
or database.
"""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from heron.checks import examine, examine_model
from heron.checks.preflight import look
from heron.engines import ENGINES, Event, Signal, silent
from heron.errors import HeronError, ModelError
from heron.formats import curves
from heron.geometry.build import beside
from heron.jobs import Job, Variant, execute, save
from heron.model import Document, evaluate_document, load_document
from heron.model.feeds import MOST_MODES
from heron.results import fsv

BAD_INPUT = 2
MAX_MODEL_BYTES = 20_000_000


def main(argv: list[str] | None = None) -> int:
    """Runs one command; returns the exit code (2 for bad input)."""
    parser = argparse.ArgumentParser(prog="odd-heron")
    commands = parser.add_subparsers(dest="command", required=True)
    solve = commands.add_parser("solve", help="solve a model without a server")
    geometry = commands.add_parser(
        "geometry", help="build a model's parts and write them as STEP, STL and glTF"
    )
    for command in (solve, geometry):
        command.add_argument("model", type=Path)
        command.add_argument(
            "--set", action="append", default=[], metavar="name=expression", dest="overrides"
        )
        command.add_argument("--out", type=Path, required=True)
    solve.add_argument("--engine")
    solve.add_argument(
        "--plan", help="the name of one of the model's plans; the first unless given"
    )
    solve.add_argument(
        "--noise-floor",
        action="store_true",
        help="solve a lit model without its parts: what leaks out of the box of total fields",
    )
    solve.add_argument("--quiet", action="store_true")
    solve.add_argument(
        "--all",
        action="store_true",
        help="fields and patterns at every frequency, not only at those of the plan or the best",
    )
    geometry.add_argument(
        "--deflection", type=float, help="of the STL's triangles from the exact surfaces, in m"
    )
    modes = commands.add_parser(
        "modes", help="modes of a line or guide feed over the band, without a run"
    )
    modes.add_argument("model", type=Path)
    modes.add_argument(
        "--set", action="append", default=[], metavar="name=expression", dest="overrides"
    )
    modes.add_argument("--out", type=Path, required=True)
    modes.add_argument("--port", type=int, default=1, help="number of the feed's first port")
    modes.add_argument("--modes", type=int, default=3, help="how many")
    modes.add_argument(
        "--frequency", type=float, help="of the fields, in Hz; the top of the band unless given"
    )
    bench = commands.add_parser("bench", help="measure this machine")
    bench.add_argument("name", choices=_benchmarks())
    bench.add_argument("--json", action="store_true")
    compare = commands.add_parser(
        "compare",
        help="grade the difference of two curves (IEEE Std 1597.1 feature selective validation)",
    )
    compare.add_argument("first", type=Path, help="two columns: abscissa and value")
    compare.add_argument("second", type=Path)
    compare.add_argument("--json", action="store_true")
    args = parser.parse_args(argv)
    try:
        return {
            "solve": _solve,
            "geometry": _geometry,
            "modes": _modes,
            "bench": _bench,
            "compare": _compare,
        }[args.command](args)
    except HeronError as error:
        print(f"odd-heron: {error}", file=sys.stderr)
        return BAD_INPUT
    except OSError as error:
        print(f"odd-heron: {error.filename or ''}: {error.strerror}", file=sys.stderr)
        return BAD_INPUT


def _overrides(pairs: list[str]) -> dict[str, str]:
    out = {}
    for pair in pairs:
        name, equals, expression = pair.partition("=")
        if not equals or not name.strip():
            raise ModelError(f"--set takes name=expression, not “{pair}”")
        out[name.strip()] = expression
    return out


def _document(model: Path) -> Document:
    if model.stat().st_size > MAX_MODEL_BYTES:
        raise ModelError(f"the model file is larger than {MAX_MODEL_BYTES // 1_000_000} MB")
    return load_document(model.read_bytes())


def _geometry(args: argparse.Namespace) -> int:
    from heron.formats.shapes import write_all

    model = evaluate_document(_document(args.model), _overrides(args.overrides))
    if model.errors:
        raise model.errors[0]
    args.out.mkdir(parents=True, exist_ok=True)
    summary = write_all(examine_model(model, files=beside(args.model)), args.out, args.deflection)
    (args.out / "summary.json").write_text(json.dumps(summary, indent=1, allow_nan=False))
    return 0


def _modes(args: argparse.Namespace) -> int:
    engine = next(name for name, e in ENGINES.items() if "modes" in e.views)
    document, overrides = _document(args.model), _overrides(args.overrides)
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
    found = look(examination, "modes", asked)
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


def _solve(args: argparse.Namespace) -> int:
    variant = Variant(_overrides(args.overrides), args.plan, empty=args.noise_floor)
    job = Job(_document(args.model), variant, beside(args.model), args.engine)
    done = execute(job, silent if args.quiet else _line)
    if not args.quiet:
        print(file=sys.stderr)
    save(done, args.out, args.all)
    return 0


def _compare(args: argparse.Namespace) -> int:
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


def _line(event: Event, /) -> Signal:
    at = "" if event.news is None else f" {event.news.words}"
    line = f"\r{event.stage:<10} {100 * event.fraction:3.0f} %{at:<24}"
    print(line, end="", file=sys.stderr, flush=True)
    return Signal.CONTINUE


def _benchmarks() -> list[str]:
    """Names of the benchmarks of this checkout."""
    folder = Path(__file__).parents[1] / "benchmarks"
    return sorted(p.stem for p in folder.glob("*.py") if "\ndef run(" in p.read_text())


def _bench(args: argparse.Namespace) -> int:
    from importlib import import_module

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


if __name__ == "__main__":
    sys.exit(main())
