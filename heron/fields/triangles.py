"""Fields of currents on triangles: far and near, with the ground plane's images."""

from __future__ import annotations

import numpy as np
import xarray as xr
from numba import njit, prange
from numpy.typing import NDArray

from heron.fields.phases import cos_sin
from heron.fields.surface import spherical
from heron.quantities.constants import C0, EPS0, ETA0, MU0

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

FOUR_PI = 4.0 * np.pi
# points (k, 3) in area coordinates and weights, sum 1: three and seven of them (Dunavant, Int. J.
# Numer. Methods Eng. 21, 1129, 1985)
RULE_3 = np.array([[4, 1, 1, 2], [1, 4, 1, 2], [1, 1, 4, 2]]) / 6
_A, _B = 0.059715871789770, 0.470142064105115
_C, _D = 0.797426985353087, 0.101286507323456
RULE_7 = np.array(
    [
        [1 / 3, 1 / 3, 1 / 3, 0.225],
        *([a, b, c, 0.132394152788506] for a, b, c in ((_A, _B, _B), (_B, _A, _B), (_B, _B, _A))),
        *([a, b, c, 0.125939180544827] for a, b, c in ((_C, _D, _D), (_D, _C, _D), (_D, _D, _C))),
    ]
)
DEEPEST = 6  # times that a triangle is divided into four towards a point close to it
CLOSE = 1.5  # of a triangle's longest side: nearer than this it is divided


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _far_vector(
    points: Floats,
    re: Floats,
    im: Floats,
    directions: Floats,
    k: float,
    out: Complexes,
) -> None:
    """Σ J e^(+jk r̂·r') over points (n, 3) with moments (n, 3, c) in A m: fills ``out``
    (c, d, 3).
    """
    for d in prange(len(directions)):
        ux, uy, uz = directions[d, 0], directions[d, 1], directions[d, 2]
        cosine, sine = np.empty(len(points)), np.empty(len(points))
        for n in range(len(points)):
            cosine[n], sine[n] = cos_sin(
                k * (ux * points[n, 0] + uy * points[n, 1] + uz * points[n, 2])
            )
        for c in range(re.shape[2]):
            for axis in range(3):
                a, b = 0.0, 0.0
                for n in range(len(points)):
                    a += cosine[n] * re[n, axis, c] - sine[n] * im[n, axis, c]
                    b += cosine[n] * im[n, axis, c] + sine[n] * re[n, axis, c]
                out[c, d, axis] = complex(a, b)


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _near_fields(
    corners: Floats,
    density: Complexes,
    points: Floats,
    k: complex,
    along: complex,
    charge: complex,
    rule: Floats,
    e: Complexes,
    h: Complexes,
) -> None:
    """E and H (c, n, 3) at points (n, 3) of densities (T, 3, 3, c) at corners (T, 3, 3).

    E = −jωμ ∫ J G dS' + (1/jωε) ∫ (∇'·J) ∇G dS' with ``along`` = −jωμ/4π and ``charge`` =
    1/(jωε 4π); H = ∫ ∇G × J dS'. Triangles are divided towards the point.
    """
    count = density.shape[3]
    for n in prange(len(points)):
        found = np.zeros((count, 6), dtype=np.complex128)
        stack = np.empty((3 * DEEPEST + 4, 3, 3))
        depth = np.empty(3 * DEEPEST + 4, dtype=np.int64)
        shape = np.empty((3, 3))
        source = np.empty((count, 3), dtype=np.complex128)
        for t in range(len(corners)):
            x1, y1, z1 = (
                corners[t, 1, 0] - corners[t, 0, 0],
                corners[t, 1, 1] - corners[t, 0, 1],
                corners[t, 1, 2] - corners[t, 0, 2],
            )
            x2, y2, z2 = (
                corners[t, 2, 0] - corners[t, 0, 0],
                corners[t, 2, 1] - corners[t, 0, 1],
                corners[t, 2, 2] - corners[t, 0, 2],
            )
            nx, ny, nz = y1 * z2 - z1 * y2, z1 * x2 - x1 * z2, x1 * y2 - y1 * x2
            double = np.sqrt(nx * nx + ny * ny + nz * nz)
            nx, ny, nz = nx / double, ny / double, nz / double
            # divergence of a linear current: of each corner's, along the gradient of its share
            fall = np.zeros(count, dtype=np.complex128)
            for i in range(3):
                a, b = (i + 1) % 3, (i + 2) % 3
                ex, ey, ez = (
                    corners[t, b, 0] - corners[t, a, 0],
                    corners[t, b, 1] - corners[t, a, 1],
                    corners[t, b, 2] - corners[t, a, 2],
                )
                gx, gy, gz = (
                    (ny * ez - nz * ey) / double,
                    (nz * ex - nx * ez) / double,
                    (nx * ey - ny * ex) / double,
                )
                for c in range(count):
                    fall[c] += (
                        gx * density[t, i, 0, c]
                        + gy * density[t, i, 1, c]
                        + gz * density[t, i, 2, c]
                    )
            for i in range(3):
                for j in range(3):
                    stack[0, i, j] = 1.0 if i == j else 0.0
            depth[0] = 0
            waiting = 1
            while waiting > 0:
                waiting -= 1
                level = depth[waiting]
                for i in range(3):
                    for j in range(3):
                        shape[i, j] = stack[waiting, i, j]
                side, gap = 0.0, 0.0
                for axis in range(3):
                    middle = 0.0
                    for i in range(3):
                        for j in range(3):
                            middle += shape[i, j] * corners[t, j, axis] / 3
                    gap += (points[n, axis] - middle) ** 2
                for i in range(3):
                    square = 0.0
                    for axis in range(3):
                        step = 0.0
                        for j in range(3):
                            step += (shape[i, j] - shape[(i + 1) % 3, j]) * corners[t, j, axis]
                        square += step * step
                    side = max(side, square)
                if level < DEEPEST and gap < CLOSE * CLOSE * side:
                    for part in range(4):
                        depth[waiting + part] = level + 1
                        for i in range(3):
                            for j in range(3):
                                if part == 3:
                                    value = 0.5 * (shape[i, j] + shape[(i + 1) % 3, j])
                                else:
                                    value = 0.5 * (shape[i, j] + shape[part, j])
                                stack[waiting + part, i, j] = value
                    waiting += 4
                    continue
                area = 0.5 * double / 4.0**level
                for g in range(len(rule)):
                    w0 = (
                        rule[g, 0] * shape[0, 0]
                        + rule[g, 1] * shape[1, 0]
                        + rule[g, 2] * shape[2, 0]
                    )
                    w1 = (
                        rule[g, 0] * shape[0, 1]
                        + rule[g, 1] * shape[1, 1]
                        + rule[g, 2] * shape[2, 1]
                    )
                    w2 = 1.0 - w0 - w1
                    x = (
                        points[n, 0]
                        - w0 * corners[t, 0, 0]
                        - w1 * corners[t, 1, 0]
                        - w2 * corners[t, 2, 0]
                    )
                    y = (
                        points[n, 1]
                        - w0 * corners[t, 0, 1]
                        - w1 * corners[t, 1, 1]
                        - w2 * corners[t, 2, 1]
                    )
                    z = (
                        points[n, 2]
                        - w0 * corners[t, 0, 2]
                        - w1 * corners[t, 1, 2]
                        - w2 * corners[t, 2, 2]
                    )
                    rr = max(x * x + y * y + z * z, 1e-30)
                    r = np.sqrt(rr)
                    cosine, sine = cos_sin(k.real * r)
                    fade = np.exp(k.imag * r) / r if k.imag != 0 else 1 / r
                    wave = complex(fade * cosine, -fade * sine)
                    slope = -(1 + 1j * k * r) * wave / rr  # (1/R) dG/dR · 4π
                    own = area * rule[g, 3]
                    for c in range(count):
                        for axis in range(3):
                            source[c, axis] = own * (
                                w0 * density[t, 0, axis, c]
                                + w1 * density[t, 1, axis, c]
                                + w2 * density[t, 2, axis, c]
                            )
                        pull = own * charge * fall[c] * slope
                        jx, jy, jz = source[c, 0], source[c, 1], source[c, 2]
                        found[c, 0] += along * wave * jx + pull * x
                        found[c, 1] += along * wave * jy + pull * y
                        found[c, 2] += along * wave * jz + pull * z
                        found[c, 3] += slope / FOUR_PI * (y * jz - z * jy)
                        found[c, 4] += slope / FOUR_PI * (z * jx - x * jz)
                        found[c, 5] += slope / FOUR_PI * (x * jy - y * jx)
        for c in range(count):
            for axis in range(3):
                e[c, n, axis] = found[c, axis]
                h[c, n, axis] = found[c, 3 + axis]


class Triangles:
    """Triangles (T, 3, 3) in m with currents (T, 3, 3, c) in A/m at their corners, linear between
    them; images appended, of currents that are ``magnetic`` turned the other way.
    """

    def __init__(
        self, corners: Floats, density: Complexes, ground: float | None, magnetic: bool = False
    ) -> None:
        self.corners, self.density = corners, density
        if ground is not None:
            flip = np.array([1.0, 1.0, -1.0])
            image = corners * flip + np.array([0.0, 0.0, 2 * ground])
            self.corners = np.concatenate((corners, image))
            turned = 1.0 if magnetic else -1.0
            self.density = np.concatenate((density, turned * density * flip[:, None]))
        self.density = np.ascontiguousarray(self.density)

    def reach(self) -> tuple[Floats, float]:
        """Centre (3,) and radius of what radiates, m."""
        points = self.corners.reshape(-1, 3)
        centre = (points.min(axis=0) + points.max(axis=0)) / 2
        return centre, float(np.linalg.norm(points - centre, axis=1).max())

    def far_field(self, theta: Floats, phi: Floats, frequency: float) -> Complexes:
        """r·E e^(jkr) as (c, d, 2): θ and φ components in V, for directions θ, φ (d,) in
        radians.
        """
        omega = 2 * np.pi * frequency
        directions, along_theta, along_phi = spherical(theta, phi)
        edges = self.corners[:, 1:] - self.corners[:, :1]
        area = 0.5 * np.linalg.norm(np.cross(edges[:, 0], edges[:, 1]), axis=1)
        share = RULE_3[:, :3]
        points = np.einsum("gi,tia->tga", share, self.corners).reshape(-1, 3)
        moments = np.einsum("g,t,gi,tiac->tgac", RULE_3[:, 3], area, share, self.density)
        moments = moments.reshape(len(points), 3, -1)
        vector = np.empty((moments.shape[2], len(directions), 3), dtype=complex)
        _far_vector(
            np.ascontiguousarray(points),
            np.ascontiguousarray(moments.real),
            np.ascontiguousarray(moments.imag),
            directions,
            omega / C0,
            vector,
        )
        factor = -1j * omega * MU0 / FOUR_PI
        parts = [(vector * unit).sum(axis=-1) for unit in (along_theta, along_phi)]
        return np.asarray(factor * np.stack(parts, axis=-1))

    def near_field(
        self, points: Floats, frequency: float, epsilon: complex = 1.0, mu: complex = 1.0
    ) -> tuple[Complexes, Complexes]:
        """E (V/m) and H (A/m), each (c, n, 3), at points (n, 3), in a medium of relative constants
        with losses as negative imaginary parts.
        """
        omega = 2 * np.pi * frequency
        index = complex(np.sqrt(epsilon + 0j) * np.sqrt(mu + 0j))
        e = np.empty((self.density.shape[3], len(points), 3), dtype=complex)
        h = np.empty_like(e)
        _near_fields(
            np.ascontiguousarray(self.corners),
            self.density,
            np.ascontiguousarray(points),
            omega / C0 * index,
            -1j * omega * MU0 * mu / FOUR_PI,
            1 / (1j * omega * EPS0 * epsilon * FOUR_PI),
            RULE_7,
            e,
            h,
        )
        return e, h


class LitTriangles(Triangles):
    """The same under plane waves of ``level`` (q,) V/m at the origin, which travel along
    ``travels`` with fields along ``electric`` (q, 3): near fields are theirs and what is scattered.
    """

    def __init__(
        self,
        corners: Floats,
        density: Complexes,
        level: Complexes,
        travels: Floats,
        electric: Floats,
    ) -> None:
        super().__init__(corners, density, None)
        self.level, self.travels, self.electric = level, travels, electric

    def near_field(
        self, points: Floats, frequency: float, epsilon: complex = 1.0, mu: complex = 1.0
    ) -> tuple[Complexes, Complexes]:
        e, h = super().near_field(points, frequency, epsilon, mu)
        phase = self.level * np.exp(-2j * np.pi * frequency / C0 * points @ self.travels.T)
        magnetic = np.cross(self.travels, self.electric) / ETA0
        return e + phase @ self.electric, h + phase @ magnetic


def densities(
    corners: Floats,
    triangle: NDArray[np.int64],
    corner: NDArray[np.int64],
    half: Complexes,
) -> Complexes:
    """Currents (T, 3, 3, c) in A/m at the corners (T, 3, 3) of triangles from halves (h, c) of
    functions: on its ``triangle`` each is itself times (r − v)/2, v its ``corner``.
    """
    at = corners[triangle]
    arms = (at - at[np.arange(len(at)), corner][:, None]) / 2
    out = np.zeros((*corners.shape, half.shape[1]), dtype=complex)
    np.add.at(out, triangle, arms[..., None] * half[:, None, None])
    return out


def read(results: xr.Dataset, index: int, incident: Complexes) -> Triangles:
    """The currents of a run under incident waves (P,) at sweep point ``index``."""
    return of_edges(results, incident @ results.variables["edge_current"].values[index], incident)


def of_edges(results: xr.Dataset, edge: Complexes, incident: Complexes) -> Triangles:
    """Triangles of a run with currents across edges (unknowns,), A/m, under incident waves (P,)."""
    own = {
        name: results.variables[name].values
        for name in ("vertex", "triangle", "half_triangle", "half_corner", "half_factor")
    }
    half = own["half_factor"] * edge[results.variables["half_function"].values]
    corners = np.ascontiguousarray(own["vertex"][own["triangle"]])
    density = densities(corners, own["half_triangle"], own["half_corner"], half[:, None])
    if "travels" in results:
        ways = (results.variables[name].values for name in ("travels", "electric"))
        return LitTriangles(corners, density, incident, *ways)
    ground = None if results.attrs["ground"] == "none" else float(results.attrs["ground"])
    return Triangles(corners, density, ground)
