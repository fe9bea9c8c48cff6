"""The job behind an upload: a child process reads it, so that its memory and its death are its
own.
"""

from __future__ import annotations

from procrastinate.contrib.django import app


@app.task(queue="files", name="read_upload")
def read_upload(upload_id: int) -> None:
    # not at the top: every command of Django loads this file, few need the core
    from server.projects.files import read_apart

    read_apart(upload_id)
