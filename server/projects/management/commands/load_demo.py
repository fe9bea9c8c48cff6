"""Loads the Saltmarsh Survey demo: an account, the examples as projects, and a run of each; those
of minutes only on request, behind all others, and the first study of each that has some.
"""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser
from django.db import transaction
from django.test import RequestFactory

from server.accounts.models import User

DEMO_RUN_S = 20.0  # forecast: shorter runs are waited for at the first start
LONGEST_RUN_S = 1800  # longer ones are left to whoever opens the project
STUDIES_AFTER_S = 90  # the runs that somebody waits for come first
BEHIND = -10  # priority of the demo's longer runs
USERNAME, PASSWORD = "saltmarsh", "wading-bird-868"


class Command(BaseCommand):
    help = "Loads the demo once; a second call changes nothing."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "--long", action="store_true", help="queue the runs that take minutes, and studies, too"
        )
        parser.add_argument(
            "--only",
            nargs="*",
            metavar="EXAMPLE",
            help="of the examples these alone, by the names of their files",
        )

    @transaction.atomic
    def handle(self, *args: Any, **options: Any) -> None:
        user, created = User.objects.get_or_create(
            username=USERNAME, defaults={"first_name": "Saltmarsh", "last_name": "Survey"}
        )
        if not created:
            return
        # Loaded only now: a second start has nothing to build and should not wait for the geometry
        # kernel.
        from heron.checks import examine
        from server.projects.actions import create_project
        from server.projects.library import examples
        from server.readouts.demo import furnish
        from server.runs.actions import start_run
        from server.studies.actions import start_study

        settings.LOOK_INLINE = True  # other processes do not see what is not committed yet
        user.set_password(PASSWORD)
        user.save()
        request = RequestFactory().post("/")
        request.user = user
        for name, document in examples().items():
            if options["only"] is not None and name not in options["only"]:
                continue
            project = create_project(user, document, shipped=True)
            found = examine(document)
            if not found.sound or found.forecast is None:
                continue
            short = found.forecast.seconds < DEMO_RUN_S
            if short or (options["long"] and found.forecast.seconds < LONGEST_RUN_S):
                start_run(request, project.id, None, {}, 0 if short else BEHIND)
                furnish(request, project)
            if options["long"] and document.studies:
                start_study(request, project.id, document.studies[0].name, STUDIES_AFTER_S)
        self.stdout.write(f"demo loaded: sign in as {USERNAME} / {PASSWORD}")
