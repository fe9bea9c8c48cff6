"""What the compiled steps work on: plain records of arrays, all flat.

Compiled code takes such records apart into their arrays; where threads part, only tuples of one
level may pass, so that what is nested is put together again behind that.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

Singles = NDArray[np.float32]
Indices = NDArray[np.uint64]

STRIP = np.uint64(16)  # floats: layers along rows are widened to multiples of this


class Table(NamedTuple):
    """Coefficients: ``rows`` (3, slabs, rows in a slab) names one of the distinct rows of ``keep``,
    by which a field is multiplied, and ``drive``, which multiplies the curl of the other.
    """

    rows: NDArray[np.int32]
    keep: Singles
    drive: Singles


class Spacing(NamedTuple):
    """Inverse distances, 1/m, of the other field's places along each axis."""

    x: Singles
    y: Singles
    z: Singles


class Layers(NamedTuple):
    """Memories ``psi`` of the layers one after another from ``base``: of the four across rows, with
    the nodes that they cover, and of the ``strips`` at the ends of rows, with their places; the
    recursions b, c (4 · most nodes + strips · STRIP,) of all.
    """

    psi: Singles
    base: Indices
    first: Indices
    nodes: Indices
    strips: Indices
    b: Singles
    c: Singles


class Stretches(NamedTuple):
    """Stretches of rows in the cases of feeds, ``first`` (rows + 1,) of each row: where the field
    is, ``at`` (m,), and that of which differences are taken, ``of``, a ``stride`` from its
    neighbour; ``sign``; places in the table; lengths; and their memories with the recursions b and
    c.
    """

    first: Indices
    at: Indices
    of: Indices
    stride: Indices
    sign: Singles
    chart: Indices
    length: Indices
    memory: Indices
    psi: Singles
    b: Singles
    c: Singles


class Entry(NamedTuple):
    """What an incident wave adds to one field after each half step: ``at`` flat numbers into it in
    the order of their rows, ``first`` (rows + 1,) where each row's begin, four ``taps`` (n, 4) on
    the samples step + ``shift`` of the signals that begin at ``base`` and are mixed by ``shares``
    (n, signals).
    """

    at: NDArray[np.int64]
    first: NDArray[np.int64]
    base: NDArray[np.int64]
    shift: NDArray[np.int64]
    taps: Singles
    shares: Singles


class Light(NamedTuple):
    """An incident wave: where it enters E and H, and ``length`` samples of each of its signals;
    none if that is zero.
    """

    electric: Entry
    magnetic: Entry
    signals: Singles
    length: int


class Lumped(NamedTuple):
    """Edges with lumped elements, ``of_slab[i]`` to ``of_slab[i + 1]`` of slab i: where they are,
    in which row of the slab, of which port or load; their ``part`` (edges, 7) and ``state`` (edges,
    3), see :func:`~heron.engines.transient.kernels.additions.branches`.
    """

    at: NDArray[np.int64]
    row: NDArray[np.int64]
    port: NDArray[np.int64]
    part: NDArray[np.float64]
    state: NDArray[np.float64]
    of_slab: NDArray[np.int64]


class Polar(NamedTuple):
    """Stretches of rows in media with poles, ``first`` (rows + 1,) of each row: where E is, ``at``
    (m,), lengths, places among the ``total`` edges of the memories, in the table ``taken`` of what
    currents take from E, and which medium; the memories (poles · total,); the most edges of a slab.
    """

    first: Indices
    at: Indices
    length: Indices
    memory: Indices
    chart: Indices
    medium: Indices
    taken: Singles
    re: Singles
    im: Singles
    total: int
    longest: int


class Poles(NamedTuple):
    """Poles of media, ``begin[m]`` to ``begin[m + 1]`` of medium m: κ, the drive and h, each by
    real and imaginary part.
    """

    begin: Indices
    kappa_re: Singles
    kappa_im: Singles
    drive_re: Singles
    drive_im: Singles
    half_re: Singles
    half_im: Singles


class Half(NamedTuple):
    """One of the two fields with all that its steps need."""

    field: Singles
    table: Table
    spacing: Spacing
    layers: Layers
    cases: Stretches
    entry: Entry


class Extent(NamedTuple):
    """Slabs, rows in each, floats of a row, and of a component."""

    slabs: int
    rows: int
    nk: int
    size: int


class Drive(NamedTuple):
    """What a stretch of steps is driven by, and what comes of it: source voltages ``waves`` (steps,
    ports), ``samples`` (steps, 2 · edges) of the fields at lumped elements and the currents through
    them; ``signals`` of an incident wave, ``length`` samples each, of which ``since`` steps have
    passed.
    """

    waves: Any
    samples: Any
    signals: Any
    length: int
    since: int


NO_ENTRY = Entry(
    *(np.zeros(0, dtype=np.int64),) * 4,
    np.zeros((0, 4), dtype=np.float32),
    np.zeros((0, 1), dtype=np.float32),
)
DARK = Light(NO_ENTRY, NO_ENTRY, np.zeros(0, dtype=np.float32), 0)  # no wave is let in
