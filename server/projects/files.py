"""Uploaded files: kept, read in a child process with limits, and handed to import steps."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable
from dataclasses import asdict
from datetime import timedelta

from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone

from heron.errors import ModelError
from heron.model import Document
from heron.shapes import imports
from heron.shapes.imports import MAX_BYTES
from server.accounts.people import person
from server.config import ROOT
from server.errors import Problem, not_found
from server.projects.models import Project, Role, Upload
from server.projects.permissions import get_project
from server.projects.readers import PATIENCE_S, WAITING
from server.projects.tasks import read_upload

MOST_FILES = 50


def receive(request: HttpRequest, project_id: int, name: str, data: bytes) -> Upload:
    """Keeps a file under its plain name, replacing one of the same name, and starts reading it.

    :raises Problem: 413 for too large a file, 422 for a name that is none.
    """
    project = get_project(request, project_id, Role.EDITOR)
    plain = re.split(r"[/\\\\]", name)[-1].strip()[:200]
    if not plain or plain.startswith(".") or re.search(r"[\x00-\x1f]", plain):
        raise Problem(422, "the file has no usable name; rename it")
    if len(data) > MAX_BYTES:
        raise Problem(413, f"the file is larger than {MAX_BYTES // 1_000_000} MB")
    if project.uploads.exclude(name=plain).count() >= MOST_FILES:
        raise Problem(409, f"a project keeps at most {MOST_FILES} files; delete one first")
    with transaction.atomic():
        upload, _ = Upload.objects.update_or_create(
            project=project,
            name=plain,
            defaults={
                "digest": hashlib.sha256(data).hexdigest(),
                "size": len(data),
                "state": Upload.State.READING,
                "message": WAITING,
                "report": {},
                "original": data,
                "prepared": b"",
                "author": person(request),
                "created": timezone.now(),
            },
        )
        read_upload.defer(upload_id=upload.id)
    return upload


def ship(project: Project, document: Document) -> None:
    """Gives a project made from an example the files that its import steps name; they are our own,
    so they are read here.
    """
    present = set(project.uploads.values_list("name", flat=True))
    for name in {p.file for p in document.parts if p.kind == "import"} - present:
        path = ROOT / "examples" / name
        if not path.is_file():
            continue
        data = path.read_bytes()
        named = imports.read(name, data)
        Upload.objects.create(
            project=project,
            name=name,
            digest=hashlib.sha256(data).hexdigest(),
            size=len(data),
            state=Upload.State.READY,
            message="",
            report=asdict(imports.report(named)),
            original=data,
            prepared=imports.packed(named),
        )


def current(upload: Upload) -> Upload:
    """The upload; one whose reader died with its worker is refused."""
    begun = upload.state == Upload.State.READING and upload.message != WAITING
    if begun and timezone.now() - upload.created > timedelta(seconds=PATIENCE_S + 20):
        upload.state, upload.message = (
            Upload.State.REFUSED,
            "reading it was interrupted; upload it again",
        )
        upload.save(update_fields=["state", "message"])
    return upload


def delete(request: HttpRequest, project_id: int, name: str) -> None:
    found = get_project(request, project_id, Role.EDITOR).uploads.filter(name=name)
    if not found.delete()[0]:
        raise not_found("file of that name")


def provider(project: Project | None) -> Callable[[str], bytes]:
    """Gives import steps the prepared form of the project's files."""

    def read(name: str) -> bytes:
        upload = (
            None if project is None else project.uploads.defer("original").filter(name=name).first()
        )
        if upload is None:
            raise ModelError(f"the project has no file “{name}”; upload it", ("file",))
        upload = current(upload)
        if upload.state != Upload.State.READY:
            raise ModelError(
                f"“{name}” is"
                f" {'still being read' if upload.state == Upload.State.READING else 'refused'}:"
                f" {upload.message}",
                ("file",),
            )
        return bytes(upload.prepared)

    return read
