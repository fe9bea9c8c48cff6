"""What every run of moments keeps: port parameters and powers, beside the currents."""

from __future__ import annotations

import json
from typing import Any, Protocol

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.engines.lumped import Networks
from heron.engines.moments.forms import radiated_forms
from heron.engines.moments.sweep import Sweep, System
from heron.engines.progress import Event, Signal
from heron.errors import Stopped

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


class Described(System, Protocol):
    """A system that says what its currents mean; currents ``c`` are (P, …) for unit incident
    waves, power forms (P, P) in W.
    """

    networks: Networks

    @property
    def size(self) -> int: ...

    def radiated(self, c: Complexes, frequency: float) -> Complexes: ...
    def conductor_loss(self, c: Complexes, frequency: float) -> Complexes: ...
    def load_currents(self, c: Complexes) -> Complexes:
        """(P, loads) A through the loads."""

    def load_impedances(self, frequency: float) -> Complexes: ...
    def gap_currents(self, c: Complexes) -> Complexes:
        """(gaps, P) A through the gaps of the ports."""

    def variables(self, currents: Complexes) -> dict[str, Any]:
        """What a dataset keeps of currents (f, P, …)."""

    def of_media(
        self, frequency: Floats, currents: Complexes, gap_voltage: Complexes
    ) -> dict[str, Any]:
        """What a dataset keeps of media at frequencies (f,) with currents (f, P, …) and voltages
        (f, gaps, P) at the gaps of ports: nothing where there are none.
        """

    def attributes(self) -> dict[str, Any]: ...


def dataset(system: Described, feeds: list[Any], z0: Floats, sweep: Sweep) -> xr.Dataset:
    """The results of a sweep that has run.

    :raises Stopped: somebody asked for it while powers were worked out.
    """
    found = sweep.results()
    kept, frequency = found.kept, sweep.grid[found.kept]
    s, currents = (np.tensordot(found.weights, of, axes=1) for of in (found.s, found.currents))

    done = iter(np.linspace(0.9, 1.0, 2 * len(frequency) + 2)[1:])  # more than are ever worked out

    def radiated_by(c: Complexes, hz: float) -> Complexes:
        event = Event("fields", float(next(done)))
        if sweep.progress(event) is Signal.STOP and not sweep.stopped:
            raise Stopped("stopped while fields were worked out, before there were any")
        return system.radiated(c, hz)

    radiated = radiated_forms(radiated_by, frequency, found.weights, found.currents)
    conductor = np.zeros_like(radiated)
    load = np.zeros_like(radiated)
    through = np.empty_like(radiated)
    for f, hz in enumerate(map(float, frequency)):
        conductor[f] = system.conductor_loss(currents[f], hz)
        loads = system.load_currents(currents[f])
        load[f] = 0.5 * (loads.conj() * system.load_impedances(hz).real) @ loads.T
        through[f] = system.gap_currents(currents[f])
    voltage = np.sqrt(z0)[:, None] * (np.eye(len(z0)) + s)
    at_gaps = voltage - system.networks.series(frequency)[..., None] * through
    load += system.networks.loss(frequency, through, voltage)
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
            "solved": (
                ("frequency",),
                np.isin(kept, list(sweep.samples)),
                {"long_name": "solved rather than interpolated"},
            ),
            "radiated_form": (("frequency", "port", "port_in"), radiated, power),
            "conductor_loss_form": (("frequency", "port", "port_in"), conductor, power),
            "load_loss_form": (("frequency", "port", "port_in"), load, power),
            **system.variables(currents),
            **system.of_media(frequency, currents, at_gaps),
        },
        coords={
            "frequency": ("frequency", frequency, {"units": "Hz"}),
            "port": ports,
            "port_in": ports,
            "axis": ["x", "y", "z"],
        },
        attrs={
            "engine": "moments",
            "provides": json.dumps(["ports", "power", "far field"]),
            "convention": "exp(+jωt), peak phasors, SI units",
            "unknowns": system.size,
            "solves": len(sweep.samples),
            "interpolation_error": sweep.error,
            "status": sweep.status,
            "stopped": int(sweep.stopped),
            **system.attributes(),
        },
    )
