"""Studies through the queue: solved by real workers, read, paused, stopped, killed, and gone on
with.
"""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import psutil
import pytest
import xarray as xr

from heron.model import load_document
from heron.studies.kinds import made, step_of
from server.projects.actions import create_project
from server.runs.models import Run, Status
from server.studies.actions import take_up_studies
from server.studies.conducting import conduct
from server.studies.models import Study
from server.studies.solving import Queued, Superseded
from tests.models import ROD
from tests.server.conftest import Api, person, signed_in, unpacked
from tests.waiting import until

pytestmark = pytest.mark.django_db(transaction=True)
RESONANCE = "f where abs(s11) is smallest"
DEPTH = "smallest db20(s11)"


@pytest.fixture
def api() -> Api:
    return signed_in(person("olive"))


@pytest.fixture
def project(api: Api) -> int:
    from server.accounts.models import User

    return create_project(User.objects.get(username="olive"), load_document(ROD)).id


def start(api: Api, project: int, name: str) -> int:
    answer = api.ask("post", f"/projects/{project}/studies", {"name": name})
    assert answer.status_code == 201, answer.content
    return int(answer.json()["number"])


def study(api: Api, project: int, number: int) -> Any:
    answer = api.ask("get", f"/projects/{project}/studies/{number}")
    assert answer.status_code == 200, answer.content
    return answer.json()


def ended(api: Api, project: int, number: int) -> Any:
    until(lambda: study(api, project, number)["status"] not in ("queued", "running", "paused"))
    return study(api, project, number)


def test_a_study_from_its_sentence_to_files(
    api: Api,
    project: int,
    worker: Callable[[], Any],
    tmp_path: Path,
    django_assert_max_num_queries: Any,
) -> None:
    worker()
    forecast = api.ask("get", f"/projects/{project}/studies/forecast?name=lengths").json()
    assert forecast["most"] == 5 and forecast["seconds"] == pytest.approx(5 * forecast["each_s"])
    number = start(api, project, "lengths")
    told = ended(api, project, number)
    assert told["status"] == "finished", told
    assert told["sentence"].startswith("Sweep lengths over L = 150 mm to 170 mm in 5 steps")
    assert [v["point"][0] for v in told["variants"]] == pytest.approx(np.linspace(0.15, 0.17, 5))
    found = [v["outcomes"][RESONANCE] for v in told["variants"]]
    assert found == sorted(found, reverse=True)
    assert told["units"][RESONANCE] == "Hz"

    # runs of variants are read as others are, but not listed
    assert api.ask("get", f"/projects/{project}/runs").json() == []
    runs = [v["run"] for v in told["variants"]]
    assert api.ask("get", f"/projects/{project}/runs/{runs[0]}").json()["has_results"]

    body = api.ask("get", f"/projects/{project}/studies/{number}/curves?formula=db20(s11)")
    header, arrays = unpacked(body.content)
    assert header["places"] == [0, 1, 2, 3, 4] and header["unit"] == "dB"
    assert arrays["re"].shape == (5, 21) and arrays["x"].shape == (21,)
    text = "largest realized_gain from 850 MHz to 890 MHz"
    own = api.ask("get", f"/projects/{project}/studies/{number}/outcome?text={text}").json()
    assert all(1.0 < v < 1.7 for v in own["values"])
    wrong = api.ask("get", f"/projects/{project}/studies/{number}/outcome?text=colour").json()
    assert "colour" in wrong["error"]

    def file(what: str) -> bytes:
        answer = api.ask("get", f"/projects/{project}/studies/{number}/export/{what}")
        assert answer.status_code == 200
        return bytes(answer.content)

    rows = list(csv.reader(io.StringIO(file("study.csv").decode())))
    assert rows[0][:3] == ["variant", "L [m]", "status"] and len(rows) == 6
    (tmp_path / "study.nc").write_bytes(file("study.nc"))
    with xr.open_dataset(tmp_path / "study.nc", engine="h5netcdf") as data:
        assert data["f_where_abs_s11_is_smallest"].dims == ("L",)
    with zipfile.ZipFile(io.BytesIO(file("touchstone.zip"))) as pack:
        assert {f"variant-{k}.s1p" for k in range(5)} <= set(pack.namelist())
    assert api.ask("get", f"/projects/{project}/studies/{number}/export/x").status_code == 404

    # a variant is used: its values are the sheet's
    used = api.ask("post", f"/projects/{project}/studies/{number}/use", {"place": 4})
    assert used.status_code == 204
    document = api.ask("get", f"/projects/{project}").json()["document"]
    assert document["parameters"][0]["expression"] == "170 mm"

    # what is known is not solved again, in another study nor in another project
    more = ended(api, project, start(api, project, "more lengths"))
    assert [v["known"] for v in more["variants"]] == [True, False] * 4 + [True]
    from server.accounts.models import User

    olive = User.objects.get(username="olive")
    elsewhere = create_project(olive, load_document(ROD | {"name": "another post"})).id
    copied = ended(api, elsewhere, start(api, elsewhere, "lengths"))
    assert all(v["known"] for v in copied["variants"])
    assert [v["outcomes"] for v in copied["variants"]] == [v["outcomes"] for v in told["variants"]]
    again = api.ask("get", f"/projects/{elsewhere}/studies/1/curves?formula=db20(s11)")
    assert unpacked(again.content)[1]["re"] == pytest.approx(arrays["re"])

    assert api.ask("delete", f"/projects/{elsewhere}").status_code == 204  # with its study

    # of a study that is deleted, others keep what they have
    assert api.ask("delete", f"/projects/{project}/studies/{number}").status_code == 204
    with django_assert_max_num_queries(8):  # and not one for each variant
        left = study(api, project, more["number"])
    assert len(left["variants"]) == 9 and all(v["run"] for v in left["variants"])


def test_studies_that_decide_as_they_go(api: Api, project: int, worker: Callable[[], Any]) -> None:
    worker()
    told = ended(api, project, start(api, project, "match"))
    assert told["status"] == "finished", told
    assert told["found"]["best"]["met"] and len(told["variants"]) <= 15
    told = ended(api, project, start(api, project, "saw"))
    own = told["found"]["yield"]
    assert own["low"] <= own["value"] <= own["high"]
    assert told["found"]["predicted"]["count"] == 52
    assert 0 < told["found"]["predicted"]["error"][""] < 1
    path = f"/projects/{project}/studies/{told['number']}"
    asked = f"{path}/dials?channels=s11,gain,phi0&frequency=868e6"
    header, arrays = unpacked(api.ask("get", asked).content)
    assert [v["name"] for v in header["variables"]] == ["L"]
    assert {"s11", "gain", "phi0"} <= set(header["channels"])
    poles = header["channels"]["s11"]["poles"]
    assert arrays["s11_weights_re"].shape == (12, 21 + (2 * poles + 2 if poles else 0))
    beside = api.ask("post", f"{path}/beside", {"point": [0.155]})
    assert beside.status_code == 201 and beside.json()["variants"][-1]["beside"]
    until(lambda: study(api, project, told["number"])["variants"][-1]["status"] == "finished")
    too_far = api.ask("post", f"{path}/beside", {"point": [0.5]})
    assert too_far.status_code == 422 and "220 mm" in too_far.json()["title"]


def test_parts_and_plans_are_values_of_variants_and_used(
    api: Api, worker: Callable[[], Any]
) -> None:
    """What is left out is left out of the run, and of the sheet when the variant is used."""
    from server.accounts.models import User

    worker()
    rod = ROD["parts"][0]
    beside = {**rod, "name": "mast", "start": ["40 mm", "0", "-L/2"], "end": ["40 mm", "0", "L/2"]}
    coarse = {**ROD["plans"][0], "name": "coarse"}
    fine = {**coarse, "name": "fine", "points": "31"}
    study_ = {
        "kind": "sweep",
        "name": "choices",
        "vary": [
            {"parameter": "mast", "values": "present or absent"},
            {"parameter": "plan", "values": "coarse or fine"},
        ],
        "together": "side by side",
        "outcomes": ["largest db10(gain)"],
    }
    document = ROD | {"parts": [rod, beside], "plans": [coarse, fine], "studies": [study_]}
    olive = User.objects.get(username="olive")
    own = create_project(olive, load_document(document)).id
    told = ended(api, own, start(api, own, "choices"))
    assert told["status"] == "finished", told
    assert [v["options"] for v in told["variables"]] == [["present", "absent"], ["coarse", "fine"]]
    with_mast, without = (v["outcomes"]["largest db10(gain)"] for v in told["variants"])
    assert without == pytest.approx(2.15, abs=0.3) and with_mast > without + 1
    runs = [Run.objects.get(project=own, number=v["run"]) for v in told["variants"]]
    assert [r.plan for r in runs] == ["coarse", "fine"]
    assert runs[1].changes["without"] == ["mast"] and runs[1].variant.without == {"mast"}
    assert all(r.variant.held for r in runs)
    api.ask("post", f"/projects/{own}/studies/1/use", {"place": 1})
    parts = api.ask("get", f"/projects/{own}").json()["document"]["parts"]
    assert [p["suspended"] for p in parts] == [False, True]
    exported = api.ask("get", f"/projects/{own}/studies/1/export/study.csv").content.decode()
    assert "absent,fine,solved" in exported


def test_a_study_that_cannot_start_says_where(api: Api, project: int) -> None:
    answer = api.ask("post", f"/projects/{project}/studies", {"name": "broken"})
    assert answer.status_code == 422
    (problem,) = answer.json()["problems"]
    assert problem["path"] == ["studies", 4, "vary", 0, "values"]
    assert "220 mm at most" in problem["message"]
    assert api.ask("post", f"/projects/{project}/studies", {"name": "no"}).status_code == 422
    assert not Study.objects.exists()


def test_paused_stopped_and_gone_on_with(api: Api, project: int, worker: Callable[[], Any]) -> None:
    worker()
    number = start(api, project, "many")
    path = f"/projects/{project}/studies/{number}"
    until(lambda: study(api, project, number)["counts"].get("finished", 0) > 3)
    # many that wait do not keep others from being read
    assert len(api.ask("get", f"/projects/{project}/studies").content) < 4000
    assert api.ask("post", f"{path}/pause").json()["status"] == "paused"
    own = Run.objects.filter(study__number=number, project=project)
    until(lambda: not own.filter(status=Status.RUNNING).exists())
    held = own.filter(status=Status.FINISHED).count()
    assert study(api, project, number)["status"] == "paused"
    assert api.ask("post", f"{path}/continue").json()["status"] == "running"
    until(lambda: own.filter(status=Status.FINISHED).count() > held)
    assert api.ask("post", f"{path}/stop").status_code == 200
    told = ended(api, project, number)
    assert told["status"] == "stopped", told["reason"]
    assert told["counts"]["finished"] + told["counts"]["stopped"] == 1000
    assert api.ask("post", f"{path}/pause").status_code == 409
    solved = told["counts"]["finished"]
    assert api.ask("post", f"{path}/continue").json()["status"] == "queued"
    until(lambda: study(api, project, number)["counts"].get("finished", 0) > solved)
    api.ask("post", f"{path}/stop")
    ended(api, project, number)


def test_who_is_no_longer_its_conductor_neither_ends_a_study_nor_adds_to_it(
    api: Api, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    number = start(api, project, "lengths")
    own = Study.objects.filter(number=number, project=project)

    def falls_silent(solver: Queued, waiting: Any) -> int:
        own.update(attempts=2, wish="stop")  # as another does that takes it up
        return 0

    monkeypatch.setattr(Queued, "_left", falls_silent)
    conduct(own.get().id)
    assert own.get().status == Status.RUNNING and own.get().wish == "stop"
    before = own.get()
    asked = before.variants.count()
    own.update(attempts=3)
    document = load_document(before.revision.document)
    solver = Queued(before, made(step_of(**before.step), document), document, lambda trials: None)
    with pytest.raises(Superseded):
        solver([(0.2,)])
    assert before.variants.count() == asked


def test_two_workers_one_of_which_dies_solve_every_variant_once(
    api: Api, project: int, worker: Callable[[], Any]
) -> None:
    first, _ = worker(), worker()
    number = start(api, project, "saw")
    until(lambda: study(api, project, number)["counts"].get("finished", 0) > 1)
    family = [first, *psutil.Process(first.pid).children(recursive=True)]
    for process in family:
        process.kill()
    told = ended(api, project, number)
    assert told["status"] == "finished", told
    assert [v["status"] for v in told["variants"]] == ["finished"] * 12
    runs = Run.objects.filter(study__number=number, project=project)
    assert runs.count() == 12 and all(r.chunks.exists() for r in runs)
    assert take_up_studies() == 0
