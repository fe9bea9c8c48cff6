"""Signals far away: the fields that the currents on a Huygens surface send in one direction,
against time.

r·E(t) = −(1/4πc) d/dt Σ [η J + M × r̂] across r̂, with J and M at the times t + r̂·r′/c (Taflove
and Hagness, ch. 8; Balanis, *Advanced Engineering Electromagnetics*, ch. 6, with jk = (1/c) d/dt).
Every sample is added where it arrives, between samples by Lagrange's polynomials.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft, rfftfreq
from scipy.sparse import csr_matrix

from heron.engines.transient.huygens import Face
from heron.fields.planes import Plane, mirrored
from heron.fields.surface import spherical
from heron.quantities.constants import C0, ETA0

Floats = NDArray[np.float64]

TAPS = 8  # samples that one in between is found from: within 2e-4 where there are eight a period


class Distant:
    """Where the sums of a surface of ``faces`` go to for one ``capture``; they are given every
    ``sample`` s, those of H half of ``step`` s too early.
    """

    def __init__(
        self, capture: Any, faces: list[Face], planes: list[Plane], sample: float, step: float
    ) -> None:
        self.capture, self.sample = capture, sample
        direction, along_theta, along_phi = (
            v[0] for v in spherical(np.array([capture.theta]), np.array([capture.phi]))
        )
        self.points = capture.distance * direction[None]
        self.sign_e = self.sign_h = np.ones((1, 3))
        self.direction, self.across = direction, np.array([along_theta, along_phi])
        self.dark = any(bool(p.beyond(self.points)[0]) for p in planes if not p.doubles)
        row = np.concatenate(
            [np.arange(face.first, face.first + 2 * len(face.points)) for face in faces]
        )
        points = np.vstack([np.tile(face.points, (2, 1)) for face in faces])
        electric = np.vstack(
            [
                np.repeat(
                    face.sign
                    * np.eye(3)[[(face.axis + 2) % 3, (face.axis + 1) % 3]]
                    * [[1.0], [-1.0]],
                    len(face.points),
                    axis=0,
                )
                for face in faces
            ]
        )
        images, *moments = mirrored(
            points, electric.astype(complex), -electric.astype(complex), planes
        )
        j, m = (moment.real for moment in moments)
        arrives = -(images @ direction) / C0 / sample
        self.base = int(np.floor(arrives.min() - step / sample)) - TAPS
        self.span = int(np.ceil(arrives.max())) + TAPS - self.base
        rows = np.tile(row, len(images) // len(points))
        # θ component η Jθ + Mφ, φ component η Jφ − Mθ.
        self.of_e = self._arriving(rows, np.array([m @ along_phi, -(m @ along_theta)]), arrives)
        self.of_h = self._arriving(
            rows, ETA0 * np.array([j @ along_theta, j @ along_phi]), arrives - step / 2 / sample
        )

    def _arriving(self, rows: Any, weights: Floats, arrives: Floats) -> Any:
        """(2 span, sums): what a sum adds to samples from ``base`` on, for both components."""
        after = np.ceil(arrives)
        part = after - arrives
        nodes = np.arange(1 - TAPS // 2, TAPS // 2 + 1)
        taps = np.array(
            [np.prod([(part - q) / (p - q) for q in nodes if q != p], axis=0) for p in nodes]
        )
        at = (after - self.base).astype(np.int64)[None, :] - nodes[:, None]
        triplets = [((weights[c] * taps).ravel(), (c * self.span + at).ravel()) for c in (0, 1)]
        weight, place = (np.concatenate([t[k] for t in triplets]) for k in (0, 1))
        return csr_matrix(
            (weight, (place, np.tile(rows, 2 * TAPS))), shape=(2 * self.span, int(rows.max()) + 1)
        )


class Gathered:
    """What one run sends towards a :class:`Distant`."""

    def __init__(self, distant: Distant) -> None:
        self.to = distant
        self.pieces: list[Floats] = []

    def add_sample(self, e: Any, h: Any) -> None:
        """The sums of E and H of the next sample."""
        to = self.to
        if not to.dark:
            self.pieces.append(
                (to.of_e @ e[: to.of_e.shape[1]] + to.of_h @ h[: to.of_h.shape[1]]).reshape(
                    2, to.span
                )
            )

    def total(self) -> tuple[Floats, Any, Any]:
        """Times (n,) in s at the distance, E (n, 3) in V/m and H (n, 3) in A/m there."""
        to = self.to
        count = len(self.pieces) + to.span
        whole = np.zeros((2, next_fast_len(2 * count)))
        for n, piece in enumerate(self.pieces):
            whole[:, n : n + to.span] += piece
        slope = irfft(
            2j * np.pi * rfftfreq(whole.shape[1], to.sample) * rfft(whole, axis=1),
            whole.shape[1],
            axis=1,
        )[:, :count]
        time = (np.arange(count) + 1 + to.base) * to.sample + to.capture.distance / C0
        e = (-slope.T / (4 * np.pi * C0 * to.capture.distance)) @ to.across
        return time, e, np.cross(to.direction, e) / ETA0
