"""Derived quantities on patterns and curves that are known in closed form, and networks against
scikit-rf.
"""

from __future__ import annotations

import numpy as np
import pytest
import skrf
import xarray as xr

from heron.errors import HeronError
from heron.results import fsv, near, patterns, phase, polarisation, ports, signals, sphere
from tests.models import C0, dipole, solve


class Known:
    """A source whose far field is given as a function of θ and φ, within a ball."""

    def __init__(self, field, radius: float = 0.5, centre=(0.0, 0.0, 0.0)) -> None:
        self.field, self.radius, self.centre = field, radius, np.array(centre, dtype=float)

    def reach(self):
        return self.centre, self.radius

    def far_field(self, theta, phi, frequency):
        return np.stack(self.field(theta, phi), axis=-1)[None].astype(complex)


def circle(values) -> tuple[np.ndarray, np.ndarray]:
    angle = np.linspace(-180, 180, 3601)
    return angle, patterns.decibel(np.abs(values(np.radians(angle))) ** 2)


def test_a_uniform_aperture_has_its_first_lobe_at_minus_13_26_db() -> None:
    """sin u / u: first side lobe −13.26 dB, beamwidth 50.8° λ/L (Balanis, Antenna Theory, table
    12.1).
    """
    length = 20.0
    angle, level = circle(
        lambda t: np.where(np.abs(t) <= np.pi / 2, np.sinc(length * np.sin(t)), 0)
    )
    lobes = patterns.lobe_figures(angle, level)
    print(f"first lobe {lobes.first_side_lobe_db:.3f} dB, beamwidth {lobes.beamwidth_deg:.3f}°")
    assert lobes.first_side_lobe_db == pytest.approx(-13.26, abs=0.01)
    assert lobes.side_lobe_db == pytest.approx(-13.26, abs=0.01)
    assert lobes.beamwidth_deg == pytest.approx(50.8 / length, rel=2e-3)


def test_the_first_side_lobe_is_the_next_one_not_the_highest() -> None:
    angle = np.linspace(-180, 180, 721)

    def bell(at: float, high: float) -> np.ndarray:
        return high * np.exp(-(((angle - at) / 8) ** 2))

    level = -60 + bell(0, 60) + bell(35, 35) + bell(90, 45)
    lobes = patterns.lobe_figures(angle, level)
    assert lobes.first_side_lobe_db == pytest.approx(-25, abs=0.01)
    assert lobes.side_lobe_db == pytest.approx(-15, abs=0.01)


@pytest.mark.parametrize("power", [1, 2, 4, 8])
def test_beamwidth_of_a_cosine_power(power: int) -> None:
    """cosⁿ in field falls to half power where cos θ = 2^(−1/2n)."""
    angle, level = circle(lambda t: np.maximum(np.cos(t), 0) ** power)
    assert patterns.lobe_figures(angle, level).beamwidth_deg == pytest.approx(
        2 * np.degrees(np.arccos(2 ** (-1 / (2 * power)))), abs=1e-3
    )


def test_an_isotropic_cut_has_no_figures() -> None:
    angle, level = circle(np.ones_like)
    lobes = patterns.lobe_figures(angle, level)
    assert lobes.beamwidth_deg is None
    assert lobes.first_side_lobe_db is None
    assert lobes.front_to_back_db is None, "front and back are alike"


def test_a_hertz_dipole_anywhere_is_held_by_its_samples() -> None:
    """Three current elements off the origin: every direction, to the accuracy promised for the
    degree.
    """
    f = C0
    places = np.array([[0.7, 0.2, 0.1], [0.1, -0.4, 0.5], [0.3, 0.3, -0.6]])
    moments = np.array([[1, 0.3j, 0], [0, 1, 1j], [0.5, -0.2, 1]])

    def field(theta, phi):
        unit = sphere.directions(theta, phi)
        j = np.exp(2j * np.pi * (unit @ places.T)) @ moments
        along_theta = np.stack(
            (np.cos(theta) * np.cos(phi), np.cos(theta) * np.sin(phi), -np.sin(theta)), -1
        )
        along_phi = np.stack((-np.sin(phi), np.cos(phi), np.zeros_like(phi)), -1)
        return (j * along_theta).sum(-1), (j * along_phi).sum(-1)

    centre = (places.max(0) + places.min(0)) / 2
    source = Known(field, float(np.linalg.norm(places - centre, axis=1).max()), centre)
    samples, middle = sphere.sampled(source, f)
    s = sphere.Sphere(sphere.waves_of(samples), middle, sphere.wave_number(f))
    draw = np.random.default_rng(3)
    theta, phi = np.arccos(draw.uniform(-1, 1, 2000)), draw.uniform(-np.pi, 3 * np.pi, 2000)
    true = np.stack(field(theta, phi), -1)
    error = np.abs(s.at(theta, phi) - true).max() / np.abs(true).max()
    print(f"order {s.order}: error {error:.1e} of the peak")
    assert error < 1e-4
    mesh = s.mesh(theta[:5], phi[:7])
    assert np.allclose(mesh[2, 3], s.at(theta[2:3], phi[3:4])[0], rtol=0, atol=1e-12)


def test_recorded_patterns_equal_the_currents_own() -> None:
    """A run's stored far field in all directions against direct integration of its currents; over a
    ground as well.
    """
    rng = np.random.default_rng(5)
    for document in (
        dipole(1.3),
        {
            **dipole(0.25),
            "parts": [
                {
                    "kind": "wire",
                    "name": "rod",
                    "start": ["0.3 m", "0", "0"],
                    "end": ["0.3 m", "0", "0.6 m"],
                    "radius": "1 mm",
                }
            ],
            "feeds": [{"number": 1, "part": "rod", "at": "0"}],
            "surround": {"kind": "ground", "height": "0"},
        },
    ):
        plain = solve(document)
        kept = sphere.record(plain, [0])
        theta, phi = np.degrees(np.arccos(rng.uniform(-1, 1, 400))), rng.uniform(0, 360, 400)
        a, b = (patterns.far_field(r, 0, theta, phi) for r in (plain, kept))
        error = np.abs(a - b).max() / np.abs(a).max()
        print(f"recorded against direct: {error:.1e}")
        assert error < 1e-4
        one, other = (patterns.figures(r, [0])[0] for r in (plain, kept))
        assert one.directivity_dbi == pytest.approx(other.directivity_dbi, abs=1e-3)


def test_half_wave_dipole_in_the_cut() -> None:
    """78° between half-power points (Balanis, Antenna Theory, sec. 4.6); linear, and all of it
    θ.
    """
    results = sphere.record(solve(dipole(0.5)), [0])
    cut = patterns.cut(results, 0, "phi=0")
    assert cut.lobes.beamwidth_deg == pytest.approx(78, abs=0.5)
    theta_only = patterns.cut(results, 0, "phi=0", part="theta")
    assert np.allclose(cut.level, theta_only.level, atol=1e-6)
    assert patterns.cut(results, 0, "phi=0", part="phi").level.max() < cut.level.max() - 80


@pytest.mark.parametrize(("ratio", "tilt"), [(1.5, 0.3), (4.0, -1.1), (20.0, 1.2), (3.0, 0.0)])
@pytest.mark.parametrize("right", [True, False])
def test_tilted_ellipses(ratio: float, tilt: float, right: bool) -> None:
    """An ellipse with half axes 1 and 1/ratio, turned by its tilt: what is put in comes out."""
    turn = -1j if right else 1j
    major, minor = 1.0, turn / ratio
    field = np.array(
        [[np.cos(tilt) * major - np.sin(tilt) * minor, np.sin(tilt) * major + np.cos(tilt) * minor]]
    ) * np.exp(0.7j)
    found = polarisation.ellipse(field)
    assert found.axial_ratio[0] == pytest.approx(ratio, rel=1e-12)
    assert found.tilt[0] == pytest.approx(tilt, abs=1e-12)
    assert bool(found.right[0]) == right


def test_pure_circular_waves_and_energy_of_components() -> None:
    field = np.array([[1.0, -1j]])
    r, l = polarisation.circular(field)
    assert abs(r[0]) ** 2 == pytest.approx(2)
    assert abs(l[0]) < 1e-15
    assert np.isnan(polarisation.ellipse(np.zeros((1, 2))).axial_ratio[0])
    any_field = np.array([[0.3 + 1j, -0.2j]])
    total = polarisation.component(any_field, np.array([0.4]), "total")
    for pair in (("theta", "phi"), ("co", "cross"), ("right", "left")):
        assert sum(
            polarisation.component(any_field, np.array([0.4]), p, 0.9) for p in pair
        ) == pytest.approx(total)
    with pytest.raises(ValueError, match="a component is one of"):
        polarisation.component(any_field, np.array([0.4]), "up")


def test_ludwig_components_of_a_huygens_source() -> None:
    """A Huygens source along x has no cross-polar field by the third definition (Ludwig 1973)."""
    theta, phi = np.meshgrid(np.linspace(0.1, 2.5, 9), np.linspace(0, 6, 13), indexing="ij")
    field = np.stack(((1 + np.cos(theta)) * np.cos(phi), -(1 + np.cos(theta)) * np.sin(phi)), -1)
    co, cross = polarisation.co_cross(field, phi, 0.0)
    assert np.abs(cross).max() < 1e-14
    assert np.allclose(co, 1 + np.cos(theta))
    assert np.abs(polarisation.co_cross(field, phi, np.pi / 2)[0]).max() < 1e-14


@pytest.mark.parametrize("place", [(0.0, 0.0, 0.0), (0.03, -0.05, 0.2), (-0.1, 0.0, -0.35)])
def test_a_known_phase_centre_is_found(place: tuple[float, float, float]) -> None:
    f, at = 3e8, np.array(place)
    theta, phi, weight = phase.cone(0.0, 0.0, np.radians(40))
    field = (
        np.stack(((1 + np.cos(theta)) * np.cos(phi), -(1 + np.cos(theta)) * np.sin(phi)), -1)
        * np.exp(2j * np.pi * f / C0 * (sphere.directions(theta, phi) @ at))[:, None]
    )
    found = phase.phase_centre(field, theta, phi, weight, f, np.zeros(3))
    print(f"off by {np.abs(found.place - at).max():.1e} m, rms {found.rms:.1e} rad")
    assert np.allclose(found.place, at, atol=1e-6)
    assert found.rms < 1e-6
    with pytest.raises(HeronError, match="no field in this cone"):
        phase.phase_centre(0 * field, theta, phi, weight, f, np.zeros(3))


def test_the_cone_has_its_solid_angle() -> None:
    _, _, weight = phase.cone(0.7, 1.2, np.radians(25))
    assert weight.sum() == pytest.approx(2 * np.pi * (1 - np.cos(np.radians(25))), rel=1e-12)


def test_group_delay_of_a_line() -> None:
    """2 m at the speed of light through a line, and its phase without jumps."""
    f = np.linspace(1e8, 3e9, 401)
    delay = 2.0 / C0
    phase_ = ports.unwrapped(np.exp(-2j * np.pi * f * delay))
    assert np.ptp(phase_) == pytest.approx(2 * np.pi * (f[-1] - f[0]) * delay, rel=1e-12)
    assert np.allclose(ports.group_delay(f, phase_), delay, rtol=1e-9)
    network = skrf.Network(
        f=f, f_unit="Hz", s=np.exp(-2j * np.pi * f * delay)[:, None, None], z0=50
    )
    assert np.allclose(
        ports.group_delay(f, phase_)[2:-2], network.group_delay[2:-2, 0, 0], rtol=1e-6
    )


def test_reflection_against_time_of_lines_and_steps() -> None:
    """A 75 Ω line of 0.6 m (4 ns to and fro) before an open end, in a 50 Ω system: +0.2, then a
    step to one.
    """
    f = np.linspace(20e6, 6e9, 300)
    media = skrf.media.DefinedGammaZ0(
        skrf.Frequency.from_f(f, unit="Hz"), z0_port=50, z0=75, gamma=2j * np.pi * f / C0
    )
    gamma = (media.line(0.6, "m") ** media.open()).s[:, 0, 0]
    found = ports.time_domain(f, gamma, 50.0)

    def at(t: float) -> int:
        return int(np.argmin(np.abs(found.time - t)))

    print(
        f"plateau {found.reflection[at(2e-9)]:.4f} of 0.2, {found.impedance[at(2e-9)]:.2f} Ω of 75"
    )
    assert found.reflection[at(2e-9)] == pytest.approx(0.2, abs=4e-3)
    assert found.impedance[at(2e-9)] == pytest.approx(75, rel=0.01)
    assert abs(found.reflection[at(-3e-10)]) < 4e-3
    middle = found.time[np.flatnonzero(found.reflection > 0.6)[0]]
    assert middle == pytest.approx(1.2 / C0, rel=0.01)
    edge = ports.time_domain(f, np.full(len(f), 0.5 + 0j), 50.0)
    rise = np.interp([0.05, 0.45], edge.reflection[: at(3e-10)], edge.time[: at(3e-10)])
    assert rise[1] - rise[0] == pytest.approx(edge.resolution, rel=0.1)
    with pytest.raises(HeronError, match="at most a tenth"):
        ports.time_domain(np.linspace(2e9, 3e9, 50), np.zeros(50, dtype=complex), 50.0)


def test_network_quantities_against_a_library() -> None:
    """Impedance, admittance, VSWR, return loss, group delay against scikit-rf for random passive
    two-ports.
    """
    rng = np.random.default_rng(11)
    f = np.linspace(1e9, 2e9, 21)
    s = 0.3 * (rng.normal(size=(21, 2, 2)) + 1j * rng.normal(size=(21, 2, 2)))
    network = skrf.Network(f=f, f_unit="Hz", s=s, z0=50)
    assert np.allclose(ports.vswr(s[:, 0, 0]), network.s_vswr[:, 0, 0])
    assert np.allclose(ports.magnitude_db(s), network.s_db)
    assert np.allclose(
        ports.scattering(_dataset(f, s), np.array([75.0, 20.0])), _renormalised(network, [75, 20])
    )


def _renormalised(network: skrf.Network, z0: list[float]) -> np.ndarray:
    other = network.copy()
    other.renormalize(z0)
    return np.asarray(other.s)


def _dataset(f: np.ndarray, s: np.ndarray) -> xr.Dataset:
    return xr.Dataset(
        {"s": (("frequency", "port", "from"), s), "z0": ("port", np.full(s.shape[1], 50.0))},
        {"frequency": f, "port": np.arange(1, s.shape[1] + 1)},
    )


X = np.linspace(0, 10, 401)


def wave(shift: float = 0.0, size: float = 1.0, offset: float = 0.0) -> np.ndarray:
    return offset + size * (np.sin(1.5 * (X - shift)) + 0.4 * np.sin(9 * (X - shift)) + 2)


def test_identical_curves_are_graded_zero() -> None:
    """IEEE Std 1597.1: no difference, no measure; and the scale of the ordinate does not matter,
    nor the order.
    """
    same = fsv.compare(X, wave(), X, wave())
    assert (same.adm, same.fdm, same.gdm, same.grade) == (0, 0, 0, "excellent")
    a = fsv.compare(X, wave(), X, wave(0.1))
    for other in (
        fsv.compare(X, 1e3 * wave(), X, 1e3 * wave(0.1)),
        fsv.compare(X * 1e9, wave(), X * 1e9, wave(0.1)),
        fsv.compare(X, wave(0.1), X, wave()),
    ):
        assert (other.adm, other.gdm) == pytest.approx((a.adm, a.gdm), rel=1e-9)


def test_grades_get_worse_with_the_difference() -> None:
    """An offset counts as amplitude, a shift as features too; both grow."""
    offsets = [fsv.compare(X, wave(), X, wave(offset=d)) for d in (0.05, 0.2, 0.8)]
    assert [g.adm for g in offsets] == sorted(g.adm for g in offsets)
    assert all(g.fdm < 1e-9 for g in offsets)
    shifts = [fsv.compare(X, wave(), X, wave(shift=d)) for d in (0.02, 0.08, 0.3)]
    assert [g.fdm for g in shifts] == sorted(g.fdm for g in shifts)
    ripple = fsv.compare(X, wave(), X, wave() + 0.4 * np.cos(9 * X))
    assert ripple.fdm > ripple.adm
    assert [fsv.word(g) for g in (0.05, 0.15, 0.3, 0.6, 1.2, 5)] == [
        "excellent",
        "very good",
        "good",
        "fair",
        "poor",
        "very poor",
    ]
    assert sum(shifts[1].histogram(shifts[1].gdm_at).values()) == pytest.approx(1)


def test_an_offset_alone_has_its_closed_form() -> None:
    """Two constants a, b: ADM = r exp r with r = 2|a − b|/(…): χ/δ of Duffy et al. (2006), eq. 1,
    here |a − b|/(a + b).
    """
    n = np.ones(64)
    found = fsv.compare(np.arange(64.0), 3 * n, np.arange(64.0), 2 * n)
    assert found.adm == pytest.approx(0.2 * np.exp(0.2), rel=1e-9)


def test_curves_that_cannot_be_compared() -> None:
    with pytest.raises(HeronError, match="do not overlap"):
        fsv.compare(X, wave(), X + 100, wave())
    with pytest.raises(HeronError, match="two values at"):
        fsv.compare(np.array([1.0, 1.0, 2.0]), np.ones(3), X, wave())


def test_quantities_of_a_plane_wave() -> None:
    """Along z, E along x of 1 V/m peak: |E| rms, components, power 1/2η, |E|/|H| = η; a vector has
    three phasors, a component one, power none.
    """
    eta = 376.730313412
    e, h = np.array([[1, 0, 0]], dtype=complex), np.array([[0, 1 / eta, 0]], dtype=complex)
    wanted = {
        "e": 0.5**0.5,
        "h": 0.5**0.5 / eta,
        "ex": 1,
        "ey": 0,
        "hy": 1 / eta,
        "s": 0.5 / eta,
        "sz": 0.5 / eta,
        "sx": 0,
        "w": eta,
    }
    for what, value in wanted.items():
        found, phasor = near.quantity(e, h, what)
        assert found[0] == pytest.approx(value), what
        assert (None if phasor is None else phasor.shape[1]) == (
            3 if what in "eh" else 1 if what[0] in "eh" else None
        )
    with pytest.raises(ValueError, match="a near field shows"):
        near.quantity(e, h, "mood")


def test_decay_and_phase_along_a_line() -> None:
    """A wave that falls to 1/e over 0.4 m with 30 rad/m: both come out of the fit."""
    x = np.linspace(0, 1, 41)
    field = np.stack((0 * x, np.exp(-x / 0.4 - 30j * x), 0.1 * np.exp(-x)), axis=1)
    fit = near.decay(x, field)
    assert (fit.length, fit.beta) == pytest.approx((0.4, 30), rel=1e-9)
    assert fit.rest_db < 1e-9
    with pytest.raises(HeronError, match="at least three points"):
        near.decay(x[:2], field[:2])


def test_the_spectrum_of_a_gaussian_pulse() -> None:
    """exp(-(t/τ)²) at f0 has |F| falling as exp(-(π τ (f - f0))²) (Bracewell, The Fourier Transform
    and Its Applications).
    """
    t, tau, f0 = np.linspace(-10e-9, 10e-9, 4001), 1e-9, 2e9
    f = np.linspace(1.4e9, 2.6e9, 25)
    level = signals.spectrum(
        t, (np.exp(-((t / tau) ** 2)) * np.cos(2 * np.pi * f0 * t))[:, None], f
    )[:, 0]
    assert np.allclose(level, 20 * np.log10(np.e) * -((np.pi * tau * (f - f0)) ** 2), atol=2e-3)
