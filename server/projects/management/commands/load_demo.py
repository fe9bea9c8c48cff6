"""Loads the Saltmarsh Survey demo: an account, the examples as projects, and a run of each."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand
from django.db import transaction
from django.test import RequestFactory

from server.accounts.models import User
from server.projects.actions import create_project
from server.projects.library import examples
from server.runs.actions import start_run

USERNAME, PASSWORD = "saltmarsh", "wading-bird-868"


class Command(BaseCommand):
    help = "Loads the demo once; a second call changes nothing."

    @transaction.atomic
    def handle(self, *args: Any, **options: Any) -> None:
        user, created = User.objects.get_or_create(username=USERNAME, defaults={"first_name": "Saltmarsh", "last_name": "Survey"})
        if not created:
            return
        user.set_password(PASSWORD)
        user.save()
        request = RequestFactory().post("/")
        request.user = user
        for document in examples().values():
            start_run(request, create_project(user, document).id, None, {})
        self.stdout.write(f"demo loaded: sign in as {USERNAME} / {PASSWORD}")
