"""The job behind an upload: a child process reads it, so that its memory and its death are its
own.
"""

from __future__ import annotations

from procrastinate.contrib.django import app


@app.task(queue="files", name="read_upload")
def read_upload(upload_id: int) -> None:
    """Reads one upload in a child process."""
    # not at the top: models are not loaded yet when Django loads this file
    from server.projects.readers import read_apart

    read_apart(upload_id)
