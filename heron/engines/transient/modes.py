"""Modes of a cross-section of the grid: what travels along one axis as λ^n from line to line, by
the scheme's own difference equations.

With ∂ along the axis as −jβ̃, β̃ = 2 sin(βΔ/2)/Δ, transverse E = e and q = (H_b, −H_a) obey jβ̃ q =
A e and jβ̃ e = B q; (a, b, axis) is right-handed. So −β̃² e = B A e, a sparse eigenproblem of two
components without false solutions (Zhu and Brown, Opt. Express 10 (2002), for the uniform grid).
Each e lies where its q lies, so that Σ e q dA is the flux, and modes are orthogonal in it (Collin,
*Field Theory of Guided Waves*, ch. 5).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label
from scipy.sparse import csc_matrix, csr_matrix, diags, hstack, identity, kron, vstack
from scipy.sparse.linalg import ArpackNoConvergence, eigs
from threadpoolctl import ThreadpoolController

from heron.errors import ModelError
from heron.quantities.constants import C0, EPS0, MU0

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]
Bools = NDArray[np.bool_]

MARGIN = 1.02  # of the largest β̃² that any medium would carry: the eigenvalues sought lie below
EXTREME = 1e4  # permittivity that is no medium's
# of the square of a surface wave's index: what it may be on a film of some tens of nanometres
THIN_FILM = 1.5
# of β̃²: modes nearer than this are a pair whose fields are any mixture, and are turned along the
# axes
SAME_INDEX = 1e-4
# of a field's energy along the way: less is none, and the mode is TE or TM by that
PLAIN = 1e-3
PURE = 1e-4  # the same of TEM, as cut cells leave it
# times its wave impedance: a mode whose current would make more of an impedance has none to speak
# of
RETURNS = 50.0
QUASI = 0.2  # the same of the mode of a line, whose media differ
METALLIC = 10.0  # loss tangent of what counts as a conductor
NO_CUT = 1e-6  # of ω² of the band: cut-offs below are those of no mode


@dataclass
class Section:
    """A window of cells (na, nb) across an axis, with the coefficients of the scheme at ω.

    ``steps`` and ``widths`` are cell sizes (na,), (nb,) and what lines stand for (na + 1,), (nb +
    1,), m. Admittances ``y`` of E along a (na, nb + 1), b (na + 1, nb) and the axis (na + 1, nb +
    1), S/m; impedances ``z`` of H along a (na + 1, nb), b (na, nb + 1) and the axis (na, nb), Ω/m.
    ``live`` are the same three of E that are no metal; ``step`` the cell along the axis, m.
    """

    steps: tuple[Floats, Floats]
    widths: tuple[Floats, Floats]
    y: tuple[Complexes, Complexes, Complexes]
    z: tuple[Complexes, Complexes, Complexes]
    live: tuple[Bools, Bools, Bools]
    step: float
    omega: float  # 2 sin(ωΔt/2)/Δt, 1/s

    @property
    def weight(self) -> Floats:
        """Areas (n,) in m² that transverse components stand for, those along a first."""
        (sa, sb), (wa, wb) = self.steps, self.widths
        return np.concatenate((np.outer(sa, wb).ravel(), np.outer(wa, sb).ravel()))

    @property
    def insulating(self) -> tuple[Bools, Bools, Bools]:
        """Those that are neither perfect metal nor conduct far better than they polarise."""
        along_a, along_b, upright = (
            there & ~(y.real > METALLIC * np.abs(y.imag))
            for y, there in zip(self.y, self.live, strict=True)
        )
        return along_a, along_b, upright

    @property
    def alive(self) -> NDArray[np.int64]:
        """Numbers of the transverse components that are not metal."""
        return np.flatnonzero(np.concatenate((self.live[0].ravel(), self.live[1].ravel())))


@dataclass
class Mode:
    """One mode at one frequency: ``e`` and ``w`` = jβ̃ q (n,) with Σ |e|² dA = 1, and β̃², 1/m²."""

    beta2: complex
    e: Complexes
    w: Complexes

    @property
    def q(self) -> Complexes:
        return np.asarray(self.w / (1j * forward(self.beta2)))


def forward(beta2: Any) -> Any:
    """β̃ of the wave that travels or decays forward, from its square."""
    root = np.sqrt(np.asarray(beta2, dtype=complex))
    return np.where(root.imag > root.real, -root, root)


def propagation(beta2: Any, step: float) -> Any:
    """β in rad/m from β̃² = (2 sin(βΔ/2)/Δ)²."""
    return 2 / step * np.arcsin(forward(beta2) * step / 2)


def _ahead(steps: Floats) -> Any:
    """(n, n + 1): differences from line to line over cells."""
    n = len(steps)
    rows = np.arange(n)
    return csr_matrix(
        (
            np.concatenate((-1 / steps, 1 / steps)),
            (np.tile(rows, 2), np.concatenate((rows, rows + 1))),
        ),
        shape=(n, n + 1),
    )


def _behind(widths: Floats) -> Any:
    """(n + 1, n): differences of what lies in cells, at lines; beyond the window there is none."""
    n = len(widths) - 1
    cells = np.arange(n)
    return csr_matrix(
        (
            np.concatenate((1 / widths[:n], -1 / widths[1:])),
            (np.concatenate((cells, cells + 1)), np.tile(cells, 2)),
        ),
        shape=(n + 1, n),
    )


def _operators(s: Section) -> tuple[Any, Any, Any, Any]:
    """C, G, grad and div for fields along the axis: −z H = C e and y e = … − G H; jβ̃ e = … − grad
    E and y E = div q.
    """
    na, nb = (len(x) for x in s.steps)
    a, b = (identity(n) for n in (na, nb))
    a1, b1 = (identity(n + 1) for n in (na, nb))
    pa, pb = (_ahead(x) for x in s.steps)
    ma, mb = (_behind(x) for x in s.widths)
    c = hstack([-kron(a, pb), kron(pa, b)])
    g = vstack([-kron(a, mb), kron(ma, b)])
    grad = vstack([kron(pa, b1), kron(a1, pb)])
    div = hstack([kron(ma, b1), kron(a1, mb)])
    return csr_matrix(c), csr_matrix(g), csr_matrix(grad), csr_matrix(div)


def _inverse(values: Complexes, live: Bools) -> Any:
    return diags(np.where(live, 1 / np.where(live, values, 1), 0).ravel())


def _transverse(pair: tuple[Any, Any]) -> Any:
    return np.concatenate((pair[0].ravel(), pair[1].ravel()))


def solve(s: Section, count: int) -> list[Mode]:
    """The ``count`` modes of largest β̃², in falling order, each along the axes where two are of
    one speed.

    :raises ModelError: nothing can travel there; the solution does not settle.
    """
    alive = s.alive
    if len(alive) <= count + 1:
        raise ModelError(
            "its opening is only a few cells wide, too few for a mode; make it larger, or the cells"
            " smaller"
        )
    c, g, grad, div = _operators(s)
    # q along E_a is H_b, along E_b −H_a
    y, z = _transverse((s.y[0], s.y[1])), _transverse((s.z[1], s.z[0]))
    faces = np.abs(s.z[2]) > 0
    y_of = diags(np.where(np.isfinite(y), y, 0))
    turning, pressing = g @ _inverse(s.z[2], faces) @ c, grad @ _inverse(s.y[2], s.live[2]) @ div
    a = csc_matrix(y_of - turning)[alive][:, alive]
    # B A without the product of its two large terms, as nothing that turns has a divergence: in
    # numbers it would be 10⁻¹⁶/(kΔ)⁴ of β̃².
    matrix = csc_matrix(-(diags(z) @ (y_of - turning) - pressing @ y_of))[alive][:, alive]
    top = (
        s.omega**2
        / C0**2
        * _highest(y[alive] / (1j * s.omega) / EPS0)
        * float(np.real(z[alive] / (1j * s.omega) / MU0).max())
    )
    matrix.sort_indices()  # its real part shares them
    if np.abs(matrix.data.imag).max() <= 1e-9 * np.abs(matrix.data.real).max():
        matrix = matrix.real
    # not random, or runs would differ in their last digits
    start = np.ones(len(alive)) + 0.1 * np.sin(np.arange(len(alive)))
    try:
        with _threads().limit(limits=1, user_api="blas"):
            values, vectors = eigs(
                matrix, min(count + 2, len(alive) - 2), sigma=MARGIN * top, v0=start
            )
    except (ArpackNoConvergence, RuntimeError) as error:
        raise ModelError(f"no mode was found on its opening: {error}") from error
    order = np.argsort(-values.real)
    values, vectors = values[order], vectors[:, order].astype(complex)
    weight = s.weight
    onto_axis = _inverse(s.y[2], s.live[2]) @ div[:, alive] @ a
    out = []
    for column, value in zip(_parted(s, values, vectors, alive, onto_axis).T, values, strict=True):
        e: Complexes = np.zeros(len(weight), dtype=complex)
        e[alive] = column
        e = e * _sign(s, e) / np.sqrt((weight * np.abs(e) ** 2).sum())
        w: Complexes = np.zeros(len(weight), dtype=complex)
        w[alive] = a @ e[alive]
        out.append(Mode(complex(value), e, w))
    return out[:count]


@lru_cache(maxsize=1)
def _threads() -> ThreadpoolController:
    """Of the linear algebra: on vectors so short its threads only wait for each other, and beside a
    run a hundred times longer.
    """
    return ThreadpoolController()


def _highest(epsilon: Complexes) -> float:
    """What the square of an index may reach: the largest permittivity, or what clings to a metal of
    negative one (Maier, *Plasmonics*, ch. 2), more on thin films.
    """
    real = np.real(epsilon)
    most = float(np.max(real[real < EXTREME], initial=1.0))
    metal = -real[real < -most]
    return (
        max(most, THIN_FILM * float((most * metal / np.maximum(metal - most, 1e-9)).max()))
        if len(metal)
        else most
    )


def _parted(
    s: Section, values: Complexes, vectors: Complexes, alive: NDArray[np.int64], onto_axis: Any
) -> Complexes:
    """Pairs of one speed turned so that one has least E along the axis, which ``onto_axis`` gives;
    where neither has any, so that one has most along a.
    """
    out, weight = vectors.copy(), s.weight[alive]
    first = alive < s.live[0].size
    k = 0
    while k + 1 < len(values):
        if abs(values[k] - values[k + 1]) > SAME_INDEX * max(abs(values[k]), s.omega**2 / C0**2):
            k += 1
            continue
        pair = np.linalg.qr(np.sqrt(weight)[:, None] * out[:, k : k + 2])[0]
        upright = onto_axis @ (pair / np.sqrt(weight)[:, None])
        form = np.real(upright.conj().T @ (np.outer(*s.widths).ravel()[:, None] * upright))
        if not float(np.linalg.eigvalsh(form)[-1]) > PLAIN * s.omega**2 / C0**2:
            form = -np.real(pair[first].conj().T @ pair[first])
        out[:, k : k + 2] = (pair @ np.linalg.eigh(form)[1]) / np.sqrt(weight)[:, None]
        k += 2
    return out


def _sign(s: Section, e: Complexes) -> complex:
    """What makes a field real where it is strongest, and its mean along b, or a, or away from the
    middle positive: the same for equal sections.
    """
    phase = np.conj(e[np.abs(e).argmax()])
    field = np.real(e * phase / abs(phase)) * s.weight
    na, nb = (len(x) for x in s.steps)
    along_a, along_b = (
        field[: na * (nb + 1)].reshape(na, nb + 1),
        field[na * (nb + 1) :].reshape(na + 1, nb),
    )
    at_a, at_b = (np.concatenate(([0.0], np.cumsum(x))) for x in s.steps)
    out = (along_a * (0.5 * (at_a[1:] + at_a[:-1]) - at_a.mean())[:, None]).sum() / at_a[-1] + (
        along_b * (0.5 * (at_b[1:] + at_b[:-1]) - at_b.mean())
    ).sum() / at_b[-1]
    size = np.abs(field).sum()
    lean = next((v for v in (along_b.sum(), along_a.sum(), out) if abs(v) > 1e-3 * size), 1.0)
    return complex(np.sign(lean) * phase / abs(phase))


# --- what a mode is -------------------------------------------------------------------------


def conductors(s: Section) -> NDArray[np.int64]:
    """(na + 1, nb + 1): 0 where lines cross in no metal or in the frame, and the numbers of
    conductors that stand free in the window.
    """
    edges_a, edges_b, nodes = s.insulating
    metal = ~nodes
    lattice = np.zeros([2 * n - 1 for n in metal.shape], dtype=bool)
    lattice[::2, ::2] = metal
    lattice[1::2, ::2], lattice[::2, 1::2] = (
        ~edges_a & metal[1:] & metal[:-1],
        ~edges_b & metal[:, 1:] & metal[:, :-1],
    )
    found = np.asarray(label(lattice)[0][::2, ::2])
    sides = (
        (found[0], edges_b[0]),
        (found[-1], edges_b[-1]),
        (found[:, 0], edges_a[:, 0]),
        (found[:, -1], edges_a[:, -1]),
    )
    # a side along which E may lie is a magnetic mirror plane
    frame = {int(v) for nodes_on, along in sides if not along.any() for v in np.unique(nodes_on)}
    out = np.zeros_like(found)
    for number, own in enumerate(sorted(set(np.unique(found).tolist()) - frame - {0}), start=1):
        out[found == own] = number
    return out.astype(np.int64)


def impedance(s: Section, mode: Mode, ratio: float = 1.0) -> complex:
    """Of a line, 2 P/|I|² with the current of its first free conductor, times the ``ratio`` of the
    whole line's to that of the part between mirror planes; else ∫|E|² over ∫ E × H* (the wave
    impedance). Ω.
    """
    q = mode.q
    wave = complex(
        (s.weight * np.abs(mode.e) ** 2).sum() / np.conj((s.weight * mode.e.conj() * q).sum())
    )
    inner = conductors(s) == 1
    if inner.any():
        current = complex(
            ((_operators(s)[3] @ q).reshape(inner.shape) * np.outer(*s.widths))[inner].sum()
        )
        flux = complex((s.weight * mode.e * q).sum())
        if abs(flux) < RETURNS * abs(wave) * abs(current) ** 2:
            return ratio * flux / current**2
    return wave


def along(s: Section, mode: Mode) -> tuple[Complexes, Complexes]:
    """E (na + 1, nb + 1) and H (na, nb) along the axis, in the scale of ``e``."""
    c, _, _, div = _operators(s)
    e = (_inverse(s.y[2], s.live[2]) @ (div @ mode.q)).reshape(s.live[2].shape)
    h = -(_inverse(s.z[2], np.abs(s.z[2]) > 0) @ (c @ mode.e)).reshape(s.z[2].shape)
    return e, h


def kind(s: Section, mode: Mode) -> str:
    """TEM, TE or TM by the fields along the way; quasi-TEM for the mode of a line whose media
    differ, else hybrid.
    """
    e, h = along(s, mode)
    area = (np.outer(*s.widths), np.outer(*s.steps))
    share_e = float((area[0] * np.abs(e) ** 2).sum() / (s.weight * np.abs(mode.e) ** 2).sum())
    share_h = float((area[1] * np.abs(h) ** 2).sum() / (s.weight * np.abs(mode.q) ** 2).sum())
    if share_e < PURE and share_h < PURE:
        return "TEM"
    if conductors(s).any() and max(share_e, share_h) < QUASI:
        return "quasi-TEM"
    return "hybrid" if min(share_e, share_h) > PLAIN else "TE" if share_e < share_h else "TM"


def cut_offs(s: Section, count: int) -> Floats:
    """The ``count`` lowest frequencies in Hz, above zero, from which further modes travel, of media
    as at ω and without their losses, in rising order.

    Without propagation the fields part in two sets: H along the axis with E across, and E along it
    with H across.
    """
    c, g, grad, div = _operators(s)
    y, z = _transverse((s.y[0], s.y[1])), _transverse((s.z[1], s.z[0]))
    edges_a, edges_b, upright = s.insulating
    alive = _transverse((edges_a, edges_b))
    epsilon = np.where(alive, np.real(np.where(alive, y, 1) / (1j * s.omega)), np.inf)
    faces = np.flatnonzero(np.abs(s.z[2]).ravel() > 0)
    te = csr_matrix(
        diags(1 / np.real(s.z[2].ravel()[faces] / (1j * s.omega)))
        @ -(c @ diags(1 / epsilon) @ g)[faces][:, faces]
    )
    touched = np.flatnonzero(np.asarray(abs(te).sum(axis=1)).ravel() > 0)
    te = te[touched][:, touched]
    nodes = np.flatnonzero(upright.ravel())
    tm = csr_matrix(
        diags(1 / np.real(s.y[2].ravel()[nodes] / (1j * s.omega)))
        @ -(div @ diags(1 / np.real(z / (1j * s.omega))) @ grad)[nodes][:, nodes]
    )
    found: list[float] = []
    for matrix in (te, tm):
        if matrix.shape[0] > count + 3:
            size = count + 2
            values = eigs(
                csc_matrix(matrix),
                size,
                sigma=-0.1 * s.omega**2,
                return_eigenvectors=False,
                v0=np.ones(matrix.shape[0]),
            )
            found += [v for v in np.real(values).tolist() if v > NO_CUT * s.omega**2]
    return np.asarray(np.sqrt(np.array(sorted(found)[:count])) / (2 * np.pi))
