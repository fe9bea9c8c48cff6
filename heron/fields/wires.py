"""Fields of wire currents: far and near, with the ground plane's images."""

from __future__ import annotations

import numpy as np
import xarray as xr
from numba import njit, prange
from numpy.typing import NDArray

from heron.fields.phases import cos_sin
from heron.quantities.constants import C0, EPS0, MU0

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

FOUR_PI = 4.0 * np.pi
# lengths of a segment, beyond which two nodes do: 1/R³ is off by (1/FAR)⁴/12 at most, 6e-5
FAR = 6.0
# two nodes on a segment, of weight one half each
_T0, _T1 = (float(t) for t in 0.5 * (np.polynomial.legendre.leggauss(2)[0] + 1))
_G4, _W4 = (
    0.5 * (np.polynomial.legendre.leggauss(4)[0] + 1),
    0.5 * np.polynomial.legendre.leggauss(4)[1],
)


@njit(  # type: ignore[untyped-decorator]
    cache=True, parallel=True, nogil=True, fastmath={"contract", "nsz"}, error_model="numpy"
)
def _far_vector(
    start: Floats,
    end: Floats,
    radius: Floats,
    currents: NDArray[np.complex128],
    directions: Floats,
    k: float,
    out: NDArray[np.complex128],
) -> None:
    """∫ I t e^(+jk r̂·r') ds' for directions (d, 3) and end currents (c, n, 2) that flow evenly
    round their tubes: fills ``out`` (c, d, 3).

    Round a tube the mean of the phase is J0(k a sin α), α between the direction and the tube.
    """
    count = len(start)
    for d in prange(len(directions)):
        ux, uy, uz = directions[d, 0], directions[d, 1], directions[d, 2]
        # loops of their own, which take several nodes at a time; the first nodes of all, then the
        # second ones
        phase, ring = np.empty(2 * count), np.empty(2 * count)
        for s in range(count):
            dx, dy, dz = end[s, 0] - start[s, 0], end[s, 1] - start[s, 1], end[s, 2] - start[s, 2]
            along = ux * dx + uy * dy + uz * dz
            turned = (
                0.25
                * (k * radius[s]) ** 2
                * max(0.0, 1 - along * along / (dx * dx + dy * dy + dz * dz))
            )
            first = k * (ux * start[s, 0] + uy * start[s, 1] + uz * start[s, 2])
            phase[s], phase[count + s] = first + k * along * _T0, first + k * along * _T1
            ring[s] = 0.5 * (1 - turned * (1 - 0.25 * turned))
            ring[count + s] = ring[s]
        re, im = np.empty(2 * count), np.empty(2 * count)
        for n in range(2 * count):
            cosine, sine = cos_sin(phase[n])
            re[n], im[n] = ring[n] * cosine, ring[n] * sine
        for c in range(len(currents)):
            x_re, x_im, y_re, y_im, z_re, z_im = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            for s in range(count):
                a, b = currents[c, s, 0], currents[c, s, 1]
                i_re, i_im = a.real * (1 - _T0) + b.real * _T0, a.imag * (1 - _T0) + b.imag * _T0
                j_re, j_im = a.real * (1 - _T1) + b.real * _T1, a.imag * (1 - _T1) + b.imag * _T1
                n = count + s
                v_re = re[s] * i_re - im[s] * i_im + re[n] * j_re - im[n] * j_im
                v_im = re[s] * i_im + im[s] * i_re + re[n] * j_im + im[n] * j_re
                x_re += v_re * (end[s, 0] - start[s, 0])
                x_im += v_im * (end[s, 0] - start[s, 0])
                y_re += v_re * (end[s, 1] - start[s, 1])
                y_im += v_im * (end[s, 1] - start[s, 1])
                z_re += v_re * (end[s, 2] - start[s, 2])
                z_im += v_im * (end[s, 2] - start[s, 2])
            out[c, d, 0] = complex(x_re, x_im)
            out[c, d, 1] = complex(y_re, y_im)
            out[c, d, 2] = complex(z_re, z_im)


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _near_fields(
    start: Floats,
    end: Floats,
    radius: Floats,
    currents: NDArray[np.complex128],
    points: Floats,
    k: float,
    along_factor: float,
    charge_factor: float,
    e: NDArray[np.complex128],
    h: NDArray[np.complex128],
) -> None:
    """E and H (c, n, 3) at points (n, 3).

    E = -jωμ ∫ I t G ds' - (1/jωε)·(-1)·∫ (dI/ds') ∇G ds' with ``along_factor`` = ωμ/4π and
    ``charge_factor`` = 1/(ωε 4π); H = (1/4π) ∫ ∇G × t I ds'. Panels are halved towards the point.
    """
    for n in prange(len(points)):
        found = np.zeros((len(currents), 12))  # real and imaginary parts of E and H
        px, py, pz = points[n, 0], points[n, 1], points[n, 2]
        for s in range(len(start)):
            dx, dy, dz = end[s, 0] - start[s, 0], end[s, 1] - start[s, 1], end[s, 2] - start[s, 2]
            length = np.sqrt(dx * dx + dy * dy + dz * dz)
            tx, ty, tz = dx / length, dy / length, dz / length
            rx, ry, rz = px - start[s, 0], py - start[s, 1], pz - start[s, 2]
            along = rx * tx + ry * ty + rz * tz
            lateral2 = max(0.0, rx * rx + ry * ry + rz * rz - along * along)
            foot = min(length, max(0.0, along))
            distance = np.sqrt(lateral2 + (along - foot) ** 2 + radius[s] ** 2)
            far = distance > FAR * length
            # Panels grow geometrically from the foot of the perpendicular.
            for side in range(2):
                span = length - foot if side == 0 else foot
                direction = 1.0 if side == 0 else -1.0
                low = 0.0
                while low < span * (1 - 1e-12):
                    high = min(span, low + max(2.0 * distance, 1.5 * low))
                    for g in range(2 if far else 4):
                        node, weight = (_T1 if g else _T0, 0.5) if far else (_G4[g], _W4[g])
                        at = foot + direction * (low + (high - low) * node)
                        w = (high - low) * weight
                        x, y, z = rx - at * tx, ry - at * ty, rz - at * tz
                        rr = x * x + y * y + z * z + radius[s] ** 2
                        r = np.sqrt(rr)
                        cosine, sine = cos_sin(k * r)
                        # the wave e^(-jkr)/r, and (1/R) dG/dR · 4π
                        wave_re, wave_im = cosine / r, -sine / r
                        slope_re = (k * r * wave_im - wave_re) / rr
                        slope_im = -(k * r * wave_re + wave_im) / rr
                        share = at / length
                        for c in range(len(currents)):
                            a, b = currents[c, s, 0], currents[c, s, 1]
                            fall_re, fall_im = b.real - a.real, b.imag - a.imag
                            i_re, i_im = a.real + fall_re * share, a.imag + fall_im * share
                            axial_re = w * along_factor * (i_re * wave_im + i_im * wave_re)
                            axial_im = -w * along_factor * (i_re * wave_re - i_im * wave_im)
                            own = w * charge_factor / length
                            charge_re = own * (fall_re * slope_im + fall_im * slope_re)
                            charge_im = -own * (fall_re * slope_re - fall_im * slope_im)
                            turn_re = w * (i_re * slope_re - i_im * slope_im) / FOUR_PI
                            turn_im = w * (i_re * slope_im + i_im * slope_re) / FOUR_PI
                            hx, hy, hz = y * tz - z * ty, z * tx - x * tz, x * ty - y * tx
                            found[c, 0] += axial_re * tx + charge_re * x
                            found[c, 1] += axial_re * ty + charge_re * y
                            found[c, 2] += axial_re * tz + charge_re * z
                            found[c, 3] += axial_im * tx + charge_im * x
                            found[c, 4] += axial_im * ty + charge_im * y
                            found[c, 5] += axial_im * tz + charge_im * z
                            found[c, 6] += turn_re * hx
                            found[c, 7] += turn_re * hy
                            found[c, 8] += turn_re * hz
                            found[c, 9] += turn_im * hx
                            found[c, 10] += turn_im * hy
                            found[c, 11] += turn_im * hz
                    low = high
        for c in range(len(currents)):
            for axis in range(3):
                e[c, n, axis] = complex(found[c, axis], found[c, 3 + axis])
                h[c, n, axis] = complex(found[c, 6 + axis], found[c, 9 + axis])


class Sources:
    """Segments with end currents, images appended.

    :param currents: (c, n, 2) A along the segments.
    """

    def __init__(
        self, start: Floats, end: Floats, radius: Floats, currents: Complexes, ground: float | None
    ) -> None:
        self.start, self.end, self.radius = start, end, radius
        self.currents = np.ascontiguousarray(currents)
        if ground is not None:
            flip = np.array([1.0, 1.0, -1.0])
            up = np.array([0.0, 0.0, 2 * ground])
            self.start = np.vstack((start, start * flip + up))
            self.end = np.vstack((end, end * flip + up))
            self.radius = np.concatenate((radius, radius))
            self.currents = np.concatenate((self.currents, -self.currents), axis=1)

    def reach(self) -> tuple[Floats, float]:
        """Centre (3,) and radius of what radiates, m."""
        ends = np.vstack((self.start, self.end))
        centre = (ends.min(axis=0) + ends.max(axis=0)) / 2
        return centre, float(np.linalg.norm(ends - centre, axis=1).max())

    def far_field(self, theta: Floats, phi: Floats, frequency: float) -> Complexes:
        """r·E e^(jkr) as (c, d, 2): θ and φ components in V, for directions θ, φ (d,) in
        radians.
        """
        omega = 2 * np.pi * frequency
        st, ct, sp, cp = np.sin(theta), np.cos(theta), np.sin(phi), np.cos(phi)
        directions = np.column_stack((st * cp, st * sp, ct))
        vector = np.empty((len(self.currents), len(directions), 3), dtype=complex)
        _far_vector(
            self.start, self.end, self.radius, self.currents, directions, omega / C0, vector
        )
        factor = -1j * omega * MU0 / (4 * np.pi)
        e_theta = vector[..., 0] * ct * cp + vector[..., 1] * ct * sp - vector[..., 2] * st
        e_phi = -vector[..., 0] * sp + vector[..., 1] * cp
        return np.asarray(factor * np.stack((e_theta, e_phi), axis=-1))

    def near_field(self, points: Floats, frequency: float) -> tuple[Complexes, Complexes]:
        """E (V/m) and H (A/m), each (c, n, 3), at points (n, 3)."""
        omega = 2 * np.pi * frequency
        e = np.empty((len(self.currents), len(points), 3), dtype=complex)
        h = np.empty_like(e)
        _near_fields(
            self.start,
            self.end,
            self.radius,
            self.currents,
            np.ascontiguousarray(points),
            omega / C0,
            omega * MU0 / (4 * np.pi),
            1 / (omega * EPS0 * 4 * np.pi),
            e,
            h,
        )
        return e, h


def read(results: xr.Dataset, index: int, incident: Complexes) -> Sources:
    """The currents of a run under incident waves (P,) at sweep point ``index``."""
    currents = np.einsum("p,psi->si", incident, results.variables["current"].values[index])[None]
    ground = None if results.attrs["ground"] == "none" else float(results.attrs["ground"])
    return Sources(
        results.variables["segment_start"].values,
        results.variables["segment_end"].values,
        results.variables["segment_radius"].values,
        currents,
        ground,
    )
