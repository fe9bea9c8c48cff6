"""Free areas of faces that curved metal cuts, as large as the time step needs them."""

from __future__ import annotations

import numpy as np

from heron.discretise.grid import dual
from heron.engines.transient.structure import Floats, Structure
from heron.quantities.constants import C0

ENOUGH = 0.5  # free share of a face that may lend some of it to a smaller one beside


def face_shares(s: Structure, moved: Floats, dt: float) -> Floats:
    """Free shares of faces (3, nx+1, ny+1, nz+1), those too small for the time step enlarged;
    ``moved`` is what edges have to do with it.

    The scheme is stable while no row of the scaled curl curl sums to more than 4/(c Δt)²
    (Gershgorin). A face's row is the sum, over its edges, of their free shares times the
    differences of H that make E there, over its own share.
    """
    out = s.free_face.astype(float)
    if not (out < 1).any():
        return np.where(out > 0, out, np.inf)  # H in metal stays nothing
    edges = np.where(s.metal, 0.0, s.free_edge)
    n = np.array(s.shape) + 1
    ahead, behind = [], []
    for k, line in enumerate(s.lines):
        spread = [1, 1, 1]
        spread[k] = n[k]
        ahead.append(np.append(1 / np.diff(line), 0.0).reshape(spread))
        behind.append((2 / dual(np.diff(line))).reshape(spread))
    for c in range(3):
        a, b = (c + 1) % 3, (c + 2) % 3
        rows = sum(
            (moved[k] + np.roll(moved[k], -1, axis=m)) * ahead[m] * (behind[m] + behind[c])
            for k, m in ((a, b), (b, a))
        )
        open_ = (out[c] > 0) | (
            sum(edges[k] + np.roll(edges[k], -1, axis=m) for k, m in ((a, b), (b, a))) > 0
        )
        wanted = np.where(open_ & (out[c] < 1), np.minimum(rows * (C0 * dt / 2) ** 2, 1.0), 0.0)
        _enlarge(out[c], wanted, edges, (a, b), s)
    return np.where(out > 0, out, np.inf)  # H in metal stays nothing


def _enlarge(
    share: Floats, wanted: Floats, edges: Floats, across: tuple[int, int], s: Structure
) -> None:
    """Enlarges the shares of faces across one axis to those ``wanted``, and takes the area from
    the faces beyond their longest free edges: what flows through both together is then what it
    was, to second order in the cell.
    """
    small = wanted > share
    for k in across:
        np.moveaxis(small, k, 0)[-1] = False  # no faces beyond the last cell
    at = np.nonzero(small)
    if not len(at[0]):
        return
    more = (wanted - share)[at]
    a, b = across
    beyond, longest = [], []
    for k, m in ((a, b), (b, a)):  # the edges along k at the low and at the high end along m
        for end in (0, 1):
            place = [index + (end if axis == m else 0) for axis, index in enumerate(at)]
            next_to = [
                np.clip(index + ((2 * end - 1) if axis == m else 0), 0, share.shape[axis] - 2)
                for axis, index in enumerate(at)
            ]
            longest.append(edges[k][tuple(place)])
            beyond.append(next_to)
    best = np.argmax(longest, axis=0)
    other = tuple(np.choose(best, [own[axis] for own in beyond]) for axis in range(3))
    share[at] = wanted[at]
    area = np.ones(len(more))
    for k in (a, b):
        steps = np.diff(s.lines[k])
        area *= steps[at[k]] / steps[np.minimum(other[k], len(steps) - 1)]
    lends = np.flatnonzero(share[other] > ENOUGH)
    lenders = tuple(index[lends] for index in other)
    np.subtract.at(share, lenders, (more * area)[lends])
    share[lenders] = np.maximum(share[lenders], ENOUGH)
