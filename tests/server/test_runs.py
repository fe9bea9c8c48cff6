"""Runs through the queue: solved by a real worker process, stopped, paused, killed, and read
back.
"""

from __future__ import annotations

import io
import os
import signal
import time
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import numpy as np
import psutil
import pytest
import skrf
from django.core.management import call_command
from django.db import connection
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from heron.engines.transient import engine
from heron.formats import netcdf
from server.accounts.models import User
from server.prepare import short_runs
from server.projects import library
from server.projects.actions import create_project
from server.projects.library import example
from server.runs import actions, store
from server.runs.models import Run, RunEvent, Status
from tests.models import planned
from tests.server.conftest import Api, person, signed_in, solved, unpacked
from tests.waiting import PATIENCE

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def api() -> Api:
    return signed_in(person("olive"))


def make(api: Api, **plan: str) -> int:
    document = planned(example("mast-dipole").model_dump(mode="json"), **plan)
    from heron.model import load_document

    return create_project(User.objects.get(username="olive"), load_document(document)).id


SLOW = {"sampling": "every", "points": "2001", "segments_per_wavelength": "250"}


def start(api: Api, project: int) -> None:
    answer = api.ask("post", f"/projects/{project}/runs", {})
    assert answer.status_code == 201, answer.json()


def state(project: int) -> Run:
    return Run.objects.get(project_id=project, number=1)


def wait(project: int, reached: Callable[[Run], bool]) -> Run:
    end = time.monotonic() + PATIENCE
    while time.monotonic() < end:
        run = state(project)
        if reached(run):
            return run
        time.sleep(0.05)
    raise AssertionError(
        f"after {PATIENCE:g} s the run is {run.status} ({run.stage}, {run.reason})"
    )


def gone(process: int) -> None:
    """Waits until a process has ended."""
    end = time.monotonic() + PATIENCE
    while psutil.pid_exists(process) and time.monotonic() < end:
        time.sleep(0.05)
    assert not psutil.pid_exists(process)


def ended(run: Run) -> bool:
    return not run.active


def solving(run: Run) -> bool:
    return run.stage == "solving" and len(run.live) > 3


def test_a_run_from_queue_to_exports(api: Api, worker: Callable[[], Any]) -> None:
    project = make(api)
    start(api, project)
    assert state(project).status == Status.QUEUED
    early = api.ask("get", f"/projects/{project}/runs/1/sweep")
    assert early.status_code == 409
    worker()
    run = wait(project, ended)
    assert run.status == Status.FINISHED, run.reason
    assert run.grade == "A"
    assert {"odd_heron", "numpy", "machine"} <= run.made_by.keys()
    assert run.summary["power_balance_error"] < 0.005
    base = f"/projects/{project}/runs/1"
    sweep = api.ask("get", f"{base}/sweep").json()
    text = api.ask("get", f"{base}/export/touchstone").content.decode()
    network = _network(text)
    assert network.f == pytest.approx(sweep["frequency_hz"])
    data = netcdf.opened(api.ask("get", f"{base}/export/run.nc").content)
    assert data["s"].values == pytest.approx(network.s, abs=1e-9)
    assert data.attrs["engine"] == "moments"
    cuts = api.ask("get", f"/projects/{project}/cuts?runs=1&frequency=868e6").json()[0]
    assert [c["plane"] for c in cuts] == ["phi=0", "phi=90"]
    assert cuts[0]["beamwidth_deg"] == pytest.approx(78, abs=2)
    for what in ("pattern", "current", "near/beside%20the%20rod", "near/along%20x"):
        assert api.ask("get", f"{base}/{what}?frequency=868e6").status_code == 200
    assert api.ask("get", f"{base}/near/nothing?frequency=868e6").status_code == 404
    assert api.ask("get", f"{base}/export/ports.csv").content.decode().count("\n") == 122
    assert len(store.content(run.id)) > 10_000
    again = api.ask("post", f"{base}/stop")
    assert again.status_code == 409


def _network(text: str) -> skrf.Network:
    file = io.StringIO(text)
    file.name = "ports.s1p"
    return skrf.Network(file)


def test_what_a_run_in_time_recorded_is_served(api: Api, worker: Callable[[], Any]) -> None:
    document = example("mast-dipole").model_dump(mode="json")
    plate = {
        "kind": "rectangle",
        "name": "plate",
        "corner": ["40 mm", "-10 mm", "-60 mm"],
        "size": ["20 mm", "120 mm"],
        "axis": "x",
        "material": "copper",
    }
    plane = {
        "corner": ["-30 mm", "0", "-30 mm"],
        "along": ["60 mm", "0", "0"],
        "across": ["0", "0", "60 mm"],
        "counts": ["5", "7"],
    }
    document["parts"].append(plate)
    document["captures"] = [
        {"kind": "surface_current", "name": "metal", "frequencies": ["850 MHz"]},
        {"kind": "point_trace", "name": "signal", "point": ["20 mm", "0", "0"]},
        {"kind": "snapshots", "name": "pictures", "interval": "0.2 ns", **plane},
        {"kind": "power_flux", "name": "flux", **plane},
        {
            "kind": "near_box",
            "name": "box",
            "corner": ["0", "0", "0"],
            "size": ["30 mm", "30 mm", "30 mm"],
            "counts": ["2", "3", "4"],
        },
    ]
    document = planned(
        document, engine="transient", points="3", cells_per_wavelength="10", decay="20"
    )
    from heron.model import load_document

    project = create_project(User.objects.get(username="olive"), load_document(document)).id
    start(api, project)
    worker()
    run = wait(project, ended)
    assert run.status == Status.FINISHED, run.reason
    base = f"/projects/{project}/runs/1"
    sweep = api.ask("get", f"{base}/sweep").json()
    assert (sweep["surfaces"], sweep["traces"]) == (["metal"], ["signal", "pictures"])
    assert (
        set(sweep["absorbed_share"]) == {"rod", "plate"} and len(sweep["power_flux"]["flux"]) == 3
    )
    header, arrays = unpacked(api.ask("get", f"{base}/surface/metal?frequency=9e8").content)
    assert (
        header["frequency_hz"] == 850e6
        and arrays["corners"].shape == (len(arrays["re"]), 4, 3)
        and len(arrays["re"]) > 10
        and np.abs(arrays["re"]).max() > 0
    )
    assert len(arrays["error"]) == len(arrays["re"]) and (arrays["error"] > 0).all(), (
        "shares by which the current may be off"
    )
    header, arrays = unpacked(api.ask("get", f"{base}/signals/pictures").content)
    assert (
        header["complete"]
        and header["counts"] == [5, 7]
        and arrays["e"].shape == (len(arrays["time_ns"]), 35, 3)
    )
    assert "h" in unpacked(api.ask("get", f"{base}/signals/signal").content)[1]
    _, spectra = unpacked(api.ask("get", f"{base}/spectrum/signal?field=h").content)
    assert spectra["level"].shape == (240, 3) and spectra["level"].max() == 0
    header, _ = unpacked(api.ask("get", f"{base}/near/flux?frequency=9e8").content)
    listed = min(sweep["power_flux"]["flux"], key=lambda p: abs(p["frequency_hz"] - 9e8))
    assert header["power_w"] == pytest.approx(listed["power_w"])
    assert unpacked(api.ask("get", f"{base}/near/box?frequency=9e8").content)[0]["counts"] == [
        2,
        3,
        4,
    ]
    header, arrays = unpacked(api.ask("get", f"{base}/current?frequency=9e8").content)
    assert (
        "parts" in header
        and arrays["error"].shape == arrays["span"].shape
        and (arrays["error"] > 0).all()
    )
    assert unpacked(api.ask("get", f"{base}/near/box?frequency=9e8").content)[1]["error"].shape == (
        24,
        2,
    )
    for missing in ("surface/nothing?frequency=1e9", "signals/nothing"):
        assert api.ask("get", f"{base}/{missing}").status_code == 404


def test_a_run_is_refused_with_reasons(api: Api) -> None:
    project = make(api, f_stop="100 MHz")
    answer = api.ask("post", f"/projects/{project}/runs", {})
    assert answer.status_code == 422
    assert answer.json()["problems"][0]["path"] == ["plans", 0, "f_stop"]
    assert not Run.objects.exists()


def test_stopping_is_obeyed_in_mid_sweep_and_keeps_what_is_solved(
    api: Api, worker: Callable[[], Any]
) -> None:
    project = make(api, **SLOW)
    start(api, project)
    worker()
    wait(project, solving)
    assert api.ask("post", f"/projects/{project}/runs/1/stop").status_code == 200
    run = wait(project, ended)
    assert run.status == Status.STOPPED
    assert (
        len(api.ask("get", f"/projects/{project}/runs/1/sweep").json()["frequency_hz"])
        == run.summary["solves"]
        < int(SLOW["points"])
    )


def test_pausing_holds_the_run(api: Api, worker: Callable[[], Any]) -> None:
    project = make(api, **SLOW)
    start(api, project)
    worker()
    wait(project, solving)
    api.ask("post", f"/projects/{project}/runs/1/pause")
    held = wait(project, lambda r: r.status == Status.PAUSED)
    time.sleep(1)
    assert state(project).fraction == held.fraction
    api.ask("post", f"/projects/{project}/runs/1/continue")
    wait(project, lambda r: r.status == Status.RUNNING and r.fraction > held.fraction)
    api.ask("post", f"/projects/{project}/runs/1/stop")
    wait(project, ended)


def test_a_killed_worker_leaves_no_run_hanging(api: Api, worker: Callable[[], Any]) -> None:
    """kill -9 in mid-run: the child dies too, the run is taken up again and ends; other rows stay
    as they were.
    """
    project, other = make(api, **SLOW), make(api)
    before = api.ask("get", f"/projects/{other}").json()
    start(api, project)
    first = worker()
    wait(project, solving)
    child = state(project).made_by["process"]
    os.kill(first.pid, signal.SIGKILL)
    first.wait()
    gone(child)
    Run.objects.filter(project_id=project).update(
        heartbeat=timezone.now() - actions.SILENT - timedelta(seconds=1)
    )
    worker()
    run = wait(project, lambda r: r.attempts == 2 and solving(r))
    assert "worker died" in " ".join(run.events.values_list("message", flat=True))
    api.ask("post", f"/projects/{project}/runs/1/stop")
    assert wait(project, ended).status == Status.STOPPED
    assert api.ask("get", f"/projects/{other}").json() == before


def test_a_child_that_waits_solves_run_after_run(api: Api, worker: Callable[[], Any]) -> None:
    """And one that is killed takes its run with it, at once, and the next run has another."""
    first, second, third = make(api), make(api, **SLOW), make(api)
    worker()
    start(api, first)
    one = wait(first, ended)
    start(api, second)
    two = wait(second, solving)
    assert one.status == Status.FINISHED
    assert one.made_by["process"] == two.made_by["process"]
    assert 10 < one.summary["peak_mb"] < 4000
    os.kill(two.made_by["process"], signal.SIGKILL)
    killed = wait(second, ended)
    assert (killed.status, killed.attempts) == (Status.FAILED, 1)
    assert "SIGKILL" in killed.reason
    start(api, third)
    last = wait(third, ended)
    assert last.status == Status.FINISHED
    assert last.made_by["process"] != two.made_by["process"]


def test_a_run_names_the_plan_it_was_solved_by(api: Api) -> None:
    project = make(api)
    here = api.ask("get", f"/projects/{project}").json()
    document = here["document"]
    document["plans"].append(document["plans"][0] | {"name": "one point", "points": "1"})
    document["plans"][1]["f_stop"] = document["plans"][1]["f_start"]
    saved = {"parent": here["revision"], "document": document}
    assert api.ask("post", f"/projects/{project}/revisions", saved).status_code == 200
    number = solved(api, project, plan="one point")
    sweep = api.ask("get", f"/projects/{project}/runs/{number}/sweep").json()
    assert len(sweep["frequency_hz"]) == 1
    lines = api.ask("get", f"/projects/{project}/runs").json()
    assert lines[0]["plan"] == "one point"
    none = api.ask("post", f"/projects/{project}/runs", {"plan": "none such"})
    assert none.status_code == 422 and "no plan “none such”" in none.json()["title"]


def test_a_worker_that_is_ended_gives_its_run_back(api: Api, worker: Callable[[], Any]) -> None:
    """As at every restart of the server: that does not count as a death, so it may happen any
    number of times.
    """
    project = make(api, **SLOW)
    start(api, project)
    process = worker()
    wait(project, solving)
    process.terminate()
    process.wait(PATIENCE)
    run = state(project)
    assert (run.status, run.attempts) == (Status.QUEUED, 0)
    assert run.events.last().message == "its worker was ended; queued again"
    # or two, if its child was slow to start and the run was taken for lost
    assert ProcrastinateJob.objects.filter(status="todo").exists()


def test_a_run_whose_worker_keeps_dying_fails_with_the_reason(api: Api) -> None:
    project = make(api)
    start(api, project)
    Run.objects.update(
        status=Status.RUNNING, attempts=2, heartbeat=timezone.now() - timedelta(minutes=1)
    )
    assert actions.take_up_orphans() == 1
    assert state(project).status == Status.FAILED
    assert "died" in state(project).reason


def test_a_queued_run_whose_job_was_lost_gets_another(api: Api) -> None:
    """As when the database restarts while a worker asks for a job: it is marked as begun, and
    nobody has it.
    """
    project = make(api)
    start(api, project)
    RunEvent.objects.update(at=timezone.now() - actions.UNCLAIMED - timedelta(seconds=1))
    assert actions.take_up_orphans() == 0, "its job still waits"
    with connection.cursor() as cursor:
        cursor.execute("update procrastinate_jobs set status = 'doing'")
        assert actions.take_up_orphans() == 0, "it has just begun: its child is starting"
        cursor.execute("update procrastinate_events set at = at - interval '1 minute'")
    assert actions.take_up_orphans() == 1
    assert actions.take_up_orphans() == 0, "once is enough"
    assert ProcrastinateJob.objects.filter(status="todo").count() == 1
    assert "its job was lost" in state(project).events.last().message


def test_a_queued_run_stops_at_once_and_can_be_deleted(api: Api) -> None:
    project = make(api)
    start(api, project)
    assert api.ask("delete", f"/projects/{project}/runs/1").status_code == 409
    assert api.ask("post", f"/projects/{project}/runs/1/stop").json()["status"] == "stopped"
    assert api.ask("delete", f"/projects/{project}/runs/1").status_code == 204
    assert api.ask("delete", f"/projects/{project}/runs/1").status_code == 404
    start(api, project)
    numbers = [r["number"] for r in api.ask("get", f"/projects/{project}/runs").json()]
    assert numbers == [2], "what was kept of run 1 elsewhere must not be taken for another"


def test_a_project_goes_with_its_runs(api: Api) -> None:
    project = make(api)
    start(api, project)
    refused = api.ask("delete", f"/projects/{project}")
    assert refused.status_code == 409
    assert refused.json()["title"] == "run 1 is queued; stop it first"
    api.ask("post", f"/projects/{project}/runs/1/stop")
    assert api.ask("delete", f"/projects/{project}").status_code == 204
    assert not Run.objects.exists()


def test_repeating_a_run_gives_the_same_numbers(api: Api) -> None:
    project = make(api)
    numbers = [solved(api, project) for _ in range(2)]
    a, b = (api.ask("get", f"/projects/{project}/runs/{n}/sweep").json() for n in numbers)
    assert a == b


def test_the_demos_longer_runs_wait_behind_all_others(monkeypatch: pytest.MonkeyPatch) -> None:
    """Only on request, at a lower priority, and the first start does not wait for them."""
    few = {name: example(name) for name in ("ground-whip", "roof-patch")}
    monkeypatch.setattr(library, "examples", lambda: few)
    monkeypatch.setattr(engine, "machine_rate", lambda: 1e8)
    call_command("load_demo")
    assert Run.objects.count() == 3, "the whip with its two variants"
    Run.objects.all().delete()
    User.objects.all().delete()
    call_command("load_demo", long=True)
    jobs = {
        ProcrastinateJob.objects.get(args={"run_id": run.id}).priority: run.project.name
        for run in Run.objects.all()
    }
    assert jobs == {0: few["ground-whip"].name, -10: few["roof-patch"].name}
    assert short_runs() == 3
