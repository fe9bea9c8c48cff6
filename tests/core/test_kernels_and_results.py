"""Compiled integrals against simple ones that share nothing with them; derived results against
identities.
"""

from __future__ import annotations

import numpy as np
import pytest
import skrf
from scipy.integrate import dblquad, quad
from scipy.special import ellipk

from heron.engines.lumped import Element, Networks
from heron.engines.moments import static_integrals
from heron.engines.moments.calibration import straight_wire
from heron.formats import netcdf
from heron.networks import input_impedance, renormalise, s_to_y, y_to_s
from heron.results import patterns, ports
from tests.models import dipole, plan, solve, touchstone_of, wire


@pytest.mark.parametrize("u", [1e-6, 1e-3, 0.01, 0.5])
def test_ring_kernel_is_the_elliptic_integral(u: float) -> None:
    a = 0.003
    direct = quad(
        lambda p: 1 / np.sqrt(u**2 + 4 * a**2 * np.sin(p / 2) ** 2),
        0,
        2 * np.pi,
        points=[0, 2 * np.pi],
        limit=400,
    )[0] / (2 * np.pi)
    assert static_integrals.ring_kernel(u, a) == pytest.approx(direct, rel=1e-6)
    m = 4 * a**2 / (u**2 + 4 * a**2)
    assert static_integrals.ring_kernel(u, a) == pytest.approx(
        2 / np.pi * ellipk(m) / np.sqrt(u**2 + 4 * a**2), rel=1e-9
    )


@pytest.mark.parametrize(
    ("offset", "sign"), [(0.0, 1.0), (0.1, 1.0), (0.25, 1.0), (0.2, -1.0), (0.1, -1.0)]
)
def test_coaxial_integral(offset: float, sign: float) -> None:
    hp, hq, a = 0.1, 0.1, 0.01
    out = np.empty(4)
    static_integrals.coaxial_static(hp, hq, offset, sign, a, out)

    def part(i: int, j: int) -> float:
        shape = [lambda t: 1 - t, lambda t: t]

        def inner(s: float) -> float:
            place = sign * (s - offset)
            marks = [p for p in (place,) if 0 < p < hq]
            return quad(
                lambda t: shape[j](t / hq) * static_integrals.ring_kernel(offset + sign * t - s, a),
                0,
                hq,
                points=marks or None,
                limit=200,
            )[0]

        return quad(lambda s: shape[i](s / hp) * inner(s), 0, hp, limit=200)[0] / (4 * np.pi)

    exact = np.array([part(i, j) for i in (0, 1) for j in (0, 1)])
    assert np.abs(out / exact - 1).max() < 2e-5


def test_skew_integral() -> None:
    p0, p1 = np.array([0.0, 0, 0]), np.array([0.0, 0, 0.1])
    q0, q1 = np.array([0.0, 0, 0.1]), np.array([0.06, 0, 0.18])
    a2, out = 1e-6, np.empty(4)
    static_integrals.skew_static(p0, p1, q0, q1, a2, out)

    def integrand(t: float, s: float, i: int, j: int) -> float:
        r = p0 + s * (p1 - p0) - q0 - t * (q1 - q0)
        return (s if i else 1 - s) * (t if j else 1 - t) * 0.01 / np.sqrt(r @ r + a2) / (4 * np.pi)

    exact = [
        dblquad(integrand, 0, 1, 0, 1, args=(i, j), epsabs=1e-9)[0] for i in (0, 1) for j in (0, 1)
    ]
    assert np.abs(out / exact - 1).max() < 2e-4


def test_matrix_against_a_naive_one() -> None:
    """Far entries by brute-force quadrature of the mixed potential."""
    system = straight_wire(40, 0.5, 1e-5)
    f = 299792458.0
    matrix = system.matrix(f)
    assert np.abs(matrix - matrix.T).max() < 1e-12 * np.abs(matrix).max()
    k, omega, mu0 = 2 * np.pi, 2 * np.pi * f, 1.25663706212e-6
    eps0 = 1 / (mu0 * 299792458.0**2)
    nodes, weights = np.polynomial.legendre.leggauss(12)
    h = 0.5 / 40
    t, w = 0.5 * (nodes + 1) * h, 0.5 * weights * h

    def basis(n: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        z0 = -0.25 + n * h
        z = np.concatenate((z0 + t, z0 + h + t))
        return (
            z,
            np.concatenate((t / h, 1 - t / h)),
            np.repeat([1 / h, -1 / h], 12),
            np.concatenate((w, w)),
        )

    for m, n in ((0, 12), (5, 30), (3, 38)):
        zm, fm, dm, wm = basis(m)
        zn, fn, dn, wn = basis(n)
        r = np.abs(zm[:, None] - zn[None, :])
        g = np.exp(-1j * k * r) / (4 * np.pi * r) * wm[:, None] * wn[None, :]
        exact = 1j * omega * mu0 * fm @ g @ fn + dm @ g @ dn / (1j * omega * eps0)
        assert abs(matrix[m, n] / exact - 1) < 1e-5, (m, n)


def test_networks_round_trip_and_match_scikit_rf() -> None:
    rng = np.random.default_rng(3)
    s = 0.3 * (rng.standard_normal((4, 3, 3)) + 1j * rng.standard_normal((4, 3, 3)))
    z0, new = np.array([50.0, 75, 20]), np.array([100.0, 10, 50])
    assert np.abs(y_to_s(s_to_y(s, z0), z0) - s).max() < 1e-12
    network = skrf.Network(f=np.arange(1, 5), f_unit="Hz", s=s, z0=np.tile(z0, (4, 1)))
    network.renormalize(np.tile(new, (4, 1)))
    assert np.abs(renormalise(s, z0, new) - network.s).max() < 1e-9
    assert input_impedance(np.array([[[0.0]]]), np.array([50.0]))[0, 0] == 50


def test_bands_and_resonances_of_a_known_curve() -> None:
    f = np.linspace(0.9e9, 1.1e9, 401)
    z = 50 + 1j * 2 * np.pi * 20e-9 * 50 * (f - 1e9) / 10
    found = ports.resonances(f, z)
    assert [r.frequency for r in found] == [pytest.approx(1e9)]
    assert found[0].q == pytest.approx(1e9 * 2 * np.pi * 20e-9 * 5 / 100)
    level = ports.magnitude_db((z - 50) / (z + 50))
    band = ports.bands(f, level, -10)[0]
    x = np.interp([band.low, band.high], f, z.imag)
    assert np.abs(np.abs(x) - 100 * np.sqrt(0.1 / 0.9)).max() < 0.1
    assert not band.open_low
    assert ports.vswr(np.array([1 / 3, 1.0, 0.0])).tolist() == pytest.approx([2, np.inf, 1])


def test_lobe_figures_of_a_cosine_pattern() -> None:
    angle = np.arange(-180, 181.0)
    level = 20 * np.log10(np.maximum(np.abs(np.cos(np.radians(angle))), 1e-4))
    lobes = patterns.lobe_figures(angle, level)
    width, back, side = lobes.beamwidth_deg, lobes.front_to_back_db, lobes.side_lobe_db
    assert width == pytest.approx(90, abs=0.1)
    assert back is None, "front and back are alike"
    assert side == pytest.approx(0, abs=1e-9)
    assert patterns.lobe_figures(angle, np.zeros_like(angle)).beamwidth_deg is None


def test_files_read_back() -> None:
    document = dipole(plan=plan("200 MHz", "400 MHz", 7))
    document["parts"].append(wire("other", [0.3, 0, -0.2], [0.3, 0, 0.2]))
    document["feeds"] = [
        {"number": 1, "part": "rod", "impedance": "75 ohm"},
        {"number": 2, "part": "other"},
    ]
    results = solve(document)
    import io

    file = io.StringIO(touchstone_of(results))
    file.name = "two.s2p"
    network = skrf.Network(file)
    expected = ports.scattering(results, np.array([75.0, 75.0]))
    assert np.abs(network.s - expected).max() < 1e-9
    assert network.z0[0, 0] == 75
    again = netcdf.to_complex(netcdf.to_real(results))
    assert again["s"].values.dtype == np.complex128
    assert (again["s"].values == results["s"].values).all()


def test_drive_steers_two_elements() -> None:
    """Two dipoles a quarter wave apart fed in quadrature: a cardioid along x (Balanis, ch. 6)."""
    parts = [
        wire("a", [-0.125, 0, -0.24], [-0.125, 0, 0.24]),
        wire("b", [0.125, 0, -0.24], [0.125, 0, 0.24]),
    ]
    feeds = [{"number": 1, "part": "a"}, {"number": 2, "part": "b", "phase": "-90 deg"}]
    cut = patterns.cut(solve({"parts": parts, "feeds": feeds, "plan": plan()}), 0, "theta=90")
    assert abs(cut.angle[cut.level.argmax()]) < 20
    assert cut.lobes.front_to_back_db is not None
    assert cut.lobes.front_to_back_db > 6


def test_lumped_elements_and_what_stands_between_ports_and_gaps() -> None:
    """Impedances and admittances add (any book on circuits); what is not there is a short in series
    and a break side by side.
    """
    f = np.array([1e8, 2e9])
    s = 2j * np.pi * f
    assert Element(5.0, 2e-9, 3e-12).impedance(f) == pytest.approx(5 + s * 2e-9 + 1 / (s * 3e-12))
    assert Element(0.0, None, None).impedance(f) == pytest.approx(np.zeros(2))
    assert 1 / Element(5.0, 2e-9, 3e-12, True).impedance(f) == pytest.approx(
        1 / 5 + 1 / (s * 2e-9) + s * 3e-12
    )
    assert Element(None, 2e-9, None, True).impedance(f) == pytest.approx(s * 2e-9)
    both = Networks([Element(7.0, None, None), None, Element(50.0, None, None, True)])
    assert both.series(f) == pytest.approx(np.array([[7, 0, 0]] * 2)) and both.shunt(
        f
    ) == pytest.approx(np.array([[0, 0, 0.02]] * 2))
    current, voltage = np.zeros((2, 3, 1), dtype=complex), np.zeros((2, 3, 1), dtype=complex)
    current[:, 0], voltage[:, 2] = 2j, 10
    assert both.loss(f, current, voltage) == pytest.approx(
        np.full((2, 1, 1), 0.5 * 4 * 7 + 0.5 * 100 / 50)
    )
