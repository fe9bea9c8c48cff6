"""Fields of equivalent currents on a Huygens surface: Balanis, *Advanced Engineering
Electromagnetics*, ch. 6 and 12.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
import xarray as xr
from numba import njit, prange
from numpy.typing import NDArray

from heron.fields.planes import Plane, mirrored, planes_in
from heron.quantities.constants import C0, ETA0

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


@njit(parallel=True, fastmath={"contract", "reassoc"}, cache=True)  # type: ignore[untyped-decorator]
def _vectors(
    x: Any, y: Any, z: Any, number: Any, j: Any, m: Any, k: Any, out: Any
) -> None:  # pragma: no cover - compiled
    """Radiation vectors N and L (waves, d, 6) of patches at places ``number`` (n, 3) of x, y and z,
    with moments (waves, n, 3), towards wave vectors (d, 3); each axis is (2, places): where they
    are in m, and what the grid adds to that, m³ times k².

    Patches on a box share few places along each axis, and a product of three phases takes a part of
    the time of one.
    """
    for d in prange(len(k)):
        a, b, c_ = k[d, 0], k[d, 1], k[d, 2]
        px, py, pz = (
            np.exp(1j * a * (x[0] + a * a * x[1])),
            np.exp(1j * b * (y[0] + b * b * y[1])),
            np.exp(1j * c_ * (z[0] + c_ * c_ * z[1])),
        )
        for n in range(len(number)):
            phase = px[number[n, 0]] * py[number[n, 1]] * pz[number[n, 2]]
            for w in range(len(j)):
                for c in range(3):
                    out[w, d, c] += j[w, n, c] * phase
                    out[w, d, 3 + c] += m[w, n, c] * phase


def spherical(theta: Floats, phi: Floats) -> tuple[Floats, Floats, Floats]:
    """Unit vectors (d, 3) outwards, along θ and along φ, in directions (d,) in rad."""
    st, ct, sp, cp = np.sin(theta), np.cos(theta), np.sin(phi), np.cos(phi)
    return (
        np.column_stack((st * cp, st * sp, ct)),
        np.column_stack((ct * cp, ct * sp, -st)),
        np.column_stack((-sp, cp, np.zeros_like(sp))),
    )


class Lattice(NamedTuple):
    """The grid inside a surface: its lines along x, y and z, m, and its time step, s.

    Waves lag in it, by more along an axis than along a diagonal.
    """

    lines: tuple[Floats, Floats, Floats]
    dt: float

    def wave_number(self, frequency: float) -> float:
        """That of differences over a time step, rad/m: waves have 2/Δ sin(k Δ/2) of it along each
        axis (Taflove and Hagness, ch. 4).
        """
        return float(2 / (C0 * self.dt) * np.sin(np.pi * frequency * self.dt))

    def lag(self, axis: int, places: Floats) -> Floats:
        """(n,) m³ that the cells from the first line on add to places along an axis, times k²: 2
        asin(k Δ/2) is the phase over a cell, here to third order.
        """
        line = self.lines[axis]
        return np.interp(places, line, np.append(0.0, np.cumsum(np.diff(line) ** 3)) / 24)


def far_field(
    points: Floats,
    j: Complexes,
    m: Complexes,
    theta: Floats,
    phi: Floats,
    frequency: float,
    lattice: Lattice | None = None,
) -> Complexes:
    """r·E e^(jkr) (waves, d, 2) in V, θ and φ components, of moments (waves, n, 3): −jk/4π (Lφ + η
    Nθ) and jk/4π (Lθ − η Nφ).

    With a ``lattice``, phases from the middle of the points are those of its waves, which the
    recorded fields have: what is scattered forwards from there is then in step with the wave that
    illuminated it, on whose difference in phase extinction depends.
    """
    k = 2 * np.pi * frequency / C0
    direction, along_theta, along_phi = spherical(theta, phi)
    out = np.zeros((len(j), len(theta), 6), dtype=complex)
    middle = (points.min(axis=0) + points.max(axis=0)) / 2 if lattice is not None else np.zeros(3)
    axes, number = [], []
    for axis in range(3):
        places, own = np.unique(points[:, axis], return_inverse=True)
        added = (
            np.zeros(len(places))
            if lattice is None
            else lattice.lag(axis, places) - lattice.lag(axis, middle[axis : axis + 1])
        )
        axes.append(np.array([places - middle[axis], added]))
        number.append(own)
    seen = direction * (k if lattice is None else lattice.wave_number(frequency))
    _vectors(
        *axes,
        np.column_stack(number),
        np.ascontiguousarray(j, dtype=complex),
        np.ascontiguousarray(m, dtype=complex),
        seen,
        out,
    )
    out *= np.exp(1j * k * (direction @ middle))[:, None]
    nt, np_ = (np.einsum("wdc,dc->wd", out[:, :, :3], u) for u in (along_theta, along_phi))
    lt, lp = (np.einsum("wdc,dc->wd", out[:, :, 3:], u) for u in (along_theta, along_phi))
    return np.asarray(
        np.stack(
            (-1j * k / (4 * np.pi) * (lp + ETA0 * nt), 1j * k / (4 * np.pi) * (lt - ETA0 * np_)),
            axis=-1,
        )
    )


def power_form(
    points: Floats,
    j: Complexes,
    m: Complexes,
    frequency: float,
    planes: list[Plane],
    lattice: Lattice | None = None,
) -> Complexes:
    """(waves, waves): ∫ E_p* · E_q / 2η dΩ over all space that is there, by Gauss and trapezoid
    rules that are exact for the pattern's degree.

    The pattern is symmetric about every plane: with one across z the upper half is enough; beyond a
    plane that is no mirror of the model there is nothing.
    """
    k = 2 * np.pi * frequency / C0
    images = mirrored(points, j, m, planes)
    degree = int(np.ceil(k * np.linalg.norm(images[0] - images[0].mean(axis=0), axis=1).max() + 6))
    u, w = np.polynomial.legendre.leggauss(degree + 1)
    if any(p.axis == 2 for p in planes):
        u, w = 0.5 * (u + 1), 0.5 * w
    around, per_point = _round(
        2 * degree + 2, *(any(p.axis == axis for p in planes) for axis in (0, 1))
    )
    theta = np.repeat(np.arccos(u), len(around))
    field = far_field(*images, theta, np.tile(around, len(u)), frequency, lattice)
    weight = np.outer(w, per_point).ravel() / (2 * ETA0)
    share = np.prod(
        [
            2.0 if p.doubles and p.axis == 2 else 1.0 if p.doubles or p.axis == 2 else 0.5
            for p in planes
        ]
    )
    return np.asarray(share * np.einsum("pdc,d,qdc->pq", field.conj(), weight, field))


def _round(count: int, across_x: bool, across_y: bool) -> tuple[Floats, Floats]:
    """φ and weights of at least ``count`` points all round, of which planes across x or y leave
    those of a half or a quarter, its ends shared with the rest.
    """
    quarter = -(-count // 4)
    step, first, last = float(np.pi / 2 / quarter), 0, 4 * quarter
    if across_x or across_y:
        first, last = 0 if across_y else -quarter, (2 if not across_x else 1) * quarter + 1
    phi: Floats = step * np.arange(first, last, dtype=np.float64)
    weight: Floats = np.full(len(phi), 2 * np.pi / (len(phi) - (across_x or across_y)))
    if across_x or across_y:
        weight[[0, -1]] /= 2
    return phi, weight


@njit(fastmath={"contract", "reassoc"}, cache=True)  # type: ignore[untyped-decorator]
def _moment(
    a: Any,
    b: Any,
    c: Any,
    x: float,
    y: float,
    z: float,
    r: float,
    k: float,
    sign: float,
    scale: float,
    field: Any,
    other: Any,
) -> None:  # pragma: no cover - compiled
    """Adds both fields (3,) of a point moment (a, b, c) at a distance r along (x, y, z): its own
    kind of field and the other.
    """
    g = np.exp(-1j * k * r) / (4 * np.pi * r)
    q = 1 / (1j * k * r)
    near, radial, turn = 1 + q + q * q, 1 + 3 * q + 3 * q * q, sign * 1j * k * (1 + q) * g
    along = (x * a + y * b + z * c) * radial
    factor = -1j * k * scale * g
    field[0] += factor * (a * near - x * along)
    field[1] += factor * (b * near - y * along)
    field[2] += factor * (c * near - z * along)
    other[0] += turn * (y * c - z * b)
    other[1] += turn * (z * a - x * c)
    other[2] += turn * (x * b - y * a)


@njit(parallel=True, fastmath={"contract", "reassoc"}, cache=True)  # type: ignore[untyped-decorator]
def _near(
    points: Any, j: Any, m: Any, at: Any, k: float, e: Any, h: Any
) -> None:  # pragma: no cover - compiled
    """Adds E and H (n, 3) at places (n, 3) of point moments j, m (patches, 3), all terms in 1/R
    (Balanis, Antenna Theory, ch. 4 and duality).
    """
    for p in prange(len(at)):
        for n in range(len(points)):
            x, y, z = at[p, 0] - points[n, 0], at[p, 1] - points[n, 1], at[p, 2] - points[n, 2]
            r = np.sqrt(x * x + y * y + z * z)
            _moment(j[n, 0], j[n, 1], j[n, 2], x / r, y / r, z / r, r, k, -1.0, ETA0, e[p], h[p])
            _moment(m[n, 0], m[n, 1], m[n, 2], x / r, y / r, z / r, r, k, 1.0, 1 / ETA0, h[p], e[p])


def within(points: Floats, low: Floats, high: Floats) -> NDArray[np.bool_]:
    """Which of the points (n, 3) lie inside the walls, where fields can be recorded."""
    return np.asarray(((points >= low) & (points <= high)).all(axis=1))


class Surface:
    """A :class:`~heron.fields.source.FieldSource` of recorded currents, and of fields recorded
    at points inside the walls ``low``, ``high``.
    """

    def __init__(
        self,
        points: Floats,
        j: Complexes,
        m: Complexes,
        planes: list[Plane],
        walls: tuple[Floats, Floats],
        recorded: list[tuple[Floats, Complexes, Complexes]],
        lattice: Lattice | None = None,
    ) -> None:
        self.lattice = lattice
        self.points, self.j, self.m = mirrored(points, j[None], m[None], planes)
        self.outer = [p for p in planes if not p.doubles]
        self.walls, self.recorded = walls, recorded

    def reach(self) -> tuple[Floats, float]:
        """Centre (3,) and radius of what radiates, m."""
        low, high = self.points.min(axis=0), self.points.max(axis=0)
        return (low + high) / 2, float(np.linalg.norm(high - low)) / 2

    def far_field(self, theta: Floats, phi: Floats, frequency: float) -> Complexes:
        return far_field(self.points, self.j, self.m, theta, phi, frequency, self.lattice)

    def near_field(self, points: Floats, frequency: float) -> tuple[Complexes, Complexes]:
        """Beyond the walls, the fields of the recorded currents; inside, what was recorded there.

        :raises LookupError: nothing was recorded at a place inside the walls.
        """
        inside = within(points, *self.walls)
        e, h = (np.zeros((len(points), 3), dtype=complex) for _ in range(2))
        if not inside.all():
            far_e, far_h = (np.zeros((int((~inside).sum()), 3), dtype=complex) for _ in range(2))
            j, m = (np.ascontiguousarray(v[0], dtype=complex) for v in (self.j, self.m))
            _near(
                np.ascontiguousarray(self.points),
                j,
                m,
                np.ascontiguousarray(points[~inside]),
                2 * np.pi * frequency / C0,
                far_e,
                far_h,
            )
            e[~inside], h[~inside] = far_e, far_h
        if inside.any():
            e[inside], h[inside] = self._recorded(points[inside])
        for plane in self.outer:
            away = plane.beyond(points)
            e[away], h[away] = 0, 0
        return e[None], h[None]

    def _recorded(self, points: Floats) -> tuple[Complexes, Complexes]:
        for places, e, h in self.recorded:
            if places.shape == points.shape and np.allclose(
                places, points, rtol=0, atol=1e-9 * float(np.abs(places).max() + 1e-30)
            ):
                return e, h
        raise LookupError(
            "no field was recorded at these points during the run; add a capture there and solve"
            " again"
        )


class Enclosed(Surface):
    """The same where fields beyond the walls do not follow from the currents: over layers, and of a
    model that is repeated, which has no far field either.
    """

    def far_field(self, theta: Floats, phi: Floats, frequency: float) -> Complexes:
        raise LookupError("what is repeated without end has no far field")

    def near_field(self, points: Floats, frequency: float) -> tuple[Complexes, Complexes]:
        """:raises LookupError: nothing was recorded at a place, or it lies beyond the walls."""
        if not within(points, *self.walls).all():
            raise LookupError(
                "over layers and in what is repeated, fields are known between the walls only; move"
                " the walls away, or the capture nearer to the model"
            )
        return super().near_field(points, frequency)


def lattice_of(results: xr.Dataset) -> Lattice | None:
    """The grid whose waves the recorded currents have; none unless the run kept its lines."""
    if "grid_x" not in results:
        return None
    x, y, z = (results[f"grid_{axis}"].values for axis in "xyz")
    return Lattice((x, y, z), float(results.attrs["time_step"]))


class Recorded(NamedTuple):
    """What a run recorded: moments ``j``, ``m`` (n, 3) at ``points``, reflecting planes, corners of
    its walls, and fields at the points of captures.
    """

    points: Floats
    j: Complexes
    m: Complexes
    planes: list[Plane]
    walls: tuple[Floats, Floats]
    near: list[tuple[Floats, Complexes, Complexes]]


def recorded(results: xr.Dataset, index: int, incident: Complexes) -> Recorded:
    """Of a run under incident waves (P,) at sweep point ``index``; without a surface no moments."""

    def under(name: str) -> Complexes:
        return np.asarray(np.einsum("p,p...->...", incident, results[name].values[index]))

    nothing = np.zeros((0, 3))
    points, j, m = nothing, nothing.astype(complex), nothing.astype(complex)
    if "surface_point" in results:
        points, j, m = results["surface_point"].values, under("surface_j"), under("surface_m")
    near = [
        (results[f"{n}_at"].values, under(f"{n}_e"), under(f"{n}_h"))
        for n in np.ravel(results.attrs.get("recorded", []))
        if n
    ]
    walls = np.asarray(results.attrs["walls"]).reshape(2, 3)
    return Recorded(points, j, m, planes_in(results), (walls[0], walls[1]), near)


def read(results: xr.Dataset, index: int, incident: Complexes) -> Surface:
    """The sources of a run with a box under incident waves (P,) at sweep point ``index``."""
    return Surface(*recorded(results, index, incident), lattice_of(results))


def read_enclosed(results: xr.Dataset, index: int, incident: Complexes) -> Enclosed:
    """The same of a run whose box is closed all round."""
    return Enclosed(*recorded(results, index, incident))
