"""Result datasets in the database: compressed chunks, written in one transaction with the run's
end. Runs of earlier versions hold NetCDF.
"""

from __future__ import annotations

import hashlib
import tempfile
from functools import lru_cache
from pathlib import Path

import xarray as xr

from heron.formats import netcdf, packed
from heron.model import evaluate_document, load_document
from heron.results.origin import has_origin, with_origin
from server.runs.models import ResultChunk, Run

CHUNK_BYTES = 1 << 20
KEPT = 48  # datasets at hand, of which only what was asked for is decoded


def save(run: Run, data: bytes) -> None:
    """Replaces the run's chunks; call inside the transaction that ends the run."""
    run.chunks.all().delete()
    ResultChunk.objects.bulk_create(
        ResultChunk(run=run, sequence=i, data=data[at : at + CHUNK_BYTES])
        for i, at in enumerate(range(0, len(data), CHUNK_BYTES))
    )


def content(run_id: int) -> bytes:
    """The bytes of the results of a run, as they are kept."""
    return b"".join(
        bytes(c) for c in ResultChunk.objects.filter(run_id=run_id).values_list("data", flat=True)
    )


def as_netcdf(run_id: int) -> bytes:
    """The results of a run as the bytes of a NetCDF file."""
    data = content(run_id)
    if not packed.is_packed(data):
        return data
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "run.nc"
        netcdf.write(packed.opened(data), path)
        return path.read_bytes()


def digest_of(data: bytes) -> str:
    """What names a result: the same bytes, the same name."""
    return hashlib.sha256(data).hexdigest()


@lru_cache(maxsize=KEPT)
def load(run_id: int) -> xr.Dataset:
    """The dataset of an ended run; runs are immutable, so it may be kept."""
    data = content(run_id)
    results = packed.opened(data) if packed.is_packed(data) else netcdf.opened(data)
    if has_origin(results):
        return results
    run = Run.objects.select_related("revision").get(id=run_id)  # of an earlier version
    document = load_document(run.revision.document)
    return with_origin(results, evaluate_document(document, run.overrides, run.plan or None))
