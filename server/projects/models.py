"""Projects, who may see them, and their immutable revisions."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from heron.model import load_document


class Role(models.TextChoices):
    """What a member may do: readers look, editors change, owners share and delete."""

    OWNER = "owner"
    EDITOR = "editor"
    READER = "reader"


class Project(models.Model):
    name = models.CharField(max_length=120)
    head = models.ForeignKey("Revision", null=True, on_delete=models.SET_NULL, related_name="+")
    members: models.ManyToManyField[Any, Any] = models.ManyToManyField(
        settings.AUTH_USER_MODEL, through="Member", related_name="projects"
    )
    # the number of its newest run, which may be gone: none is given twice
    last_run = models.PositiveIntegerField(default=0)
    last_study = models.PositiveIntegerField(default=0)
    created = models.DateTimeField(auto_now_add=True)
    updated = models.DateTimeField(auto_now=True)

    @property
    def latest(self) -> Revision:
        """Its head: there is none only while it is made."""
        assert self.head is not None
        return self.head


class Member(models.Model):
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="memberships")
    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships"
    )
    role = models.CharField(max_length=10, choices=Role.choices)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["project", "user"], name="one_role_per_member")
        ]


class Revision(models.Model):
    """One state of the model. ``parent`` is what it was edited from; redo follows the newest
    child.
    """

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey(
        "self", null=True, on_delete=models.SET_NULL, related_name="children"
    )
    document = models.JSONField()
    digest = models.CharField(max_length=64)
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["project", "number"], name="revision_number"),
            models.CheckConstraint(condition=~Q(id=F("parent_id")), name="revision_not_own_parent"),
        ]

    @property
    def whole(self) -> dict[str, Any]:
        """The document as it is served: with the fields that have come since it was saved."""
        return load_document(self.document).model_dump(mode="json")


class Upload(models.Model):
    """A file that import steps of the project name.

    ``prepared`` is what a child process made of it.
    """

    class State(models.TextChoices):
        READING = "reading"
        READY = "ready"
        REFUSED = "refused"

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="uploads")
    name = models.CharField(max_length=200)
    digest = models.CharField(max_length=64)
    size = models.PositiveBigIntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.READING)
    message = models.TextField(default="waiting")
    report = models.JSONField(default=dict)
    original = models.BinaryField()
    prepared = models.BinaryField(default=bytes)
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="upload_name")]
