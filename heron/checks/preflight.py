"""Everything that can be known before a run: values, shapes, mesh, problems with repairs, and a
forecast.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from heron.checks.captures import capture_problems
from heron.checks.dipoles import dipole_problems
from heron.checks.feeding import no_feed
from heron.checks.illuminations import illumination_problems, layer_problems
from heron.checks.openings import opening_problems
from heron.checks.repeats import repeat_problems
from heron.engines import ENGINES, Engine, Forecast, highest
from heron.engines.contract import Seen
from heron.errors import HeronError, ModelError
from heron.excitation.pulse import LEAST_LEVEL_DB, covered, pulse_of
from heron.geometry import Geometry, build_geometry
from heron.geometry.build import Files
from heron.model import Document, Evaluated, evaluate_document
from heron.model.feeds import ports_of
from heron.problems import Path, Problem, whole
from heron.quantities import engineering, evaluate
from heron.steps import kinds
from heron.steps.contract import SettingsKind

MAX_POINTS = 10_001  # frequencies of one plan
MEMORY_SHARE = 0.85  # of the memory where a run would be
MOST_ROUNDS = 5


@dataclass
class Held:
    """A model that its variants are divided like, with its geometry."""

    model: Evaluated
    geometry: Geometry
    _layouts: dict[tuple[str, float], Sequence[Any]] = field(default_factory=dict)

    def layout(self, engine: Engine, size: float) -> Sequence[Any]:
        """How an engine divides it, with cells or segments ``size`` times as large as asked for;
        nothing where it cannot.
        """
        key = engine.name, size
        if self.model.plan is None or not _usable(self.model, engine.name):
            return ()
        if key not in self._layouts:
            try:
                self._layouts[key] = engine.layout(self.model, self.geometry, size)
            except HeronError:
                self._layouts[key] = ()
        return self._layouts[key]


def held_to(document: Document, files: Files | None = None, plan: str | None = None) -> Held:
    """A document as its variants are held to it.

    :raises ModelError: there is no plan of that name.
    """
    model = evaluate_document(document, plan=plan)
    return Held(model, build_geometry(model, files))


@dataclass
class Examination:
    """A document looked at from every side.

    ``discretisation`` and ``forecast`` are ``None`` when errors prevent them. ``offers`` are what
    is not wrong but would be better. ``like`` is what its grid or mesh is held to.
    """

    model: Evaluated
    geometry: Geometry
    discretisation: Any = None
    forecast: Forecast | None = None
    engine: str = ""
    engine_reason: str = ""
    contacts: list[Any] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    offers: list[Problem] = field(default_factory=list)
    like: Held | None = None

    def discretised(self, size: float = 1.0) -> Any:
        """The model as its engine divides it, with cells or segments ``size`` times as large as
        the plan asks for.

        :raises HeronError: it cannot.
        """
        solver = ENGINES[self.engine]
        like = () if self.like is None else self.like.layout(solver, size)
        return solver.discretise(self.model, self.geometry, size, like)

    @property
    def errors(self) -> list[Problem]:
        """Problems that keep the model from being solved."""
        return [p for p in self.problems if p.level == "error"]

    @property
    def sound(self) -> bool:
        """Whether it can be solved."""
        return not self.errors


def examine(
    document: Document,
    overrides: Mapping[str, str] | None = None,
    engine: str | None = None,
    files: Files | None = None,
    empty: bool = False,
    plan: str | None = None,
    like: Held | None = None,
) -> Examination:
    """Evaluates, builds, meshes and judges a document; ``files`` gives imported files by name,
    ``empty`` leaves the parts out of the solve, ``plan`` names the one to solve by, ``like`` the
    model that its grid or mesh is held to.

    :raises ModelError: there is no plan of that name.
    """
    model = evaluate_document(document, overrides, plan)
    model.empty = empty
    if empty and not document.illuminations:
        model.errors.append(
            ModelError(
                "the noise floor is that of an illumination; add a plane wave",
                ("illuminations",),
            )
        )
    return examine_model(model, engine, files, like)


def examine_model(
    model: Evaluated,
    engine: str | None = None,
    files: Files | None = None,
    like: Held | None = None,
) -> Examination:
    """As :func:`examine`, from evaluated values. ``engine`` overrides the plan's choice."""
    report = _examined(model, engine, files, like)
    at = ("plans", model.plan_number)
    report.problems = [
        _at_source(_at_plan(problem, at), model.origins) for problem in report.problems
    ]
    return report


def _at_source(problem: Problem, origins: Mapping[int, Path]) -> Problem:
    """A problem of a part that a feed implies, at the feed; what would mend only the part is left
    out.
    """
    own = problem.path[1] if problem.path[:1] == ("parts",) and len(problem.path) > 1 else None
    if not isinstance(own, int) or own not in origins:
        return problem
    return replace(problem, path=(*origins[own], *problem.path[2:]), repair=[], repair_label="")


def _at_plan(problem: Problem, at: Path) -> Problem:
    """A problem of the plan, at the place of the plan among others."""
    if problem.path[:1] != ("plan",) and not any(r["path"][0] == "plan" for r in problem.repair):
        return problem
    repair = [
        {**r, "path": [*at, *r["path"][1:]]} if r["path"][0] == "plan" else r
        for r in problem.repair
    ]
    path = (*at, *problem.path[1:]) if problem.path[:1] == ("plan",) else problem.path
    return replace(problem, path=path, repair=repair)


def _examined(
    model: Evaluated, engine: str | None, files: Files | None, like: Held | None
) -> Examination:
    geometry = build_geometry(model, files)
    report = Examination(model, geometry, like=like)
    report.problems += [_located(e) for e in (*model.errors, *geometry.errors)]
    report.problems += _values(model, geometry)
    if geometry.bodies:
        from heron.checks.bodies import body_problems
        from heron.geometry.contacts import contacts

        report.contacts = contacts(geometry)
        report.problems += body_problems(model, geometry, report.contacts)
    report.engine, report.engine_reason = _choose(model, geometry, engine, report.problems)
    solver = ENGINES.get(report.engine)
    if solver is None or model.plan is None or not _usable(model, solver.name):
        return report
    try:
        report.discretisation = report.discretised()
    except HeronError as error:
        report.problems.append(_located(error))
        return report
    report.problems += [_located(e) for e in report.discretisation.errors]
    found = solver.checks(model, geometry, report.discretisation)
    report.problems += [p for p in found if p.level != "offer"]
    report.offers = [p for p in found if p.level == "offer"]
    report.forecast = solver.forecast(model, report.discretisation)
    return report


def _located(error: HeronError) -> Problem:
    return Problem("error", "invalid", error.message, path=error.path)


def _error(path: Path, message: str, why: str = "") -> Problem:
    return Problem("error", "invalid", message, why, path)


def _choose(
    model: Evaluated, geometry: Geometry, asked: str | None, problems: list[Problem]
) -> tuple[str, str]:
    name = asked or model.document.plans[model.plan_number].engine
    if name == "auto":
        return _best(model, geometry, problems)
    if name not in ENGINES:
        problems.append(
            _error(
                ("plan", "engine"), f"there is no engine “{name}”; there are {', '.join(ENGINES)}"
            )
        )
        return "", ""
    refused = ENGINES[name].suits(model, geometry).refused
    problems += [_error(("plan", "engine"), reason) for reason in refused]
    return ("", "") if refused else (name, "chosen in the plan")


def _best(model: Evaluated, geometry: Geometry, problems: list[Problem]) -> tuple[str, str]:
    """The engine that ranks itself highest; those that cannot rank higher are not asked."""
    best: tuple[float, str, str] | None = None
    refusals: list[tuple[float, str]] = []
    for name, engine in sorted(ENGINES.items(), key=lambda item: -highest(item[1])):
        if best is not None and best[0] >= highest(engine):
            break
        verdict = engine.suits(model, geometry)
        if verdict.refused:
            refusals.append((verdict.rank, verdict.refused[0]))
        elif best is None or verdict.rank > best[0]:
            best = verdict.rank, name, verdict.reason
    if best is not None:
        return best[1], best[2]
    problems.append(
        _error(
            ("plan", "engine"),
            f"no engine here solves this model yet: {min(refusals)[1]}",
            "it can be built, checked and exported",
        )
    )
    return "", ""


def _usable(model: Evaluated, engine: str) -> bool:
    """Whether an engine can lay out the model: its space, band and settings are sound."""
    p, margin = model.plan, model.surround.margin if model.surround is not None else None
    return bool(
        (margin is None or margin > 0)
        and p.f_start > 0
        and p.f_stop >= p.f_start
        and not any(_settings(p, engine))
    )


def _values(model: Evaluated, geometry: Geometry) -> list[Problem]:
    """Values that are wrong whatever the geometry."""
    out: list[Problem] = []
    names = [p.name for p in model.document.plans]
    out += [
        _error(("plans", i, "name"), f"another plan is called “{name}”; name them differently")
        for i, name in enumerate(names)
        if name in names[:i]
    ]
    if model.plan is not None:
        out += _plan(model.plan)
    out += _ranges(model)
    numbers: dict[int, int] = {}
    for i, f in enumerate(model.feeds):
        if f is None:
            continue
        for number in ports_of(f):
            if number in numbers:
                out.append(
                    _error(
                        ("feeds", i, "number"),
                        f"port {number} is already taken by feed {numbers[number] + 1}; number the"
                        " ports differently",
                    )
                )
            numbers[number] = i
        if f.kind == "dipole":
            out += dipole_problems(model, i, f)
        elif f.kind != "gap":
            out += opening_problems(i, f)
        elif f.impedance <= 0:
            out.append(
                _error(("feeds", i, "impedance"), "the reference impedance must be above zero")
            )
        elif f.network != "none":
            out += _lumped(("feeds", i), f, f.network == "parallel")
        if f.amplitude < 0:
            out.append(
                _error(
                    ("feeds", i, "amplitude"), "the amplitude must not be negative; use the phase"
                )
            )
    if model.document.illuminations:
        out += illumination_problems(model)
    elif not model.document.feeds:
        out.append(no_feed(model, geometry))
    elif all(f is not None and f.amplitude == 0 for f in model.feeds):
        out.append(_error(("feeds", 0, "amplitude"), "no feed is driven: every amplitude is zero"))
    for chapter in ("feeds", "illuminations"):
        for i, source in enumerate(getattr(model, chapter)):
            if (
                model.plan is not None
                and source is not None
                and (source.pulse_start is not None or source.pulse_stop is not None)
            ):
                out += _pulse((chapter, i), model.plan, source)
    if (
        model.surround is not None
        and model.surround.margin is not None
        and model.surround.margin <= 0
    ):
        out.append(
            _error(
                ("surround", "margin"),
                "the distance to the absorbing walls must be above zero; leave it out for a quarter"
                " of the longest wavelength",
            )
        )
    for i, s in enumerate(model.loads):
        if s is None:
            continue
        out += _lumped(("loads", i), s, s.kind == "parallel")
    out += capture_problems(model)
    out += layer_problems(model)
    out += repeat_problems(model)
    if not model.document.captures and not model.document.illuminations:
        far = {"kind": "far_field", "name": "far field", "theta_step": "5 deg", "phi_step": "5 deg"}
        out.append(
            Problem(
                "look",
                "no-capture",
                "no capture asks for a far field",
                "pattern.csv is written only for a far-field capture",
                ("captures",),
                repair=[{"path": ["captures", 0], "value": far}],
                repair_label="Add a far field",
            )
        )
    return out


def _lumped(here: Path, step: Any, parallel: bool) -> Iterator[Problem]:
    """R, L and C that are there, and none that shorts or divides by zero."""
    for name in ("resistance", "inductance", "capacitance"):
        value, least = getattr(step, name), name == "capacitance" or parallel
        if value is not None and (value < 0 or (least and value == 0)):
            yield _error(
                (*here, name),
                f"the {name} must"
                f" {'be above zero; leave it out for none' if least else 'not be negative'}",
            )
    if step.resistance is step.inductance is step.capacitance is None:
        yield _error((*here, "resistance"), "there is no R, L or C in it; give it one")


def _ranges(model: Evaluated) -> Iterator[Problem]:
    """Parameters outside the range in which they are said to make sense."""
    for i, p in enumerate(model.document.parameters):
        value = model.values.get(p.name)
        if value is None:
            continue
        for name, sign in (("low", 1), ("high", -1)):
            if not getattr(p, name):
                continue
            try:
                bound = evaluate(getattr(p, name), model.values, value.dimension).value
            except HeronError as error:
                yield _error(("parameters", i, name), error.message)
                continue
            if sign * (value.value - bound) < -1e-9 * abs(bound):
                side = "below" if sign > 0 else "above"
                yield Problem(
                    "look",
                    "range",
                    f"“{p.name}” is {side} {getattr(p, name)}, outside the range it was made for",
                    path=("parameters", i),
                )


def _plan(p: Any) -> Iterator[Problem]:
    if p.f_start <= 0:
        yield _error(("plan", "f_start"), "the band must start above 0 Hz")
    if p.f_stop < p.f_start:
        yield _error(
            ("plan", "f_stop"),
            f"the band ends ({engineering(p.f_stop, 'Hz')}) below its start"
            f" ({engineering(p.f_start, 'Hz')}); exchange them",
        )
    if not whole(p.points, 1, MAX_POINTS):
        yield _error(
            ("plan", "points"),
            f"the number of points must be a whole number from 1 to {MAX_POINTS}, not"
            f" {p.points:.10g}",
        )
    elif p.points > 1 and p.f_stop == p.f_start:
        yield _error(
            ("plan", "points"),
            "a band of one frequency has one point; set points to 1 or widen the band",
        )
    if not whole(p.rounds, 1, MOST_ROUNDS):
        yield _error(
            ("plan", "rounds"),
            f"the number of rounds is a whole one from 1 to {MOST_ROUNDS}: the last is as fine as"
            " the plan asks, those before it coarser",
        )
    for engine in ENGINES:
        yield from _settings(p, engine)
    yield from _pulse(("plan",), p)
    for i, f in enumerate(p.pattern_frequencies):
        if not p.f_start <= f <= p.f_stop:
            yield _error(
                ("plan", "pattern_frequencies", i), f"{engineering(f, 'Hz')} lies outside the band"
            )


def _settings(p: Any, engine: str) -> Iterator[Problem]:
    """What is wrong with an engine's settings."""
    kind = kinds("settings").get(engine)
    if isinstance(kind, SettingsKind):
        for name, message in kind.check(p, getattr(p.settings, engine)):
            yield _error(("plan", "settings", engine, name), message)


def _pulse(here: Path, p: Any, source: Any = None) -> Iterator[Problem]:
    """Of the plan, or of one source."""
    if p.f_start <= 0 or p.f_stop < p.f_start:
        return
    low, high, _ = covered(p, source)
    if low <= 0 or high < low:
        yield _error(
            (*here, "pulse_start" if low <= 0 else "pulse_stop"),
            "the pulse covers a band from above 0 Hz upwards; leave both ends out to cover the"
            " plan's",
        )
        return
    for name, f in (("pulse_start", p.f_start), ("pulse_stop", p.f_stop)):
        level = float(pulse_of(p, source).level(f))
        if level < -LEAST_LEVEL_DB:
            yield _error(
                (*here, name),
                f"at {engineering(f, 'Hz')} the pulse has fallen by {-level:.0f} dB, and results"
                " there would be noise; let it cover the band",
            )


def _memory_refusal(forecast: Forecast, there: float) -> Problem | None:
    """Why a machine with so many bytes of memory ``there`` cannot take a run."""
    if forecast.memory_bytes <= MEMORY_SHARE * there:
        return None
    what, needs, has = (
        forecast.field.replace("_", " "),
        f"{forecast.memory_bytes / 2**30:.1f} GiB",
        f"{there / 2**30:.1f} GiB",
    )
    return _error(
        ("plan", "settings", forecast.engine, forecast.field),
        f"the run needs about {needs} of memory, and there are {has} where it would run; ask for"
        f" fewer {what}, or make the model smaller",
    )


def judged_for(examination: Examination, there: float | None) -> Examination:
    """An examination with what is to be said of the memory where its run would be: so many bytes
    ``there``, ``None`` where that is not known. The machine that looks at a model may be another.
    """
    if examination.forecast is None or there is None:
        return examination
    refusal = _memory_refusal(examination.forecast, there)
    if refusal is None:
        return examination
    placed = _at_plan(refusal, ("plans", examination.model.plan_number))
    return replace(examination, problems=[*examination.problems, placed])


def view_of(examination: Examination, view: str, asked: Any) -> Seen:
    """A view of the model as its engine lays it out.

    :param asked: by the schema of the view.
    :raises ModelError: the engine has no such view, or the model cannot be laid out.
    """
    engine = ENGINES.get(examination.engine)
    if engine is None or examination.discretisation is None:
        first = examination.errors[0].message if examination.errors else "the model is not sound"
        raise ModelError(f"there is no {view} to look at: {first}")
    found = engine.views.get(view)
    if found is None:
        raise ModelError(
            f"there is no {view} to look at: the {engine.name} engine solves the model without one"
        )
    return found.show(
        engine, examination.model, examination.geometry, examination.discretisation, asked
    )
