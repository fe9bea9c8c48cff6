"""Models are looked at in processes of their own, within limits of time and of questions."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

import pytest
from django.utils import timezone

from heron.errors import ModelError
from server.errors import Problem
from server.looking import pool
from server.looking.tasks import look_over
from server.projects.library import example
from server.projects.models import Project
from server.runs import machines
from server.runs.models import Machine
from tests.models import dipole
from tests.server.conftest import Api

MODEL = json.dumps(dipole(0.48, 1e-3), sort_keys=True)


@pytest.fixture
def processes(settings: Any, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Real processes, which are gone at the end."""
    settings.LOOK_INLINE = False
    own = [pool._Process(), pool._Process()]
    monkeypatch.setattr(pool, "_processes", own)
    monkeypatch.setattr(pool, "ANSWER_S", 600.0)  # machines are shared
    monkeypatch.setattr(pool, "WAIT_S", 600.0)
    yield
    for one in own:
        if one.process is not None:
            one.process.kill()
            one.process.wait()


@pytest.mark.usefixtures("processes")
def test_a_process_answers_what_this_one_would(monkeypatch: pytest.MonkeyPatch) -> None:
    found = pool.ask(1, 4, "look_over", MODEL, None, None, [], None)
    assert found["engine"] == "moments" and found["mesh"]["nodes"]
    assert found["problems"] == look_over(MODEL, None, None, [], None)["problems"]
    first = pool._processes[0].process
    assert first is not None
    again = pool.ask(1, 4, "complete_phrase", MODEL, "cyl", [])
    assert again[0]["text"].startswith("cylinder") and pool._processes[0].process is first
    with pytest.raises(ModelError, match="there is no field “sied” here") as refused:
        bad = json.dumps({**dipole(), "surround": {"sied": 1}})
        pool.ask(1, 4, "look_over", bad, None, None, [], None)
    assert refused.value.path == ("surround", "sied")
    # a process that dies, as of memory full of what it kept, is replaced before anybody is refused
    first.kill()
    assert pool.ask(1, 4, "complete_phrase", MODEL, "cyl", []) == again
    first = pool._processes[0].process
    assert first is not None
    # a question that takes too long ends its process, and the next one has another
    monkeypatch.setattr(pool, "ANSWER_S", 0.0)
    with pytest.raises(Problem, match="more time or memory") as late:
        large = json.dumps(example("roof-patch").model_dump(mode="json"), sort_keys=True)
        pool.ask(1, 4, "look_over", large, None, None, [], None)
    assert late.value.status == 503
    assert first.poll() is not None
    monkeypatch.setattr(pool, "ANSWER_S", 600.0)
    assert pool.ask(1, 4, "complete_phrase", MODEL, "cyl", []) == again


@pytest.mark.usefixtures("processes")
def test_who_asks_too_much_at_a_time_is_told_when_to_come_back(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setitem(pool._asking, 7, pool.EACH)
    with pytest.raises(Problem) as many:
        pool.ask(7, 0, "complete_phrase", MODEL, "cyl", [])
    assert (many.value.status, many.value.more["retry_after"]) == (429, 2)
    monkeypatch.setattr(pool, "WAIT_S", 0.01)
    with pool._processes[1].turn, pytest.raises(Problem) as busy:
        pool.ask(8, 1, "complete_phrase", MODEL, "cyl", [])
    assert busy.value.status == 429


def test_a_refusal_says_when_to_come_back(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    def busy(*_: Any) -> Any:
        raise Problem(429, "the server is busy; try again in a moment", retry_after=3)

    monkeypatch.setattr("server.projects.api.ask", busy)
    answer = api.ask("post", "/projects/examine", {"document": json.loads(MODEL)})
    assert (answer.status_code, answer["Retry-After"]) == (429, "3")
    assert "busy" in answer.json()["title"]


def test_memory_is_judged_for_the_machines_that_take_runs(api: Api, project: Project) -> None:
    """The one that looks may have less, or none may have reported yet."""
    assert machines.most_memory() is None

    def looked() -> list[str]:
        asked = {"document": project.head.whole, "project": project.id}
        found = api.ask("post", "/projects/examine", asked).json()["problems"]
        return [p["message"] for p in found if p["level"] == "error"]

    assert not looked()
    small = Machine.objects.create(name="creek", memory_bytes=1e8, seen=timezone.now())
    assert "of memory" in looked()[0]
    refused = api.ask("post", f"/projects/{project.id}/runs", {})
    assert refused.status_code == 422 and "of memory" in refused.json()["title"]
    machines.report()
    assert not looked() and machines.most_memory() > small.memory_bytes
    Machine.objects.update(seen=timezone.now() - 2 * machines.ALIVE)
    assert machines.most_memory() is None
