"""A radiation pattern as a coloured surface in glTF, for any viewer."""

from __future__ import annotations

import io
from typing import cast

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

STOPS = np.array(
    [
        [34, 49, 63],
        [60, 90, 115],
        [108, 135, 150],
        [169, 174, 150],
        [224, 207, 154],
        [247, 235, 196],
    ],
    dtype=float,
)


SHARE = 0.6  # of the structure's largest side: the pattern's reach
ALONE = 0.1  # m: the pattern's reach without a structure


def pattern_gltf(
    theta: Floats, phi: Floats, level: Floats, floor_db: float, structure: bytes = b""
) -> bytes:
    """Binary glTF of a closed surface, ``level`` (θ, φ) dB over angles in rad, ``floor_db`` below
    its peak in the middle, round a structure (binary glTF).

    glTF's y points up (glTF 2.0, sec. 3.4), so x, y, z of the model become x, z, −y.
    """
    import trimesh  # heavy; only this export needs it

    scene = (
        trimesh.load_scene(io.BytesIO(structure), file_type="glb") if structure else trimesh.Scene()
    )
    size = SHARE * float(scene.extents.max()) if structure else ALONE
    middle = scene.bounds.mean(axis=0) if structure else np.zeros(3)
    part = np.clip(1 + (level - level.max()) / floor_db, 0, 1)
    t, p = theta[:, None], phi[None, :]
    x, y, z = (
        size * part * u
        for u in (np.sin(t) * np.cos(p), np.sin(t) * np.sin(p), np.cos(t) * np.ones_like(p))
    )
    rows, columns = level.shape
    at = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = (v.ravel() for v in (at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]))
    colours = np.stack(
        [np.interp(part.ravel(), np.linspace(0, 1, len(STOPS)), STOPS[:, k]) for k in range(3)],
        axis=-1,
    ).astype(np.uint8)
    mesh = trimesh.Trimesh(
        np.column_stack((x.ravel(), z.ravel(), -y.ravel())) + middle,
        np.vstack((np.column_stack((a, b, c)), np.column_stack((a, c, d)))),
        vertex_colors=np.column_stack((colours, np.full(len(colours), 255, np.uint8))),
        process=False,
    )
    scene.add_geometry(mesh, geom_name="pattern", node_name="pattern")
    return cast(bytes, scene.export(file_type="glb"))  # type: ignore[no-untyped-call]
