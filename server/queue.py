"""Takes the jobs of a queue: ``python -m server.queue NAME``."""

from __future__ import annotations

import os
import sys

import django
import psutil

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
django.setup()

from django.core.management import call_command  # noqa: E402

from server.runs import warm  # noqa: E402

# jobs at a time: a run may have the whole machine, variants of studies a core each; a reader of a
# file waits as long as it reads, and a study as long as its variants are solved
CORES = psutil.cpu_count(logical=False) or 1
QUEUES = {"runs": 1, "files": 2, "studies": 8, "variants": CORES}


def main(name: str) -> None:
    if name == "runs":
        warm.keep_one()  # a child that waits for the next run
    call_command(
        "procrastinate",
        "worker",
        "--queues",
        name,
        "--concurrency",
        str(QUEUES[name]),
        "--delete-jobs",
        "successful",
    )


if __name__ == "__main__":
    main(sys.argv[1])
