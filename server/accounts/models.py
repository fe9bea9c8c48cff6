"""Accounts, and the record of failed sign-ins that throttles guessing."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser
from django.db import models


class User(AbstractUser):
    """An engineer."""


class FailedSignIn(models.Model):
    """One wrong password; old rows are cleared on the way."""

    key = models.CharField(max_length=200, db_index=True)
    at = models.DateTimeField(auto_now_add=True)
