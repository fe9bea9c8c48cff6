"""Datasets as bytes for our own keeping: a header and compressed arrays, written and opened in
milliseconds where NetCDF takes tenths of a second. What leaves the house is NetCDF.
"""

from __future__ import annotations

import json
import struct
import zlib
from typing import Any

import numpy as np
import xarray as xr
from xarray.backends import BackendArray
from xarray.core import indexing

MAGIC = b"odd heron 1\n"
LENGTH = struct.Struct("<Q")
WORTH = 8192  # bytes: packing smaller arrays takes longer than it saves
LEVEL = 2


def pack(results: xr.Dataset) -> bytes:
    """A dataset as bytes, the same for the same dataset."""
    parts: list[bytes] = []
    header: dict[str, Any] = {"attrs": _plain(results.attrs), "variables": []}
    at = 0
    for name, variable in results.variables.items():
        values = np.ascontiguousarray(variable.values)
        if values.dtype == object:
            values = values.astype(str)
        raw = values.tobytes()
        packed = len(raw) > WORTH
        own = zlib.compress(raw, LEVEL) if packed else raw
        header["variables"].append(
            {
                "name": str(name),
                "coordinate": name in results.coords,
                "dims": [str(d) for d in variable.dims],
                "attrs": _plain(variable.attrs),
                "dtype": values.dtype.str,
                "shape": list(values.shape),
                "at": at,
                "length": len(own),
                "packed": packed,
            }
        )
        parts.append(own)
        at += len(own)
    text = json.dumps(header, sort_keys=True).encode()
    return b"".join((MAGIC, LENGTH.pack(len(text)), text, *parts))


def is_packed(data: bytes) -> bool:
    """Whether bytes are of :func:`pack`."""
    return data.startswith(MAGIC)


def opened(data: bytes) -> xr.Dataset:
    """The dataset of bytes, each variable unpacked when it is first asked for."""
    start = len(MAGIC) + LENGTH.size
    (length,) = LENGTH.unpack_from(data, len(MAGIC))
    header = json.loads(data[start : start + length])
    body = memoryview(data)[start + length :]
    found: dict[bool, dict[str, xr.Variable]] = {True: {}, False: {}}
    for own in header["variables"]:
        array = _Packed(body[own["at"] : own["at"] + own["length"]], own)
        values: Any = indexing.LazilyIndexedArray(array)
        cached = indexing.MemoryCachedArray(values)  # type: ignore[no-untyped-call]
        variable = xr.Variable(own["dims"], cached, own["attrs"])
        found[own["coordinate"]][own["name"]] = variable
    return xr.Dataset(found[False], found[True], header["attrs"])


class _Packed(BackendArray):
    """An array that is unpacked when it is asked for."""

    def __init__(self, data: memoryview, said: dict[str, Any]) -> None:
        self.data, self.packed = data, said["packed"]
        self.shape, self.dtype = tuple(said["shape"]), np.dtype(said["dtype"])

    def __getitem__(self, key: indexing.ExplicitIndexer) -> Any:
        return indexing.explicit_indexing_adapter(
            key, self.shape, indexing.IndexingSupport.OUTER, self._values
        )

    def _values(self, key: tuple[Any, ...]) -> Any:
        raw = zlib.decompress(self.data) if self.packed else bytes(self.data)
        whole = np.frombuffer(raw, self.dtype).reshape(self.shape)
        return _taken(whole, key)


def _taken(whole: Any, key: tuple[Any, ...]) -> Any:
    """What an outer indexer takes of an array, as one that may be changed."""
    for axis, own in enumerate(key):
        if not isinstance(own, slice) and np.ndim(own) > 0:
            whole = np.take(whole, own, axis=axis)
    rest = tuple(k if isinstance(k, slice) or np.ndim(k) == 0 else slice(None) for k in key)
    return np.array(whole[rest])


def _plain(attrs: Any) -> dict[str, Any]:
    """Attributes as JSON has them."""
    kinds = np.ndarray | np.generic
    return {str(k): v.tolist() if isinstance(v, kinds) else v for k, v in attrs.items()}
