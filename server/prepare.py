"""Before serving: the database exists and is migrated; our own holds the demo.

Prints how many short runs are waiting. ``python -m server.prepare``.
"""

from __future__ import annotations

import os

import django
import psycopg
from psycopg import sql

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")


def ensure_database(url: str) -> None:
    """Creates the database of the URL on its server, if it is not there."""
    server, _, name = url.rpartition("/")
    with psycopg.connect(f"{server}/postgres", autocommit=True) as admin:
        if (
            admin.execute("select 1 from pg_database where datname = %s", (name,)).fetchone()
            is None
        ):
            admin.execute(sql.SQL("create database {}").format(sql.Identifier(name)))


def main() -> None:
    from server import config

    own = os.environ.get("ODD_HERON_OWN_CLUSTER") == "1"
    if own:
        ensure_database(config.load().database_url)
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    if own:  # its password is published: no other database shall have that account
        call_command("load_demo", long=True)
    print(short_runs())


def short_runs() -> int:
    """How many runs of seconds are waiting or going on."""
    from server.projects.management.commands.load_demo import DEMO_RUN_S
    from server.runs.models import ACTIVE, Run

    own = Run.objects.filter(status__in=ACTIVE, study=None)
    return own.filter(forecast__seconds__lt=DEMO_RUN_S).count()


if __name__ == "__main__":
    main()
