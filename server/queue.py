"""A queue of runs: ``python -m server.queue`` takes jobs one at a time, with a child that waits for
the next.
"""

from __future__ import annotations

import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
django.setup()

from django.core.management import call_command  # noqa: E402

from server.runs import warm  # noqa: E402

if __name__ == "__main__":
    warm.keep_one()
    call_command(
        "procrastinate",
        "worker",
        "--queues",
        "runs",
        "--concurrency",
        "1",
        "--delete-jobs",
        "successful",
    )
