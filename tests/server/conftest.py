"""Users, a project and clients on the real database."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.db import connection
from django.test import Client

from server.accounts.models import User
from server.config import ROOT
from server.projects.actions import create_project
from server.projects.library import example
from server.projects.models import Member, Project, Role


class Api(Client):
    """A client that speaks JSON; ``user`` is signed in."""

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        extra = (
            {} if body is None else {"data": json.dumps(body), "content_type": "application/json"}
        )
        return getattr(self, method)(f"/api{path}", **extra)


def unpacked(body: bytes) -> tuple[dict[str, Any], dict[str, Any]]:
    """A packet's header and its arrays."""
    length = int.from_bytes(body[:4], "little")
    header = json.loads(body[4 : 4 + length])
    at, arrays = 4 + length, {}
    for entry in header["arrays"]:
        size = int(np.prod(entry["shape"]))
        arrays[entry["name"]] = np.frombuffer(body, "<f4", size, at).reshape(entry["shape"])
        at += 4 * size
    return header, arrays


@pytest.fixture(autouse=True)
def quick_passwords(settings: Any) -> None:
    """Hashing made slow on purpose would be most of these tests' time."""
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    settings.LOOK_INLINE = True  # other processes do not see what a test has not committed


def person(name: str) -> User:
    return User.objects.create_user(name, password=f"{name}-long-secret")


@pytest.fixture
def owner(db: None) -> User:
    return person("olive")


@pytest.fixture
def project(owner: User) -> Project:
    return create_project(owner, example("mast-dipole"))


def signed_in(user: User) -> Api:
    api = Api()
    api.force_login(user)
    return api


@pytest.fixture
def worker(
    transactional_db: None, tmp_path: Path
) -> Iterator[Callable[[], subprocess.Popen[bytes]]]:
    """Starts workers on the test database; all are gone at the end."""
    s = connection.settings_dict
    url = f"postgresql://{s['USER']}:{s['PASSWORD']}@{s['HOST']}:{s['PORT']}/{s['NAME']}"
    started: list[subprocess.Popen[bytes]] = []

    def start() -> subprocess.Popen[bytes]:
        with (tmp_path / "worker.log").open("ab") as log:
            process = subprocess.Popen(
                [sys.executable, "-m", "server.worker"],
                cwd=ROOT,
                env={**os.environ, "ODD_HERON_DATABASE_URL": url},
                stdout=log,
                stderr=log,
                start_new_session=True,
            )
        started.append(process)
        return process

    yield start
    print((tmp_path / "worker.log").read_text() if started else "")
    for process in started:
        process.kill()
        process.wait()
    time.sleep(0.3)  # children die with their worker


@pytest.fixture
def api(owner: User) -> Api:
    return signed_in(owner)


@pytest.fixture
def editor(project: Project) -> Api:
    user = person("edith")
    Member.objects.create(project=project, user=user, role=Role.EDITOR)
    return signed_in(user)


@pytest.fixture
def reader(project: Project) -> Api:
    user = person("rhea")
    Member.objects.create(project=project, user=user, role=Role.READER)
    return signed_in(user)


@pytest.fixture
def stranger(db: None) -> Api:
    return signed_in(person("stan"))


def solved(
    api: Api, project: int, empty: bool = False, plan: str | None = None, **overrides: str
) -> int:
    """Starts a run and solves it here, without queue and worker; returns its number."""
    from server.runs.child import _solve
    from server.runs.models import Run, Status

    asked = {"overrides": overrides, "empty": empty, "plan": plan}
    answer = api.ask("post", f"/projects/{project}/runs", asked)
    assert answer.status_code == 201, answer.json()
    number = int(answer.json()["number"])
    run = Run.objects.select_related("revision", "project").get(project_id=project, number=number)
    run.status = Status.RUNNING
    run.save()
    _solve(run)
    return number
