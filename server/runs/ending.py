"""How runs end, and their log; what the queue and its children know of them."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from server.runs.models import ACTIVE, Run, RunEvent, Status


@transaction.atomic
def end(run_id: int, status: Status, reason: str) -> None:
    """Ends an active run without results; leaves ended runs alone."""
    run = Run.objects.select_for_update().filter(id=run_id, status__in=ACTIVE).first()
    if run is not None:
        run.status, run.reason, run.finished, run.stage = (
            status,
            reason,
            timezone.now(),
            str(status),
        )
        run.save()
        RunEvent.objects.create(run=run, message=reason)


def fail(run_id: int, reason: str) -> None:
    """Ends a run that could not be solved."""
    end(run_id, Status.FAILED, reason)


def log(run_id: int, message: str) -> None:
    """Adds a line to a run's log."""
    RunEvent.objects.create(run_id=run_id, message=message)
