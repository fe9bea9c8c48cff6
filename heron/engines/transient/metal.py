"""Edges and faces of the grid that are metal, and those where it ends."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.engines.transient.structure import Bools, Structure


def full_cells(s: Structure) -> Bools:
    """(nx, ny, nz): cells with metal on all edges."""
    full = np.ones(s.shape, dtype=bool)
    for c in range(3):
        a, b = [k for k in range(3) if k != c]
        own = np.take(s.metal[c], range(s.shape[c]), axis=c)
        for da in (0, 1):
            for db in (0, 1):
                index: list[Any] = [slice(None)] * 3
                index[a], index[b] = slice(da, da + s.shape[a]), slice(db, db + s.shape[b])
                full &= own[tuple(index)]
    return full


def _full_around(s: Structure) -> Bools:
    """(nx + 2, ny + 2, nz + 2): the same with one more layer outside, where mirror planes show what
    is inside.
    """
    padded = np.pad(full_cells(s), 1, constant_values=False)
    for p in s.planes:
        if p.doubles:
            padded = np.moveaxis(padded, p.axis, 0)
            padded[-1 if p.side else 0] = padded[-2 if p.side else 1]
            padded = np.moveaxis(padded, 0, p.axis)
    return padded


def metal_faces(s: Structure, part: str = "") -> list[tuple[int, NDArray[np.int64]]]:
    """(normal axis, nodes (n, 3)) of the cell faces with metal on all four edges and something else
    at least on one side; of one part, or of all.
    """
    full = _full_around(s)
    number = s.names.index(part) + 1 if part else 0
    out = []
    for d in range(3):
        a, b = (d + 1) % 3, (d + 2) % 3
        one = s.metal if not number else s.metal & (s.edge_owner == number)
        along_a, along_b = (np.moveaxis(one[k], (d, a, b), (0, 1, 2)) for k in (a, b))
        faces = (
            along_a[:, :-1, :-1] & along_a[:, :-1, 1:] & along_b[:, :-1, :-1] & along_b[:, 1:, :-1]
        )
        cells = np.moveaxis(full, (d, a, b), (0, 1, 2))[:, 1:-1, 1:-1]
        faces &= ~(cells[1:] & cells[:-1])
        found = np.argwhere(faces)
        nodes = np.empty_like(found)
        nodes[:, [d, a, b]] = found
        out.append((d, nodes))
    return out


def surface_edges(s: Structure) -> Bools:
    """(3, nx+1, ny+1, nz+1): metal edges that touch at least one cell which is not metal all
    round.
    """
    padded = _full_around(s)
    out = np.zeros_like(s.metal)
    n = s.shape
    for c in range(3):
        a, b = [k for k in range(3) if k != c]
        around = np.ones([n[k] + (k != c) for k in range(3)], dtype=bool)
        for da in (0, 1):
            for db in (0, 1):
                index: list[Any] = [slice(1, n[k] + 1) for k in range(3)]
                index[a], index[b] = slice(da, da + n[a] + 1), slice(db, db + n[b] + 1)
                around &= padded[tuple(index)]
        part: tuple[Any, ...] = tuple(slice(0, around.shape[k]) for k in range(3))
        out[(c, *part)] = s.metal[(c, *part)] & ~around
    return out
