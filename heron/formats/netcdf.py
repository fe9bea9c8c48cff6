"""Result datasets as NetCDF-4, which has no complex type: each complex variable is split in ``_re``
and ``_im``.
"""

from __future__ import annotations

import atexit
import io
from pathlib import Path
from typing import Any
from weakref import WeakValueDictionary

import h5netcdf
import numpy as np
import xarray as xr
from xarray.backends import BackendArray, H5NetCDFStore
from xarray.core import indexing

WORTH = 8192  # bytes: packing smaller variables takes longer than it saves


def to_real(results: xr.Dataset) -> xr.Dataset:
    """The dataset with complex variables split and booleans as small integers."""
    real: dict[str, xr.Variable] = {}
    for key, v in results.variables.items():
        name = str(key)
        if key in results.coords:
            continue
        if np.iscomplexobj(v.values):
            real[f"{name}_re"] = xr.Variable(v.dims, v.values.real, v.attrs)
            real[f"{name}_im"] = xr.Variable(v.dims, v.values.imag, v.attrs)
        else:
            real[name] = v.astype(np.int8) if v.dtype == bool else v
    return xr.Dataset(real, results.coords, results.attrs)


class _Whole(BackendArray):
    """A complex variable from its two stored parts, read when it is asked for."""

    def __init__(self, re: xr.Variable, im: xr.Variable) -> None:
        self.re, self.im = re, im
        self.shape, self.dtype = re.shape, np.result_type(re.dtype, np.complex64)

    def __getitem__(self, key: indexing.ExplicitIndexer) -> Any:
        return indexing.explicit_indexing_adapter(
            key, self.shape, indexing.IndexingSupport.OUTER, self._values
        )

    def _values(self, key: tuple[Any, ...]) -> Any:
        return self.re[key].values + 1j * self.im[key].values


def _cached(array: Any) -> Any:
    return indexing.MemoryCachedArray(array)  # type: ignore[no-untyped-call]


def to_complex(stored: xr.Dataset) -> xr.Dataset:
    """The inverse of :func:`to_real`; what is not loaded yet is only when it is asked for."""
    whole: dict[str, xr.Variable] = {}
    for key, v in stored.variables.items():
        name = str(key)
        if key in stored.coords or name.endswith("_im"):
            continue
        if name.endswith("_re"):
            parts = _Whole(v, stored.variables[name[:-3] + "_im"])
            values = _cached(indexing.LazilyIndexedArray(parts))
            whole[name[:-3]] = xr.Variable(v.dims, values, v.attrs)
        else:
            whole[name] = v.astype(bool) if name == "solved" else v
    return xr.Dataset(whole, stored.coords, stored.attrs)


def write(results: xr.Dataset, path: Path) -> None:
    """Writes a dataset, compressed."""
    real = to_real(results)
    real.to_netcdf(
        path,
        engine="h5netcdf",
        encoding={
            str(n): {"zlib": True, "complevel": 4}
            for n, v in real.data_vars.items()
            if v.nbytes > WORTH
        },
    )


def read(path: Path) -> xr.Dataset:
    """A dataset from a file, loaded into memory."""
    with xr.open_dataset(path, engine="h5netcdf") as stored:
        return to_complex(stored.load()).load()


def opened(data: bytes) -> xr.Dataset:
    """A dataset from the bytes of a file, each variable decoded when it is first asked for."""
    file = h5netcdf.File(io.BytesIO(data), "r")
    _open[id(file)] = file
    return to_complex(xr.open_dataset(H5NetCDFStore(file)))


_open: WeakValueDictionary[int, h5netcdf.File] = WeakValueDictionary()


@atexit.register
def _close() -> None:
    """While the library is still there to do it."""
    for file in list(_open.values()):
        file.close()
