"""Studies as files."""

from __future__ import annotations

import io
import json
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path

from heron.formats import netcdf
from heron.model import load_document
from heron.results.capabilities import provided
from heron.studies.contract import Findings, Made
from heron.studies.kinds import made, step_of
from heron.studies.record import as_csv, as_dataset, as_json
from server.errors import not_found
from server.runs import store
from server.runs.models import Run, Status
from server.studies.models import Study
from server.studies.solving import Queued

Parts = tuple[Study, Made, Findings]


def _parts(study: Study) -> Parts:
    document = load_document(study.revision.document)
    own = made(step_of(**study.step), document)
    solver = Queued(study, own, document, lambda trials: None)
    rows = list(study.variants.filter(beside=False))
    return study, own, Findings(solver.trials(rows), study.found)


def _json(parts: Parts) -> bytes:
    study, own, found = parts
    return json.dumps(as_json(study.step["kind"], own.variables, found), indent=1).encode()


def _csv(parts: Parts) -> bytes:
    return as_csv(parts[1].variables, parts[2]).encode()


def _netcdf(parts: Parts) -> bytes:
    study, own, found = parts
    whole = own.lists if len(found.trials) == own.most else None
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "study.nc"
        netcdf.write(as_dataset(study.step["kind"], own.variables, found, whole), path)
        return path.read_bytes()


def _touchstone(parts: Parts) -> bytes:
    """S-parameters of every solved variant, and a table of their values."""
    study, own, found = parts
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
        pack.writestr("study.csv", as_csv(own.variables, found))
        rows = study.variants.filter(run__status=Status.FINISHED, beside=False)
        for row in rows.only("study", "place", "run_id"):
            results = store.load(row.run_id or 0)
            summary = Run.objects.values_list("summary", flat=True).get(id=row.run_id or 0)
            for capability in provided(results):
                for name, text in capability.files(results, summary).items():
                    if ".s" in name and name.endswith("p"):
                        ending = name.rpartition(".")[2]
                        pack.writestr(f"variant-{row.place}.{ending}", text)
    return out.getvalue()


FILES: dict[str, tuple[Callable[[Parts], bytes], str]] = {
    "study.json": (_json, "application/json"),
    "study.csv": (_csv, "text/csv"),
    "study.nc": (_netcdf, "application/x-netcdf"),
    "touchstone.zip": (_touchstone, "application/zip"),
}


def file_of(study: Study, what: str) -> tuple[bytes, str]:
    """A file of a study, and its media type.

    :raises Problem: there is no such file.
    """
    if what not in FILES:
        raise not_found("file of that name")
    write, media = FILES[what]
    return write(_parts(study)), media
