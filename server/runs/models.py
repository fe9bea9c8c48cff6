"""Runs: one solve of one revision with one set of values, its events, and its results in chunks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.conf import settings
from django.db import models

from server.projects.models import Project, Revision

if TYPE_CHECKING:
    from heron.jobs import Variant


class Status(models.TextChoices):
    """Where a run stands. Stopped runs keep what was solved."""

    QUEUED = "queued"
    RUNNING = "running"
    PAUSED = "paused"
    FINISHED = "finished"
    STOPPED = "stopped"
    FAILED = "failed"


ACTIVE = (Status.QUEUED, Status.RUNNING, Status.PAUSED)


class Wish(models.TextChoices):
    """What somebody asked of an active run."""

    NONE = ""
    PAUSE = "pause"
    STOP = "stop"


class Run(models.Model):
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="runs")
    number = models.PositiveIntegerField()
    # it goes with its project, and else keeps its revision from going
    revision = models.ForeignKey(Revision, on_delete=models.RESTRICT, related_name="runs")
    overrides = models.JSONField(default=dict)
    values = models.JSONField(default=dict)
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    status = models.CharField(max_length=10, choices=Status.choices, default=Status.QUEUED)
    wish = models.CharField(max_length=10, choices=Wish.choices, default=Wish.NONE, blank=True)
    stage = models.CharField(max_length=40, default="queued")
    fraction = models.FloatField(default=0)
    live = models.JSONField(default=list)
    reason = models.TextField(default="")
    attempts = models.PositiveIntegerField(default=0)
    forecast = models.JSONField(default=dict)
    summary = models.JSONField(default=dict)
    headline = models.JSONField(default=dict)
    figures = models.JSONField(default=dict)  # what lists show
    trust = models.JSONField(default=list)
    grade = models.CharField(max_length=1, default="")
    note = models.CharField(max_length=2000, default="", blank=True)
    empty = models.BooleanField(default=False)
    plan = models.CharField(max_length=60, default="", blank=True)  # of its revision
    digest = models.CharField(max_length=64, default="", blank=True)  # of its results
    # of its model and band: runs of other engines that share it check each other
    of_model = models.CharField(max_length=64, default="", blank=True, db_index=True)
    # of a variant of a study: the study, what else is changed, what all of it depends on, and what
    # was read off its results
    study = models.ForeignKey(
        "studies.Study", null=True, on_delete=models.CASCADE, related_name="runs"
    )
    changes = models.JSONField(default=dict)
    given = models.CharField(max_length=64, default="", blank=True, db_index=True)
    outcomes = models.JSONField(default=dict)
    baseline = models.BooleanField(default=False)
    made_by = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)
    started = models.DateTimeField(null=True)
    heartbeat = models.DateTimeField(null=True)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["project", "number"], name="run_number")]

    @property
    def variant(self) -> Variant:
        """What it changes of its revision's model."""
        from heron.jobs import Variant  # only now: every command of Django loads this file

        return Variant(
            self.overrides,
            self.plan or None,
            frozenset(self.changes.get("without", [])),
            self.empty,
            self.changes.get("materials", {}),
            bool(self.changes.get("held")),
            frozenset(self.changes.get("present", [])),
        )

    @property
    def engine(self) -> str:
        """The engine that solves or solved it; empty where none could."""
        return str(self.figures.get("engine") or (self.forecast or {}).get("engine", ""))

    @property
    def asked_engine(self) -> str:
        """The engine that was asked for in the place of the plan's; empty for the plan's own."""
        return str(self.changes.get("engine", ""))

    @property
    def active(self) -> bool:
        """Whether it waits or is being solved."""
        return self.status in ACTIVE

    @property
    def has_results(self) -> bool:
        """Whether there is something to read."""
        return self.status in (Status.FINISHED, Status.STOPPED) and bool(self.headline)


class RunEvent(models.Model):
    """A line of a run's log."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="events")
    at = models.DateTimeField(auto_now_add=True)
    message = models.TextField()

    class Meta:
        ordering = ["id"]


class Machine(models.Model):
    """A machine on which a worker takes runs, and its memory: models are judged for the largest."""

    name = models.CharField(max_length=255, unique=True)
    memory_bytes = models.BigIntegerField()
    seen = models.DateTimeField()


class KeptCurves(models.Model):
    """Curves of a variant that are at hand without its results."""

    run = models.OneToOneField(Run, models.CASCADE, primary_key=True, related_name="kept")
    data = models.BinaryField()


class ResultChunk(models.Model):
    """A piece of a run's compressed result dataset (NetCDF), in order."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="chunks")
    sequence = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        ordering = ["sequence"]
        constraints = [models.UniqueConstraint(fields=["run", "sequence"], name="chunk_sequence")]
