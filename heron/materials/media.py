"""Media: relative permittivity and permeability against frequency, exp(+jωt), so losses are
negative imaginary parts.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from heron.quantities.constants import C0, EPS0

Complexes = NDArray[np.complex128]
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Pole:
    """One term of a dispersive permittivity.

    - Debye: ``strength``/(1 + jωτ)^(1−``spread``), τ = ``time`` s; a spread above zero is Cole and
      Cole's
    - Lorentz: ``strength``·ω0²/(ω0² + jωγ − ω²), ω0 = ``omega`` and γ = ``gamma`` rad/s
    - Drude: −ωp²/(ω² − jωγ), ωp = ``omega``

    Sources: Debye 1929; Cole and Cole, J. Chem. Phys. 9 (1941); Bohren and Huffman, ch. 9.
    """

    kind: Literal["debye", "lorentz", "drude"]
    strength: float = 0.0
    time: float = 0.0
    spread: float = 0.0
    omega: float = 0.0
    gamma: float = 0.0

    def __call__(self, omega: Floats) -> Complexes:
        if self.kind == "debye":
            return np.asarray(self.strength / (1 + (1j * omega * self.time) ** (1 - self.spread)))
        if self.kind == "lorentz":
            return np.asarray(
                self.strength * self.omega**2 / (self.omega**2 + 1j * omega * self.gamma - omega**2)
            )
        return np.asarray(-(self.omega**2) / (omega**2 - 1j * omega * self.gamma))


@dataclass(frozen=True)
class Medium:
    """A linear isotropic medium.

    ``conductivity`` in S/m; ``loss_tangent`` holds at every frequency.

    ``table``: rows (frequency Hz, ε′, ε″) with ε″ ≥ 0, used instead of the constant, straight
    between rows.
    """

    name: str
    permittivity: float = 1.0
    loss_tangent: float = 0.0
    conductivity: float = 0.0
    permeability: float = 1.0
    magnetic_loss_tangent: float = 0.0
    poles: tuple[Pole, ...] = ()
    table: tuple[tuple[float, float, float], ...] = ()
    source: str = ""
    group: str = "this project"

    def epsilon(self, frequency: ArrayLike) -> Complexes:
        """Relative permittivity (n,) at frequencies (n,) Hz, conductivity included."""
        f = np.atleast_1d(np.asarray(frequency, dtype=float))
        omega = 2 * np.pi * f
        if self.table:
            at, real, imag = np.array(self.table).T
            value = np.interp(f, at, real) - 1j * np.interp(f, at, imag)
        else:
            value = np.full(len(f), self.permittivity * (1 - 1j * self.loss_tangent))
        for pole in self.poles:
            value = value + pole(omega)
        return np.asarray(value - 1j * self.conductivity / (omega * EPS0))

    def mu(self, frequency: ArrayLike) -> Complexes:
        """Relative permeability (n,)."""
        f = np.atleast_1d(np.asarray(frequency, dtype=float))
        return np.full(len(f), self.permeability * (1 - 1j * self.magnetic_loss_tangent))

    def index(self, frequency: ArrayLike) -> Complexes:
        """Index of refraction (n,), with losses as a negative imaginary part."""
        return np.asarray(np.sqrt(self.epsilon(frequency)) * np.sqrt(self.mu(frequency)))

    def effective_conductivity(self, frequency: ArrayLike) -> Floats:
        """All losses as a conductivity (n,), S/m: −ωε0 Im ε."""
        f = np.atleast_1d(np.asarray(frequency, dtype=float))
        return np.asarray(-2 * np.pi * f * EPS0 * self.epsilon(f).imag)

    def skin_depth(self, frequency: ArrayLike) -> Floats:
        """Distance (n,) in m over which a plane wave falls to 1/e; infinite without loss."""
        f = np.atleast_1d(np.asarray(frequency, dtype=float))
        gamma = 1j * 2 * np.pi * f / C0 * np.sqrt(self.epsilon(f) * self.mu(f))
        with np.errstate(divide="ignore"):
            return np.asarray(1 / np.abs(gamma.real))

    @property
    def lossless(self) -> bool:
        """Whether it absorbs nothing at any frequency."""
        rows = any(row[2] > 0 for row in self.table)
        losses = (self.loss_tangent, self.conductivity, self.magnetic_loss_tangent)
        return not (any(losses) or self.poles or rows)

    @property
    def empty(self) -> bool:
        """Whether it is as vacuum."""
        return self.lossless and not self.table and self.permittivity == self.permeability == 1.0

    @property
    def passive(self) -> bool:
        """Whether it absorbs at every frequency between 1 MHz and 3 PHz."""
        return bool(
            (self.epsilon(np.geomspace(1e6, 3e15, 400)).imag <= 1e-12).all()
            and self.magnetic_loss_tangent >= 0
        )


STARTS = (0.0, 0.6)  # poles are sought over the whole span of the table, and in its upper part


def fit_poles(
    frequency: ArrayLike, epsilon: ArrayLike, kinds: Sequence[str]
) -> tuple[Medium, float]:
    """Poles of the given kinds fitted to tabulated permittivity, passive by construction.

    Relaxation times, resonances and damping are optimised on a logarithmic scale; strengths, ε∞ and
    conductivity are the non-negative least-squares solution for them (Lawson and Hanson 1974), so
    Im ε ≤ 0 always and ε∞ ≥ 1.

    :param frequency: (n,) Hz; ``epsilon`` (n,) complex, negative imaginary for losses; ``kinds`` of
        "debye", "lorentz", "drude".
    :returns: the medium and the largest error relative to |ε|.
    :raises ValueError: fewer values than unknowns.
    """
    from scipy.optimize import least_squares, nnls

    f, eps = np.asarray(frequency, dtype=float), np.asarray(epsilon, dtype=complex)
    unknowns = 2 + sum({"debye": 2, "lorentz": 3, "drude": 2}[k] for k in kinds)
    if 2 * len(f) < unknowns:
        raise ValueError(
            f"{len(kinds)} poles need at least {-(-unknowns // 2)} frequencies, not {len(f)}"
        )
    omega = 2 * np.pi * f
    weight = 1 / np.abs(eps)

    def terms(logs: Floats) -> list[Pole]:
        """Poles of strength one; a Drude pole's ω² is its strength and stands in for it."""
        at = iter(10.0**logs)
        made = []
        for kind in kinds:
            if kind == "debye":
                made.append(Pole("debye", strength=1.0, time=1 / next(at)))
            elif kind == "lorentz":
                made.append(Pole("lorentz", strength=1.0, omega=next(at), gamma=next(at)))
            else:
                made.append(Pole("drude", omega=omega.max(), gamma=next(at)))
        return made

    def solve(logs: Floats) -> tuple[Floats, Complexes]:
        columns = [
            np.ones(len(f), dtype=complex),
            -1j / (omega * EPS0) * 1e-3,
            *(pole(omega) for pole in terms(logs)),
        ]
        a = np.column_stack(columns) * weight[:, None]
        wanted = np.concatenate((((eps - 1) * weight).real, (eps * weight).imag))
        x, _ = nnls(np.vstack((a.real, a.imag)), wanted)
        return x, np.asarray(1 + (a @ x) / weight)

    def residual(logs: Floats) -> Floats:
        error = (solve(logs)[1] - eps) * weight
        return np.concatenate((error.real, error.imag))

    low, high = np.log10(omega.min()) - 1, np.log10(omega.max()) + 1
    tries = []
    for below in STARTS if kinds else ():
        start: list[float] = []
        for k, kind in enumerate(kinds):
            middle = low + (high - low) * (below + (1 - below) * (k + 1) / (len(kinds) + 1))
            start += {"debye": [middle], "lorentz": [middle, middle - 1], "drude": [low]}[kind]
        tries.append(least_squares(residual, start, bounds=(low - 4, high + 1), x_scale=0.3))
    best = min(tries, key=lambda t: float(t.cost), default=None)
    logs = np.asarray(best.x if best is not None else [])
    x, model = solve(logs)
    poles = tuple(
        replace(p, omega=p.omega * float(np.sqrt(s)))
        if p.kind == "drude"
        else replace(p, strength=float(s))
        for s, p in zip(x[2:], terms(logs), strict=True)
        if s > 0
    )
    error = float(np.abs((model - eps) * weight).max())
    return Medium(
        "fit", permittivity=1 + float(x[0]), conductivity=float(x[1]) * 1e-3, poles=poles
    ), error


FITS: tuple[tuple[str, ...], ...] = (
    (),
    ("debye",),
    ("debye",) * 2,
    ("debye",) * 3,
    ("lorentz",),
    ("lorentz",) * 2,
    ("drude",),
    ("drude", "lorentz"),
    ("drude", "lorentz", "lorentz"),
)
GOOD_FIT = 1e-3


def best_fit(
    frequency: Floats, epsilon: Complexes, tries: Sequence[Sequence[str]]
) -> tuple[Medium, float]:
    """A passive fit and its error as in :func:`fit_poles`: of kinds of poles to try the first
    within a thousandth, or else the best.

    :raises ValueError: too few values for any.
    """
    best: tuple[Medium, float] | None = None
    for kinds in tries:
        try:
            found = fit_poles(frequency, epsilon, kinds)
        except ValueError:
            continue
        if best is None or found[1] < best[1]:
            best = found
        if best[1] < GOOD_FIT:
            break
    if best is None:
        raise ValueError("a table needs at least one row")
    return best


def fit_table(medium: Medium) -> tuple[Medium, float]:
    """The best fit to a tabulated medium and its error."""
    at = np.array([row[0] for row in medium.table])
    return best_fit(at, medium.epsilon(at), FITS)


def _cole(name: str, infinity: float, sigma: float, *terms: tuple[float, float, float]) -> Medium:
    return Medium(
        name,
        permittivity=infinity,
        conductivity=sigma,
        poles=tuple(Pole("debye", strength=d, time=t, spread=a) for d, t, a in terms),
        source="Gabriel, Lau and Gabriel, Phys. Med. Biol. 41 (1996), from memory",
        group="tissue",
    )


# Photon energy in eV, n, k.
_GOLD = (
    (0.64, 0.92, 13.78),
    (0.77, 0.56, 11.21),
    (0.89, 0.43, 9.519),
    (1.02, 0.35, 8.145),
    (1.14, 0.27, 7.150),
    (1.26, 0.22, 6.350),
    (1.39, 0.17, 5.663),
    (1.51, 0.16, 5.083),
    (1.64, 0.14, 4.542),
    (1.76, 0.13, 4.103),
    (1.88, 0.14, 3.697),
    (2.01, 0.21, 3.272),
    (2.14, 0.29, 2.863),
    (2.26, 0.43, 2.455),
    (2.38, 0.62, 2.081),
    (2.50, 1.04, 1.833),
    (2.63, 1.31, 1.849),
    (2.75, 1.38, 1.914),
    (2.88, 1.45, 1.948),
    (3.00, 1.46, 1.958),
    (3.12, 1.47, 1.952),
    (3.25, 1.46, 1.933),
    (3.37, 1.48, 1.895),
    (3.50, 1.50, 1.866),
    (3.62, 1.48, 1.871),
    (3.74, 1.48, 1.883),
    (3.87, 1.54, 1.898),
)
_SILVER = (
    (0.64, 0.24, 14.08),
    (0.77, 0.15, 11.85),
    (0.89, 0.13, 10.10),
    (1.02, 0.09, 8.828),
    (1.14, 0.04, 7.795),
    (1.26, 0.04, 6.992),
    (1.39, 0.04, 6.312),
    (1.51, 0.04, 5.727),
    (1.64, 0.03, 5.242),
    (1.76, 0.04, 4.838),
    (1.88, 0.05, 4.483),
    (2.01, 0.06, 4.152),
    (2.14, 0.05, 3.858),
    (2.26, 0.06, 3.586),
    (2.38, 0.05, 3.324),
    (2.50, 0.05, 3.093),
    (2.63, 0.05, 2.869),
    (2.75, 0.04, 2.657),
    (2.88, 0.04, 2.462),
    (3.00, 0.05, 2.275),
    (3.12, 0.05, 2.070),
    (3.25, 0.05, 1.864),
    (3.37, 0.07, 1.657),
    (3.50, 0.10, 1.419),
    (3.62, 0.14, 1.142),
    (3.74, 0.17, 0.829),
    (3.87, 0.81, 0.392),
)
EV = 1.602176634e-19 / 6.62607015e-34  # Hz


def _optical(name: str, rows: tuple[tuple[float, float, float], ...]) -> Medium:
    return Medium(
        name,
        table=tuple((ev * EV, n * n - k * k, 2 * n * k) for ev, n, k in rows),
        source="Johnson and Christy, Phys. Rev. B 6 (1972), from memory",
        group="optical",
    )


_POZAR = "Pozar, Microwave Engineering, appendix G, from memory"
_COMMON = "common practice"
_ITU = "Recommendation ITU-R P.527, constants for VHF and UHF, from memory"

MEDIA: dict[str, Medium] = {
    m.name: m
    for m in (
        Medium("vacuum", source="by definition", group="air"),
        Medium("air", 1.0006, source="common practice", group="air"),
        Medium("FR4", 4.4, 0.02, source=_COMMON, group="boards"),
        Medium("PTFE glass board", 2.2, 0.0009, source=_COMMON, group="boards"),
        Medium("hydrocarbon ceramic board", 3.55, 0.0027, source=_COMMON, group="boards"),
        Medium("ceramic PTFE board", 10.2, 0.0023, source=_COMMON, group="boards"),
        Medium("polyimide film", 3.4, 0.005, source=_COMMON, group="boards"),
        Medium("rigid foam", 1.05, 0.0003, source=_COMMON, group="foams"),
        Medium("polystyrene foam", 1.03, 0.0001, source=_POZAR, group="foams"),
        Medium("PTFE", 2.08, 0.0004, source=_POZAR, group="plastics"),
        Medium("polyethylene", 2.25, 0.00031, source=_POZAR, group="plastics"),
        Medium("polystyrene", 2.54, 0.00033, source=_POZAR, group="plastics"),
        Medium("acrylic glass", 2.56, 0.005, source=_POZAR, group="plastics"),
        Medium("nylon", 2.84, 0.012, source=_POZAR, group="plastics"),
        Medium("ABS", 2.7, 0.006, source=_COMMON, group="plastics"),
        Medium("PLA", 2.7, 0.01, source=_COMMON, group="plastics"),
        Medium("polycarbonate", 2.8, 0.006, source=_COMMON, group="plastics"),
        Medium("alumina", 9.7, 0.0002, source=_POZAR, group="ceramics"),
        Medium("beryllia", 6.4, 0.0003, source=_POZAR, group="ceramics"),
        Medium("fused quartz", 3.78, 0.0001, source=_POZAR, group="ceramics"),
        Medium("borosilicate glass", 4.82, 0.0054, source=_POZAR, group="ceramics"),
        Medium("titania ceramic", 96.0, 0.001, source=_POZAR, group="ceramics"),
        Medium("silicon", 11.9, 0.004, source=_POZAR, group="semiconductors"),
        Medium("gallium arsenide", 13.0, 0.006, source=_POZAR, group="semiconductors"),
        Medium(
            "ferrite",
            12.0,
            0.001,
            permeability=100.0,
            magnetic_loss_tangent=0.05,
            source=_COMMON,
            group="magnetic",
        ),
        Medium("dry wood", 2.0, 0.02, source=_COMMON, group="building"),
        Medium(
            "concrete",
            5.3,
            conductivity=0.03,
            source="Recommendation ITU-R P.2040 near 1 GHz, from memory",
            group="building",
        ),
        Medium(
            "water",
            5.2,
            poles=(Pole("debye", 73.16, 8.27e-12),),
            source="Kaatze, J. Chem. Eng. Data 34 (1989), 25 °C, from memory",
            group="water and ground",
        ),
        Medium(
            "sea water",
            5.2,
            conductivity=4.8,
            poles=(Pole("debye", 68.0, 8.3e-12),),
            source="Debye form, 20 °C, from memory",
            group="water and ground",
        ),
        Medium("wet ground", 30.0, conductivity=0.01, source=_ITU, group="water and ground"),
        Medium("medium dry ground", 15.0, conductivity=1e-3, source=_ITU, group="water and ground"),
        Medium("very dry ground", 3.0, conductivity=1e-4, source=_ITU, group="water and ground"),
        _optical("optical gold", _GOLD),
        _optical("optical silver", _SILVER),
        Medium(
            "optical glass",
            2.31,
            source="crown glass near 550 nm, n = 1.52, common practice",
            group="optical",
        ),
        Medium(
            "optical silica",
            2.13,
            source="fused silica near 600 nm, n = 1.458, common practice",
            group="optical",
        ),
        Medium(
            "optical water",
            1.777,
            source="water near 590 nm, n = 1.333, common practice",
            group="optical",
        ),
        _cole(
            "muscle",
            4.0,
            0.2,
            (50.0, 7.234e-12, 0.1),
            (7000.0, 353.678e-9, 0.1),
            (1.2e6, 318.310e-6, 0.1),
            (2.5e7, 2.274e-3, 0.0),
        ),
        _cole(
            "fat",
            2.5,
            0.01,
            (3.0, 7.958e-12, 0.2),
            (15.0, 15.915e-9, 0.1),
            (3.3e4, 159.155e-6, 0.05),
            (1e7, 7.958e-3, 0.01),
        ),
        _cole("dry skin", 4.0, 0.0002, (32.0, 7.234e-12, 0.0), (1100.0, 32.481e-9, 0.2)),
    )
}
