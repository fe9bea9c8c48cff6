"""Surfaces that plane waves illuminate: what they scatter, absorb and receive."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.engines.moments.surface_system import SurfaceSystem
from heron.engines.patience import attended
from heron.engines.progress import Event, Progress, Signal
from heron.errors import Stopped
from heron.excitation.waves import plane_wave
from heron.model import Evaluated

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

POWER = {"units": "W", "long_name": "for 1 V/m of one illumination alone"}


def illuminated(
    model: Evaluated, system: SurfaceSystem, feeds: list[Any], grid: Floats, progress: Progress
) -> xr.Dataset:
    """Everything for each illumination alone at 1 V/m, solved at every frequency (f,) of the
    ``grid``, Hz. Stopping keeps the frequencies that are solved.

    :raises Stopped: before the first one was.
    """
    waves = [plane_wave(light) for light in model.illuminations]
    z0 = np.array([f.impedance for f in feeds])
    currents, received, ended, voltages = [], [], [], []
    for i, hz in enumerate(map(float, grid)):
        fraction = i / len(grid)
        solved = attended(
            lambda hz=hz: system.lit(hz, waves),  # type: ignore[misc]
            lambda done=fraction: progress(Event("solving", done)),  # type: ignore[misc]
        )
        if solved is None:
            break
        lit, out, power, voltage = _received(system, z0, hz, *solved)
        voltages.append(voltage)
        currents.append(lit)
        received.append(out)
        ended.append(power)
        if progress(Event("solving", 0.95 * (i + 1) / len(grid))) is Signal.STOP:
            break
    if not currents:
        raise Stopped("stopped before the first frequency was solved")
    frequency, stopped = grid[: len(currents)], len(currents) < len(grid)
    kept = np.moveaxis(np.array(currents), -1, 1)  # (f, waves, m)
    scattered, absorbed = np.empty(kept.shape[:2]), np.array(ended)
    for i, hz in enumerate(map(float, frequency)):
        scattered[i] = system.radiated(kept[i], hz).diagonal().real
        absorbed[i] += system.conductor_loss(kept[i], hz).diagonal().real
        loads = system.load_currents(kept[i])
        absorbed[i] += 0.5 * (np.abs(loads) ** 2) @ system.load_impedances(hz).real
    media = system.of_media(frequency, kept, np.array(voltages))
    if "dielectric_loss_form" in media:
        absorbed += np.einsum("fqq->fq", media.pop("dielectric_loss_form")[1]).real
    drive = [light.amplitude * np.exp(1j * light.phase) for light in model.illuminations]
    return xr.Dataset(
        {
            "s": (
                ("frequency", "port", "port_in"),
                np.array(received),
                {"units": "W^0.5 m/V", "long_name": "wave that leaves a port for 1 V/m"},
            ),
            "z0": (("port",), z0, {"units": "ohm"}),
            "drive": (
                ("port_in",),
                np.array(drive),
                {"units": "V/m", "long_name": "peak field at the origin"},
            ),
            "travels": (("port_in", "axis"), np.array([w.travels for w in waves])),
            "electric": (("port_in", "axis"), np.array([w.electric for w in waves])),
            "solved": (("frequency",), np.ones(len(frequency), dtype=bool)),
            "scattered_power": (("frequency", "port_in"), scattered, POWER),
            "absorbed_power": (("frequency", "port_in"), absorbed, POWER),
            **system.variables(kept),
            **media,
        },
        coords={
            "frequency": ("frequency", frequency, {"units": "Hz"}),
            "port": [f.number for f in feeds],
            "port_in": [light.name for light in model.illuminations],
            "axis": ["x", "y", "z"],
        },
        attrs={
            "engine": "moments",
            "provides": json.dumps(["scattering"]),
            "convention": "exp(+jωt), peak phasors, SI units",
            "unknowns": system.size,
            "solves": len(frequency),
            "interpolation_error": 0.0,
            "status": f"stopped after {len(frequency)} solves" if stopped else "every point solved",
            "stopped": int(stopped),
            "planes": "[]",
            **system.attributes(),
        },
    )


def _received(
    system: SurfaceSystem, z0: Floats, frequency: float, lit: Complexes, driven: Complexes
) -> tuple[Complexes, Complexes, Floats, Complexes]:
    """Currents (m, waves) with the ports ended by their impedances, from those with gaps shorted
    and those (m, P) of 1 V at each gap; waves (P, waves) that leave the ports, √W; the power
    (waves,) that networks and ports take, W; and voltages (P, waves) at the gaps.
    """
    f = np.array([frequency])
    behind = 1 / (1 / z0 + system.networks.shunt(f)[0])
    ends = system.networks.series(f)[0] + behind
    y, short = system.ports @ driven, system.ports @ lit
    current = np.linalg.solve(np.eye(len(z0)) + y * ends[None, :], short)
    voltage = -ends[:, None] * current
    power = 0.5 * (ends.real[:, None] * np.abs(current) ** 2).sum(axis=0)
    received = -behind[:, None] * current / np.sqrt(z0)[:, None]
    return lit + driven @ voltage, received, power, voltage
