"""Studies: many runs of one revision, and what is found in them."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from server.projects.models import Project, Revision
from server.runs.models import ACTIVE, Run, Status, Wish


class Study(models.Model):
    """A study as its step said when it was started. Its variants are runs, of it or of others."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="studies")
    number = models.PositiveIntegerField()
    revision = models.ForeignKey(Revision, on_delete=models.RESTRICT, related_name="studies")
    step = models.JSONField()
    outcomes = models.JSONField(default=list)  # texts
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    status = models.CharField(max_length=10, choices=Status.choices, default=Status.QUEUED)
    wish = models.CharField(max_length=10, choices=Wish.choices, default=Wish.NONE, blank=True)
    reason = models.TextField(default="")
    attempts = models.PositiveIntegerField(default=0)
    most = models.PositiveIntegerField(default=0)  # variants
    forecast = models.JSONField(default=dict)  # of one variant
    found = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)
    started = models.DateTimeField(null=True)
    heartbeat = models.DateTimeField(null=True)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["project", "number"], name="study_number")]

    @property
    def active(self) -> bool:
        """Whether it waits or goes on."""
        return self.status in ACTIVE


class StudyVariant(models.Model):
    """One variant of a study, in the order of its trials: the values of its variables, SI, and the
    run that solved it, which may be another study's.

    Those ``beside`` the study's own were asked for by somebody at a dial.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="variants")
    place = models.PositiveIntegerField()
    point = models.JSONField()
    run = models.ForeignKey(Run, null=True, on_delete=models.SET_NULL, related_name="+")
    known = models.BooleanField(default=False)
    beside = models.BooleanField(default=False)

    class Meta:
        ordering = ["place"]
        constraints = [models.UniqueConstraint(fields=["study", "place"], name="study_place")]
