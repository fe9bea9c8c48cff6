"""Uploaded files: read in a child, reported, used by import steps, refused in words, kept from
strangers.
"""

from __future__ import annotations

from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from procrastinate.contrib.django.models import ProcrastinateJob

from server.config import ROOT
from server.projects import files
from server.projects.actions import create_project
from server.projects.library import example
from server.projects.models import Upload
from server.projects.tasks import read_upload
from tests.server.conftest import Api, person, signed_in

pytestmark = pytest.mark.django_db(transaction=True)
SKIFF = (ROOT / "examples" / "skiff.step").read_bytes()


@pytest.fixture
def api() -> Api:
    return signed_in(person("olive"))


@pytest.fixture
def project(api: Api) -> int:
    return int(api.ask("post", "/projects", {}).json()["id"])


def send(api: Api, project: int, name: str, data: bytes) -> Any:
    return api.post(f"/api/projects/{project}/files", {"file": SimpleUploadedFile(name, data)})


def file(api: Api, project: int, name: str) -> dict[str, Any]:
    lines: list[dict[str, Any]] = api.ask("get", f"/projects/{project}/files").json()
    return next(f for f in lines if f["name"] == name)


def read(api: Api, project: int, name: str) -> dict[str, Any]:
    """The file after its job, which a worker would do."""
    assert (file(api, project, name)["state"], file(api, project, name)["message"]) == (
        "reading",
        "waiting to be read",
    )
    jobs = ProcrastinateJob.objects.filter(queue_name="files", status="todo")
    for job in jobs:
        read_upload(**job.args)
    return file(api, project, name)


def document(api: Api, project: int, **step: Any) -> dict[str, Any]:
    found: dict[str, Any] = api.ask("get", f"/projects/{project}").json()["document"]
    found["parts"] = [
        {"kind": "import", "name": "boat", "file": "skiff.step", "material": "aluminium", **step}
    ]
    return found


def test_a_step_file_becomes_bodies_with_names_and_colours(api: Api, project: int) -> None:
    assert send(api, project, "skiff.step", SKIFF).status_code == 202
    line = read(api, project, "skiff.step")
    assert line["state"] == "ready", line["message"]
    assert [b["name"] for b in line["report"]["bodies"]] == [
        "hull",
        "thwart 1",
        "thwart 2",
        "console",
        "mast",
    ]
    looked = api.ask(
        "post",
        "/projects/examine",
        {"document": document(api, project, scale="0.5"), "project": project},
    ).json()
    hull = looked["bodies"][0]
    assert (hull["name"], hull["colour"], hull["solid"]) == ("boat.hull", "#8a5a3c", True)
    assert hull["high"][0] - hull["low"][0] == pytest.approx(2.1)
    assert set(looked["meshes"]) == {b["key"] for b in looked["bodies"]}
    again = api.ask(
        "post",
        "/projects/examine",
        {
            "document": document(api, project, scale="0.5"),
            "project": project,
            "have": [hull["key"]],
        },
    ).json()
    assert hull["key"] not in again["meshes"]
    assert api.ask("delete", f"/projects/{project}/files/skiff.step").status_code == 204
    gone = api.ask(
        "post", "/projects/examine", {"document": document(api, project), "project": project}
    ).json()
    assert "upload it" in gone["problems"][0]["message"]


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("boat.step", SKIFF[:5000], "cut off"),
        ("boat.stl", b"solid", "cut off"),
        ("boat.txt", b"hello", "STEP, STL, OBJ or DXF"),
        ("../../etc/passwd.step", b"root:x:0:0", "not a STEP file"),
    ],
)
def test_bad_files_are_refused_and_harm_nothing(
    api: Api, project: int, name: str, data: bytes, words: str
) -> None:
    assert send(api, project, name, data).status_code == 202
    plain = name.rsplit("/", maxsplit=1)[-1]
    line = read(api, project, plain)
    assert line["state"] == "refused"
    assert words in line["message"]
    assert api.ask("get", f"/projects/{project}").status_code == 200


def test_names_and_sizes_have_limits(
    api: Api, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert send(api, project, ".hidden", b"x").status_code == 422
    monkeypatch.setattr("server.projects.files.MAX_BYTES", 10)
    large = send(api, project, "a.step", SKIFF)
    assert large.status_code == 413
    assert "larger than" in large.json()["title"]
    assert not Upload.objects.exists()


def test_a_reader_cannot_upload_and_a_stranger_sees_nothing(api: Api, project: int) -> None:
    stranger = signed_in(person("stan"))
    assert send(stranger, project, "a.step", SKIFF).status_code == 404
    assert (
        stranger.ask(
            "post", "/projects/examine", {"document": document(api, project), "project": project}
        ).status_code
        == 404
    )


def test_shipped_examples_bring_their_files(api: Api) -> None:
    made = api.ask("post", "/projects", {"example": "skiff-mount"}).json()
    assert [f["state"] for f in api.ask("get", f"/projects/{made['id']}/files").json()] == ["ready"]
    looked = api.ask(
        "post", "/projects/examine", {"document": made["document"], "project": made["id"]}
    ).json()
    assert not [p for p in looked["problems"] if p["level"] == "error"]
    assert looked["engine"] == "transient"
    card = next(c for c in api.ask("get", "/projects").json() if c["id"] == made["id"])
    drawn = api.ask("get", f"/projects/{made['id']}/outline/{card['revision']}")
    assert len(drawn.json()) > 10 and "immutable" in drawn["Cache-Control"]
    assert api.ask("get", f"/projects/{made['id']}/outline/99").status_code == 404


def test_an_interrupted_reader_is_not_waited_for_forever(api: Api) -> None:
    project = create_project(person("zoe"), example("roof-patch"))
    upload = Upload.objects.create(project=project, name="a.step", digest="", size=1, original=b"x")
    Upload.objects.update(created="2020-01-01T00:00:00Z", message=files.WAITING)
    upload.refresh_from_db()
    assert files.current(upload).state == "reading", "it waits for a worker"
    upload.message = "checking 3 bodies"
    assert files.current(upload).state == "refused"
    assert "upload it again" in upload.message


def test_typed_steps_and_material_curves(api: Api, project: int) -> None:
    found = api.ask("get", f"/projects/{project}").json()["document"]
    read = api.ask(
        "post", "/projects/phrase", {"document": found, "text": "box 40 x 20 x 1.6 mm, FR4"}
    ).json()
    step = read["step"]
    assert (read["chapter"], step["kind"], step["material"]) == ("parts", "box", "FR4")
    with_it = found | {"parts": [*found["parts"], step]}
    asked = {"document": with_it, "chapter": "parts", "number": len(found["parts"])}
    printed = api.ask("post", "/projects/sentence", asked).json()
    assert printed == "Box box from (-40 mm / 2, -20 mm / 2, 0) by (40 mm, 20 mm, 1.6 mm), of FR4"
    assert api.ask("post", "/projects/sentence", asked | {"number": 99}).status_code == 404
    more = api.ask("post", "/projects/phrase/next", {"document": found, "text": "cyl"}).json()
    assert more[0]["text"] == "cylinder radius 5 mm, height 20 mm" and more[0]["meaning"]
    language = api.ask("get", "/projects/language").json()
    assert language["references"]["engine"] == ["auto", "moments", "transient"]
    assert {"box", "gap", "plan"} <= {k["name"] for k in language["kinds"]}
    bad = api.ask("post", "/projects/phrase", {"document": found, "text": "blob 3 mm"})
    assert bad.status_code == 422
    assert "begins with what it is" in bad.json()["title"]
    curve = api.ask(
        "post",
        "/projects/material-curve",
        {"document": found, "name": "water", "f_start": 1e9, "f_stop": 1e11},
    ).json()
    peak = max(range(201), key=lambda i: curve["epsilon_imag"][i])
    assert curve["frequency_hz"][peak] == pytest.approx(19.2e9, rel=0.03)
    assert (
        api.ask(
            "post",
            "/projects/material-curve",
            {"document": found, "name": "mithril", "f_start": 1e9, "f_stop": 1e11},
        ).status_code
        == 404
    )
    assert curve["fit"] is None
    rows = [
        [f"{f} GHz", repr(3 + 20 / (1 + (f / 5) ** 2)), repr(20 * (f / 5) / (1 + (f / 5) ** 2))]
        for f in (0.5, 1, 2, 5, 10, 20)
    ]
    found["materials"] = [{"kind": "table", "name": "brine", "rows": rows}]
    fit = api.ask(
        "post",
        "/projects/material-curve",
        {"document": found, "name": "brine", "f_start": 1e9, "f_stop": 1e10},
    ).json()["fit"]
    assert fit["error"] < 1e-3, "one pole, by Debye's own form"
    assert fit["epsilon_real"][0] == pytest.approx(3 + 20 / (1 + 0.04), rel=1e-3)
    names = {m["name"] for m in api.ask("get", "/projects/materials").json()}
    assert {"copper", "FR4", "sea water", "muscle"} <= names
