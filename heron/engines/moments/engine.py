"""The moments engine behind the common contract: sweep, adaptive sampling, dataset."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import lru_cache
from time import perf_counter
from types import MappingProxyType
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.discretise import Gap, WireMesh, mesh_wires
from heron.discretise.held import Laid
from heron.engines import rational
from heron.engines.contract import (
    NO_INPUTS,
    Change,
    Forecast,
    Inputs,
    Stage,
    Verdict,
    View,
    band,
    no_inputs,
)
from heron.engines.lumped import element, networks
from heron.engines.moments.checks import problems
from heron.engines.moments.system import Complexes, Floats, WireSystem
from heron.engines.moments.trust import trust
from heron.engines.patience import attended
from heron.engines.progress import Event, FrequencySolved, Progress, Signal, silent
from heron.errors import ModelError, Stopped
from heron.fields.wires import radiated_power
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.feeds import is_spread
from heron.networks import y_to_s
from heron.problems import Problem
from heron.quantities.constants import C0
from heron.results.capabilities import TrustItem
from heron.steps.settings.moments import MOST_SEGMENTS

FIRST_SOLVES = 5  # Chebyshev-spaced, before the first prediction
CONFIRMATIONS = 2  # consecutive solves that must agree with the prediction made before them
COARSER = 1.6  # segments of the first of two rounds over those of the second
SAFETY = 0.3  # of the tolerance, for those agreements
PROJECTIONS = 24  # current samples that join the S-parameters in the rational fit
BYTES_MATRIX = 18  # per pair of unknowns: the matrix, factored in place
BYTES_CURRENT = 128  # per segment, frequency and port: complex ends, and copies of them
# of the measured rates: caches and other sizes make them differ so much
FASTEST, SLOWEST = 0.5, 2.0
BASE_BYTES = 2.5e8  # interpreter, libraries and compiled kernels


@dataclass
class MomentsDiscretisation:
    """Mesh plus ports in the order of their numbers."""

    mesh: WireMesh
    ports: list[int]
    unknowns: int

    @property
    def errors(self) -> list[Any]:
        """What the mesh could not take in."""
        return self.mesh.errors

    @property
    def held(self) -> bool:
        """Whether its segments are those of another variant."""
        return self.mesh.held


@dataclass
class _Sample:
    s: Complexes  # (P, P)
    currents: Complexes  # (n, 2, P) A for unit incident wave at each port


class MomentsEngine:
    """Wires in open space or above a perfect ground plane."""

    name = "moments"
    views: Mapping[str, View] = MappingProxyType({})

    def stage(self, model: Evaluated, discretisation: Any) -> dict[str, Any]:
        """Wires' joints and the ends of their segments, m."""
        mesh = discretisation.mesh
        return {
            "mesh": {
                "joints": [asdict(j) for j in mesh.joints],
                "nodes": mesh.nodes.round(9).tolist(),
            }
        }

    def suits(self, model: Evaluated, geometry: Geometry) -> Verdict:
        reason = "all parts are wires, which the moments engine models exactly"
        return Verdict(2.0, reason, _refused(model, geometry))

    def checks(self, model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
        return problems(model, geometry, discretisation)

    def rounds(self, plan: Any) -> list[float]:
        return [COARSER, 1.0] if plan.rounds > 1 else [1.0]

    def cost(self, size: float) -> float:
        """Pairs of segments: a few hundred of them are filled, not factored."""
        return float(size**-2)

    def finer(self, plan: Any, factor: float) -> list[Change]:
        now = plan.settings.moments.segments_per_wavelength
        finer = min(float(np.ceil(now * factor)), MOST_SEGMENTS)
        words = "segments per wavelength"
        return [] if now >= finer else [Change("segments_per_wavelength", finer, words)]

    def longer(self, plan: Any) -> tuple[list[Change], float]:
        return [], 1.0

    def layout(self, model: Evaluated, geometry: Geometry, size: float = 1.0) -> list[Laid]:
        return self.discretise(model, geometry, size).mesh.laid

    def discretise(
        self, model: Evaluated, geometry: Geometry, size: float = 1.0, like: Sequence[Laid] = ()
    ) -> MomentsDiscretisation:
        plan = model.plan
        top = max(plan.f_start, plan.f_stop) if plan else 1e9
        per_wavelength = plan.settings.moments.segments_per_wavelength if plan else 50.0
        if top <= 0 or per_wavelength <= 0:
            raise ModelError(
                "frequencies and segments per wavelength must be above zero", ("plan",)
            )
        ground = (
            model.surround.height
            if model.surround is not None and model.surround.kind == "ground"
            else None
        )
        mesh = mesh_wires(
            geometry, model.feeds, model.loads, ground, size * C0 / top / per_wavelength, size, like
        )
        order = sorted(
            (i for i, f in enumerate(model.feeds) if f is not None),
            key=lambda i: model.feeds[i].number,
        )
        degree = mesh.degree()
        joints = degree[(degree > 1) & ~mesh.grounded]
        unknowns = int((joints - 1).sum() + degree[mesh.grounded].sum())
        return MomentsDiscretisation(mesh, order, unknowns)

    def forecast(self, model: Evaluated, discretisation: MomentsDiscretisation) -> Forecast:
        plan = model.plan
        n, m = len(discretisation.mesh.segments), discretisation.unknowns
        points = int(plan.points)
        solves = min(points, 11) if plan.settings.moments.sampling == "adaptive" else points
        pairs, factor = machine_rates()
        images = 2 if discretisation.mesh.ground is not None else 1
        each = images * n * n / pairs + 8 / 3 * m**3 / factor
        fields = points * n * 600 * 2 / (pairs * 4) + 0.1
        fewest = min(solves, FIRST_SOLVES + CONFIRMATIONS)
        rounds = sum(map(self.cost, self.rounds(plan))) * each
        ports = max(1, len(discretisation.ports))
        return Forecast(
            self.name,
            m,
            "unknowns",
            "segments_per_wavelength",
            solves,
            (
                Stage(
                    "solving",
                    rounds * solves,
                    FASTEST * rounds * fewest,
                    SLOWEST * rounds * points,
                    BYTES_MATRIX * m * m + BASE_BYTES,
                ),
                Stage(
                    "fields",
                    fields,
                    FASTEST * fields / 4,
                    SLOWEST * 4 * fields,
                    BYTES_CURRENT * points * n * ports + BASE_BYTES,
                ),
            ),
            base_bytes=BASE_BYTES,
        )

    def trust(self, results: xr.Dataset) -> list[TrustItem]:
        return trust(results)

    def solve(
        self,
        model: Evaluated,
        discretisation: MomentsDiscretisation,
        progress: Progress = silent,
        inputs: Inputs = NO_INPUTS,
    ) -> xr.Dataset:
        """Port parameters and currents at every point of the band.

        Stopping keeps the band between the lowest and highest frequency solved so far
        when the interpolation is usable, otherwise just the solved frequencies.
        """
        no_inputs(self.name, inputs)
        mesh, plan = discretisation.mesh, model.plan
        feeds = [model.feeds[i] for i in discretisation.ports]
        gaps = [mesh.feeds[i] for i in discretisation.ports]
        loads = [(mesh.loads[i], element(s)) for i, s in enumerate(model.loads) if s is not None]
        progress(Event("preparing", 0.0))
        system = WireSystem(mesh, gaps, loads, networks(feeds))
        z0 = np.array([f.impedance for f in feeds])
        grid = band(plan)
        sweep = _Sweep(system, z0, grid, plan.settings.moments, progress)
        sweep.run()
        kept, s, currents = sweep.results()
        progress(Event("fields", 0.9))
        return _dataset(system, feeds, gaps, z0, kept, s, currents, sweep)


def _refused(model: Evaluated, geometry: Geometry) -> list[str]:
    if model.document.illuminations:
        return ["the moments engine has no illuminations yet; the transient engine has"]
    if any(f.kind != "gap" for f in model.document.feeds):
        return [
            "the moments engine has gap feeds only; line and guide feeds and point dipoles are of"
            " the transient engine"
        ]
    if any(is_spread(f) for f in model.document.feeds):
        return ["the moments engine has no gaps that are spread over a width"]
    names = [f"“{b.name}”" for b in geometry.bodies]
    if not names:
        return []
    shown = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
    return [
        f"the moments engine models wires; {shown}"
        f" {'is a solid or sheet' if len(names) == 1 else 'are solids or sheets'}"
    ]


class _Sweep:
    """Chooses, solves and interpolates frequencies; ``error`` is the last checked prediction error
    in S.
    """

    def __init__(
        self, system: WireSystem, z0: Floats, grid: Floats, own: Any, progress: Progress
    ) -> None:
        self.system, self.z0, self.grid, self.own, self.progress = system, z0, grid, own, progress
        self.samples: dict[int, _Sample] = {}
        self.error = 0.0
        self.fraction = 0.0
        self.stopped = False
        self.status = "every point solved"

    def run(self) -> None:
        if self.own.sampling == "every" or len(self.grid) <= FIRST_SOLVES:
            for i in range(len(self.grid)):
                if not self._solve(i, (i + 1) / len(self.grid)):
                    return
            return
        n = len(self.grid)
        nodes = 0.5 * (1 - np.cos(np.pi * np.arange(FIRST_SOLVES) / (FIRST_SOLVES - 1)))
        for i in sorted({round(x * (n - 1)) for x in nodes}, key=lambda i: -abs(i - n / 2)):
            if not self._solve(i, len(self.samples) / 12):
                return
        agreed, before = 0, self._model(leave_out=self._last)
        while len(self.samples) < n:
            model = self._model()
            doubt = np.abs(model - before).max(axis=1)
            solved = np.fromiter(self.samples, dtype=int)
            doubt[solved] = -1
            # Where the models agree everywhere, the widest hole is the best place to look.
            if doubt.max() < 1e-2 * self.own.tolerance:
                doubt = np.abs(np.arange(n)[:, None] - solved[None, :]).min(axis=1).astype(float)
            i = int(doubt.argmax())
            if not self._solve(i, min(0.85, len(self.samples) / 14)):
                return
            self.error = float(np.abs(model[i] - self.samples[i].s.ravel()).max())
            agreed = agreed + 1 if self.error < SAFETY * self.own.tolerance else 0
            before = model
            if agreed >= CONFIRMATIONS:
                self.status = f"interpolated from {len(self.samples)} solves"
                return

    def _solve(self, i: int, fraction: float) -> bool:
        frequency = float(self.grid[i])
        solved = attended(
            lambda: self.system.solve(frequency),
            lambda: self.progress(Event("solving", self.fraction)),
        )
        if solved is None:
            return self._stop()
        y, coefficients = solved
        if not np.isfinite(y).all():
            raise ModelError(
                f"the system has no finite solution at {frequency / 1e6:g} MHz; look for parts that"
                " coincide"
            )
        s = y_to_s(y, self.z0)
        voltages = np.sqrt(self.z0)[:, None] * (np.eye(len(self.z0)) + s)
        self.samples[i] = _Sample(s, self.system.basis.end_currents(coefficients @ voltages))
        self._last = i
        news = FrequencySolved(
            frequency_hz=frequency,
            s11=(float(s[0, 0].real), float(s[0, 0].imag)),
            solved=len(self.samples),
        )
        self.fraction = 0.9 * fraction
        asked = self.progress(Event("solving", self.fraction, news))
        return self._stop() if asked is Signal.STOP else True

    def _stop(self) -> bool:
        if not self.samples:
            raise Stopped("stopped before the first frequency was solved")
        self.stopped = True
        self.status = f"stopped after {len(self.samples)} solves"
        return False

    def _features(self, order: list[int]) -> Complexes:
        """(samples, components): all S, and evenly spaced currents."""
        rows = []
        for i in order:
            currents = self.samples[i].currents.reshape(-1)
            pick = (
                np.linspace(0, len(currents) - 1, min(PROJECTIONS, len(currents)))
                .round()
                .astype(int)
            )
            rows.append(np.concatenate((self.samples[i].s.ravel(), currents[pick])))
        return np.array(rows)

    def _fit(self, order: list[int]) -> rational.Rational:
        x = self.grid[order] / self.grid[-1]
        return rational.fit(x, self._features(order), 0.01 * self.own.tolerance)

    def _model(self, leave_out: int | None = None) -> Complexes:
        """Interpolated S (grid, P²)."""
        order = sorted(i for i in self.samples if i != leave_out)
        fitted = self._fit(order)
        values = np.array([self.samples[order[k]].s.ravel() for k in fitted.support])
        return np.asarray(fitted.matrix(self.grid / self.grid[-1]) @ values)

    def results(self) -> tuple[NDArray[np.int64], Complexes, Complexes]:
        """Grid indices kept, S (f, P, P) and end currents (f, n, 2, P)."""
        order = sorted(self.samples)
        if len(order) == len(self.grid) or self.stopped:
            s = np.array([self.samples[i].s for i in order])
            return np.array(order), s, np.array([self.samples[i].currents for i in order])
        fitted = self._fit(order)
        rows = fitted.matrix(self.grid / self.grid[-1])
        chosen = [self.samples[order[k]] for k in fitted.support]
        s = np.tensordot(rows, np.array([c.s for c in chosen]), axes=1)
        currents = np.tensordot(rows, np.array([c.currents for c in chosen]), axes=1)
        for i in order:  # solved points stand as solved
            s[i], currents[i] = self.samples[i].s, self.samples[i].currents
        return np.arange(len(self.grid)), s, currents


def _dataset(
    system: WireSystem,
    feeds: list[Any],
    gaps: list[Gap],
    z0: Floats,
    kept: NDArray[np.int64],
    s: Complexes,
    currents: Complexes,
    sweep: _Sweep,
) -> xr.Dataset:
    frequency = sweep.grid[kept]
    currents = np.ascontiguousarray(np.moveaxis(currents, 3, 1))  # (f, P, n, 2)
    mesh = system.mesh
    radiated = np.empty((len(frequency), len(feeds), len(feeds)), dtype=complex)
    conductor = np.zeros_like(radiated)
    load = np.zeros_like(radiated)
    mass = np.array([[2.0, 1.0], [1.0, 2.0]]) / 6
    for f, hz in enumerate(frequency):
        if f % 10 == 0:
            asked = sweep.progress(Event("fields", 0.9 + 0.1 * f / len(frequency)))
            if asked is Signal.STOP and not sweep.stopped:
                raise Stopped("stopped while fields were worked out, before there were any")
        radiated[f] = radiated_power(mesh, currents[f], float(hz))
        resistance = system.wire_impedance(float(hz)).real * mesh.length
        conductor[f] = 0.5 * np.einsum(
            "psi,ij,s,qsj->pq", currents[f].conj(), mass, resistance, currents[f]
        )
        for (_, weights, *_), z in zip(
            system.loads, system.load_impedances(float(hz)), strict=True
        ):
            through = np.einsum("psi,si->p", currents[f], weights)
            load[f] += 0.5 * z.real * np.outer(through.conj(), through)
    voltage = np.sqrt(z0)[:, None] * (np.eye(len(z0)) + s)
    load += system.networks.loss(
        frequency, np.einsum("fpsi,nsi->fnp", currents, system.feed_weights), voltage
    )
    drive = np.array([np.sqrt(2) * f.amplitude * np.exp(1j * f.phase) for f in feeds])
    ports = [f.number for f in feeds]
    power = {"units": "W", "long_name": "Hermitian form over incident waves a: power = aᴴ M a"}
    return xr.Dataset(
        {
            "s": (
                ("frequency", "port", "port_in"),
                s,
                {"units": "1", "long_name": "scattering matrix"},
            ),
            "z0": (("port",), z0, {"units": "ohm"}),
            "drive": (
                ("port",),
                drive,
                {"units": "W^0.5", "long_name": "peak incident wave; |a|²/2 is available power"},
            ),
            "current": (
                ("frequency", "port_in", "segment", "end"),
                currents,
                {
                    "units": "A",
                    "long_name": (
                        "current at segment ends for unit incident wave, others terminated"
                    ),
                },
            ),
            "solved": (
                ("frequency",),
                np.isin(kept, list(sweep.samples)),
                {"long_name": "solved rather than interpolated"},
            ),
            "radiated_form": (("frequency", "port", "port_in"), radiated, power),
            "conductor_loss_form": (("frequency", "port", "port_in"), conductor, power),
            "load_loss_form": (("frequency", "port", "port_in"), load, power),
            "segment_start": (("segment", "axis"), mesh.start, {"units": "m"}),
            "segment_end": (("segment", "axis"), mesh.end, {"units": "m"}),
            "segment_radius": (("segment",), mesh.radius, {"units": "m"}),
            "segment_part": (("segment",), mesh.part),
            "segment_span": (
                ("segment", "end"),
                mesh.span,
                {"units": "1", "long_name": "fractions of the part's length"},
            ),
            "feed_point": (("port", "axis"), mesh.nodes[[g.node for g in gaps]], {"units": "m"}),
        },
        coords={
            "frequency": ("frequency", frequency, {"units": "Hz"}),
            "port": ports,
            "port_in": ports,
            "axis": ["x", "y", "z"],
        },
        attrs={
            "engine": "moments",
            "radiator": "wires",
            "provides": json.dumps(["ports", "power", "far field"]),
            "convention": "exp(+jωt), peak phasors, SI units",
            "unknowns": system.basis.size,
            "solves": len(sweep.samples),
            "interpolation_error": sweep.error,
            "status": sweep.status,
            "stopped": int(sweep.stopped),
            "part_names": [p.name for p in mesh.parts],
            "ground": "none" if mesh.ground is None else repr(mesh.ground),
        },
    )


@lru_cache(maxsize=1)
def machine_rates() -> tuple[float, float]:
    """This machine's segment pairs per second and factorisation rate (Flop/s), measured once per
    process.
    """
    from heron.engines.moments import calibration

    started = perf_counter()
    n = calibration.SEGMENTS
    system = calibration.straight_wire(n)
    system.matrix(1e9)
    started = perf_counter()
    matrix = system.matrix(1e9)
    pairs = n * n / (perf_counter() - started)
    return pairs, calibration.factor_rate(matrix)
