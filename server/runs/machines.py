"""Machines that take runs, as their workers report them."""

from __future__ import annotations

import platform
from datetime import timedelta

import psutil
from django.db.models import Max
from django.utils import timezone

from server.runs.models import Machine

ALIVE = timedelta(minutes=2)  # since a worker last reported


def report() -> None:
    """That this machine takes runs."""
    Machine.objects.update_or_create(
        name=platform.node(),
        defaults={"memory_bytes": psutil.virtual_memory().total, "seen": timezone.now()},
    )


def most_memory() -> int | None:
    """Bytes of the largest machine that takes runs now; ``None`` when none has reported."""
    alive = Machine.objects.filter(seen__gt=timezone.now() - ALIVE)
    most: int | None = alive.aggregate(most=Max("memory_bytes"))["most"]
    return most
