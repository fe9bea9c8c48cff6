"""Uploaded files are read by a child process, with limits of time and memory."""

from __future__ import annotations

import os
import subprocess
import sys

from django.db import connection
from django.utils import timezone

from server.config import ROOT
from server.projects.models import Upload

PATIENCE_S = 180
WAITING = "waiting to be read"


def read_apart(upload_id: int) -> None:
    """Runs the child that reads the file; whatever happens to it, the upload ends ready or
    refused.
    """
    waiting = Upload.objects.filter(id=upload_id, state=Upload.State.READING)
    if not waiting.update(created=timezone.now(), message="reading"):  # its time begins now
        return  # replaced or deleted meanwhile
    try:
        done = subprocess.run(
            [sys.executable, "-m", "server.projects.reading", str(upload_id)],
            cwd=ROOT,
            env=_environment(),
            capture_output=True,
            timeout=PATIENCE_S,
            check=False,
        )
        reason = (
            ""
            if done.returncode == 0
            else (
                "reading it took more memory or time than allowed, or failed; simplify it, or"
                " export it again"
            )
        )
    except subprocess.TimeoutExpired:
        reason = f"reading it took more than {PATIENCE_S} s; simplify it where it was drawn"
    if reason:
        Upload.objects.filter(id=upload_id, state=Upload.State.READING).update(
            state=Upload.State.REFUSED, message=reason
        )


def _environment() -> dict[str, str]:
    s = connection.settings_dict
    return {
        **os.environ,
        "ODD_HERON_DATABASE_URL": (
            f"postgresql://{s['USER']}:{s['PASSWORD']}@{s['HOST']}:{s['PORT']}/{s['NAME']}"
        ),
    }
