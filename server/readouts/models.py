"""Readout pages, templates of their owners, and reference curves."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from server.projects.models import Project


class Page(models.Model):
    """The readout of a project: its cards, spec lines and markers.

    ``version`` rises with every save.
    """

    project = models.OneToOneField(Project, on_delete=models.CASCADE, related_name="page")
    version = models.PositiveIntegerField(default=0)
    content = models.JSONField(default=dict)
    updated = models.DateTimeField(auto_now=True)


class Template(models.Model):
    """Cards that somebody keeps for other projects."""

    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="templates"
    )
    name = models.CharField(max_length=60)
    cards = models.JSONField(default=list)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="template_name")]


class ReferenceCurve(models.Model):
    """A reference curve: the text as it came, and how it is read."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="references")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=80)
    filename = models.CharField(max_length=200, blank=True)
    text = models.TextField()
    x_unit = models.CharField(max_length=4)
    columns = models.JSONField(default=list)
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["project", "number"], name="reference_number")
        ]
