"""One uploaded file in its own process: ``python -m server.projects.reading UPLOAD_ID``, within
limits of memory and time.
"""

from __future__ import annotations

import os
import sys
from dataclasses import asdict

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
django.setup()

from heron.errors import HeronError  # noqa: E402
from heron.shapes import imports  # noqa: E402
from server.projects.models import Upload  # noqa: E402
from server.worker import die_with_parent  # noqa: E402


def main(upload_id: int) -> int:
    die_with_parent()
    imports.limit()
    found = Upload.objects.filter(id=upload_id)
    upload = found.get()
    found.update(message="reading")
    try:
        named = imports.read(upload.name, bytes(upload.original))
        found.update(message=f"checking {len(named)} bodies")
        report = imports.report(named)
        found.update(message="keeping")
        found.update(
            state=Upload.State.READY,
            message="",
            prepared=imports.packed(named),
            report=asdict(report),
        )
    except HeronError as error:
        found.update(state=Upload.State.REFUSED, message=error.message)
    except MemoryError:
        found.update(
            state=Upload.State.REFUSED,
            message="reading it takes more memory than allowed; simplify it where it was drawn",
        )
    return 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1])))
