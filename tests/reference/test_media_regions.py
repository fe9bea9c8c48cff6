"""Bodies of media in the moments engine against series of spheres, images and balances."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import xarray as xr

from heron.engines.moments import triangle_curls, triangle_static
from heron.engines.moments.region_system import RegionSystem
from heron.fields import source
from heron.fields.triangles import RULE_7
from heron.materials import Medium
from heron.networks import s_to_y
from heron.results.power import budget
from tests import mie
from tests.models import C0, medium_mesh, plan, solve

K0 = 2 * np.pi  # at a wavelength of 1 m
ETA0 = 376.730313668


def ball(radius: float, material: str = "stuff", name: str = "ball") -> dict[str, Any]:
    return {
        "kind": "sphere",
        "name": name,
        "centre": ["0", "0", "0"],
        "radius": f"{radius!r} m",
        "material": material,
    }


def model(parts: list[dict[str, Any]], segments: int = 30, **more: Any) -> dict[str, Any]:
    """Solved once at a wavelength of 1 m, with a medium “stuff”."""
    medium = more.pop("medium", {"permittivity": "4", "loss_tangent": "0.05"})
    settings = {"moments": {"segments_per_wavelength": str(segments)}}
    return {
        "name": "bodies",
        "materials": [{"kind": "dielectric", "name": "stuff", **medium}],
        "parts": parts,
        "plans": [plan(rounds="1", engine="moments", settings=settings)],
        **more,
    }


def lit(parts: list[dict[str, Any]], **more: Any) -> xr.Dataset:
    wave = {"kind": "plane_wave", "name": "radar", "travels": ["0", "0", "1"]}
    return solve(model(parts, illuminations=[wave], **more))


def off(results: xr.Dataset, a: np.ndarray, b: np.ndarray) -> float:
    """RMS, dB, of bistatic cross-sections in both planes against a series, above −30 dB."""
    theta = np.linspace(0, np.pi, 73)
    fields = source(results, 0, results["drive"].values)
    found = []
    for phi, series in zip((np.pi / 2, 0.0), mie.summed(a, b, theta), strict=True):
        scattered = fields.far_field(theta, np.full_like(theta, phi), C0)[0]
        mine = K0**2 * (np.abs(scattered) ** 2).sum(axis=-1)
        kept = np.abs(series) ** 2 > 1e-3 * (np.abs(series) ** 2).max()
        found.append(10 * np.log10(mine[kept] / np.abs(series[kept]) ** 2))
    return float(np.sqrt(np.mean(np.concatenate(found) ** 2)))


@pytest.mark.parametrize("ka", [0.3, 1.5])
def test_sphere_of_a_lossy_medium(ka: float) -> None:
    """Mie's series (Bohren and Huffman, ch. 4): bistatic within 0.3 dB, power scattered and
    absorbed within 2 %.
    """
    radius = ka / K0
    m = np.sqrt(4 * (1 + 0.05j))
    results = lit([ball(radius)], segments=50 if ka < 1 else 30)
    error = off(results, *mie.coefficients(ka, m))
    extinct, scattered, _ = mie.efficiencies(ka, m)
    beam = np.pi * radius**2 / (2 * ETA0)
    ratios = (
        results["scattered_power"].values[0, 0] / beam / scattered,
        results["absorbed_power"].values[0, 0] / beam / (extinct - scattered),
    )
    print(f"ka {ka}: {error:.4f} dB RMS, scattered and absorbed {ratios} of Mie's")
    assert error < 0.15
    assert ratios == pytest.approx((1.0, 1.0), abs=0.02)


def test_fields_inside_and_beside_a_small_sphere() -> None:
    """Of electrostatics: 3/(ε + 2) of the incident field everywhere inside (Jackson, *Classical
    Electrodynamics*, section 4.4), and a dipole's beside it.
    """
    radius = 0.02 / K0
    results = lit([ball(radius)], medium={"permittivity": "3"}, segments=50)
    fields = source(results, 0, results["drive"].values)
    points = radius * np.array(
        [[0.0, 0.0, 0.0], [0.3, 0.5, -0.2], [2.0, 0.0, 0.0], [0.0, 2.0, 0.0]]
    )
    e = fields.near_field(points, C0)[0][0, :, 0]
    dipole = (3 - 1) / (3 + 2) / 2.0**3
    expected = np.array([0.6, 0.6, 1 + 2 * dipole, 1 - dipole])
    print(f"inside and beside a small sphere, of the incident field: {np.abs(e)}, {expected}")
    assert np.abs(e) == pytest.approx(expected, rel=0.01)


def test_metal_sphere_in_a_coat() -> None:
    """The series of a coated sphere (Bohren and Huffman, ch. 8): bistatic within 0.3 dB, and what
    the coat absorbs within 2 %.
    """
    inner, outer = 1.0, 1.5
    m = np.sqrt(3 * (1 + 0.1j))
    results = lit(
        [ball(outer / K0), ball(inner / K0, "perfect conductor", "core")],
        medium={"permittivity": "3", "loss_tangent": "0.1"},
        segments=25,
    )
    a, b = mie.coated(inner, outer, m)
    error = off(results, a, b)
    n = np.arange(1, len(a) + 1)
    extinct = 2 / outer**2 * ((2 * n + 1) * (a + b).real).sum()
    scattered = 2 / outer**2 * ((2 * n + 1) * (np.abs(a) ** 2 + np.abs(b) ** 2)).sum()
    beam = np.pi * (outer / K0) ** 2 / (2 * ETA0)
    absorbed = results["absorbed_power"].values[0, 0] / beam / (extinct - scattered)
    print(f"coated sphere: {error:.4f} dB RMS, absorbed {absorbed:.4f} of the series'")
    assert error < 0.3
    assert absorbed == pytest.approx(1.0, abs=0.02)


def fed(
    parts: list[dict[str, Any]], low: float, at: float, width: float, **more: Any
) -> xr.Dataset:
    """With a wire of copper up the axis to 0.08 m."""
    pin = {
        "kind": "wire",
        "name": "pin",
        "start": ["0", "0", f"{low!r} m"],
        "end": ["0", "0", "0.08 m"],
        "radius": "1 mm",
        "material": "copper",
    }
    feed = {"number": 1, "part": "pin", "at": repr(at), "width": f"{width!r} m"}
    medium = {"permittivity": "6", "loss_tangent": "0.01"}
    return solve(model([*parts, pin], feeds=[feed], medium=medium, **more))


def test_dipole_in_a_ball_is_twice_a_monopole_in_half_of_it() -> None:
    """Images (Balanis, *Antenna Theory*, ch. 4): half the impedance, the same shares of power, and
    all that is accepted radiated or lost within 0.5 %.
    """
    whole = fed([ball(0.12)], -0.08, 0.5, 0.02)
    below = {
        "kind": "box",
        "name": "below",
        "corner": ["-1 m", "-1 m", "-1 m"],
        "size": ["2 m", "2 m", "1 m"],
        "material": "vacuum",
    }
    cut = {
        "kind": "combine",
        "name": "half",
        "operation": "cut",
        "first": "ball",
        "others": ["below"],
    }
    half = fed([ball(0.12), below, cut], 0.0, 0.0, 0.01, surround={"kind": "ground"})
    z = [1 / s_to_y(x["s"].values[0], x["z0"].values)[0, 0] for x in (whole, half)]
    powers = [budget(x) for x in (whole, half)]
    lost = [float((p.dielectric / p.accepted)[0]) for p in powers]
    balance = [float(p.balance_error[0]) for p in powers]
    print(f"dipole over twice the monopole {z[0] / 2 / z[1]}, lost {lost}, balance {balance}")
    assert z[0] / z[1] == pytest.approx(2.0, rel=0.01)
    assert lost[1] == pytest.approx(lost[0], rel=0.01)
    assert np.abs(balance).max() < 0.005


def test_nothing_changes_where_a_medium_is_cut_in_two() -> None:
    """Two halves of one medium that touch are one body."""

    def box(name: str, start: float, size: float) -> dict[str, Any]:
        return {
            "kind": "box",
            "name": name,
            "corner": [f"{start} m", "-0.1 m", "-0.1 m"],
            "size": [f"{size} m", "0.2 m", "0.2 m"],
            "material": "stuff",
        }

    whole, halves = [box("one", -0.1, 0.2)], [box("left", -0.1, 0.1), box("right", 0.0, 0.1)]
    powers = [
        float(lit(parts, segments=20)["scattered_power"].values[0, 0]) for parts in (whole, halves)
    ]
    print(f"a box and its halves scatter {powers} W")
    assert powers[1] == pytest.approx(powers[0], rel=0.005)


TETRAHEDRON = np.array([[0, 0, 0.0], [0.2, 0, 0.05], [0.05, 0.15, 0.02], [0.08, 0.05, 0.2]])


def test_matrix_of_a_body_over_the_ground_is_that_with_its_image() -> None:
    """Element by element, from a body and its mirrored copy without a ground plane."""
    flip = np.array([1, 1, -1.0])
    up = TETRAHEDRON + np.array([0, 0, 0.5])
    faces = np.array([[0, 2, 1], [0, 1, 3], [1, 2, 3], [0, 3, 2]])
    medium = [Medium("stuff", 4.0, 0.1)]
    over = RegionSystem(medium_mesh(up, faces, grounded=True), [], medium, [], [])
    both = RegionSystem(
        medium_mesh(np.vstack((up, up * flip)), np.vstack((faces, (faces + 4)[:, ::-1]))),
        [],
        medium,
        [],
        [],
    )

    def functions(system: RegionSystem) -> dict[tuple[str, tuple[int, ...]], tuple[int, float]]:
        """Numbers and signs of functions, by their sort and triangles."""
        out = {}
        for sort, basis in (
            ("electric", system.regions.electric[0]),
            ("magnetic", system.regions.magnetic[0]),
        ):
            for n in np.unique(basis.function):
                own = basis.function == n
                t = basis.triangle[own]
                sign = float(np.sign(basis.factor[own][t.argmin()]))
                out[sort, tuple(sorted(t.tolist()))] = int(n), sign
        return out

    found, whole = over.outer(C0), both.outer(C0)
    names, all_names = functions(over), functions(both)
    rows, own_rows = np.zeros((2, over.size, both.size))
    for (sort, t), (n, sign) in names.items():
        own, own_sign = all_names[sort, t]
        image, image_sign = all_names[sort, tuple(k + 4 for k in t)]
        rows[n, own] = own_rows[n, own] = sign * own_sign
        rows[n, image] = sign * image_sign * (-1 if sort == "electric" else 1)
    expected = own_rows @ whole @ rows.T
    error = np.abs(found - expected).max() / np.abs(expected).max()
    print(f"matrix over a ground against body and image: {error:.1e}")
    assert error < 1e-12


def curls_by_differences(first: np.ndarray, second: np.ndarray, centre: np.ndarray) -> np.ndarray:
    """Of the potential of ``second`` (3, 3), by a product rule over ``first``."""
    at, weight = np.polynomial.legendre.leggauss(40)
    at, weight = 0.5 * (at + 1), 0.5 * weight
    u, v = (g.ravel() for g in np.meshgrid(at, at, indexing="ij"))
    double = np.linalg.norm(np.cross(first[1] - first[0], first[2] - first[0]))
    w = double * (np.outer(weight, weight).ravel() * u)
    points = first[0] + u[:, None] * (first[1] - first[0])
    points = points + (u * v)[:, None] * (first[2] - first[1])
    step, out = 1e-6, np.empty(7)
    slope = np.zeros_like(points)
    for n, point in enumerate(points):
        for axis in range(3):
            for sign in (1, -1):
                moved = point.copy()
                moved[axis] += sign * step
                triangle_static.potential(moved, np.ascontiguousarray(second), out)
                slope[n, axis] += sign * out[0] / (2 * step)
    return np.concatenate((w @ slope, w @ np.cross(slope, points - centre)))


def test_curls_of_triangles_near_each_other() -> None:
    """∫∫ ∇(1/R) and ∫∫ ∇(1/R) × x against differences of the potential in closed form at very many
    points: apart, at a corner, and at an edge, where the integrand is singular.
    """
    first = TETRAHEDRON[:3]
    cases = {
        "apart": TETRAHEDRON[1:] + np.array([0.0, 0.0, 0.06]),
        "corner": np.array([first[2], [0.3, 0.3, 0.2], [0.0, 0.4, 0.1]]),
        "edge": np.array([first[1], first[2], TETRAHEDRON[3]]),
    }
    for name, second in cases.items():
        points = np.vstack((first, second))
        _, number = np.unique(points.round(9), axis=0, return_inverse=True)
        corners = np.array([first, second])
        centre = corners.mean(axis=1)
        radius = np.linalg.norm(corners - centre[:, None], axis=2).max(axis=1)
        values = np.empty((1, triangle_curls.CURLS))
        _, edge, corner = triangle_static.touching_rules()
        triangle_curls.near_curls(
            corners,
            number.reshape(2, 3),
            np.zeros(6, dtype=bool),
            centre,
            radius,
            np.array([0, 1, 1]),
            np.array([1]),
            0.0,
            False,
            edge,
            corner,
            RULE_7,
            values,
        )
        expected = curls_by_differences(first, second, centre[0])
        error = np.abs(values[0] - expected).max() / np.abs(expected).max()
        print(f"curls of triangles {name}: {error:.1e}")
        assert error < 2e-3
