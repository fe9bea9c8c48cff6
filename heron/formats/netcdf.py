"""Result datasets as NetCDF-4, which has no complex type: each complex variable is split in ``_re``
and ``_im``.
"""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import xarray as xr


def to_real(results: xr.Dataset) -> xr.Dataset:
    """The dataset with complex variables split and booleans as small integers."""
    out = xr.Dataset(coords=results.coords, attrs=results.attrs)
    for key, v in results.data_vars.items():
        name = str(key)
        if np.iscomplexobj(v.values):
            out[f"{name}_re"], out[f"{name}_im"] = v.real, v.imag
            out[f"{name}_re"].attrs = out[f"{name}_im"].attrs = v.attrs
        elif v.dtype == bool:
            out[name] = v.astype(np.int8)
        else:
            out[name] = v
    return out


def to_complex(stored: xr.Dataset) -> xr.Dataset:
    """The inverse of :func:`to_real`."""
    out = xr.Dataset(coords=stored.coords, attrs=stored.attrs)
    for key, v in stored.data_vars.items():
        name = str(key)
        if name.endswith("_re"):
            whole = v + 1j * stored[name[:-3] + "_im"]
            whole.attrs = v.attrs
            out[name[:-3]] = whole
        elif name == "solved":
            out[name] = v.astype(bool)
        elif not name.endswith("_im"):
            out[name] = v
    return out


def write(results: xr.Dataset, path: Path) -> None:
    real = to_real(results)
    real.to_netcdf(
        path,
        engine="h5netcdf",
        encoding={
            str(n): {"zlib": True, "complevel": 4} for n, v in real.data_vars.items() if v.ndim
        },
    )


def read(path: Path | bytes) -> xr.Dataset:
    """A dataset from a file or its bytes, loaded into memory."""
    handle: Any = io.BytesIO(path) if isinstance(path, bytes) else path
    with xr.open_dataset(handle, engine="h5netcdf") as stored:
        return to_complex(stored.load())
