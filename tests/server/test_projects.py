"""Sign-in, roles, revisions, conflicts, history."""

from __future__ import annotations

import copy
import time
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, transaction
from django.test import Client

from server.accounts.models import User
from server.api import api as ninja_api
from server.projects.actions import create_project
from server.projects.library import example
from server.projects.models import Project, Revision
from tests.server.conftest import Api, unpacked


def renamed(document: dict[str, Any], name: str) -> dict[str, Any]:
    changed = copy.deepcopy(document)
    changed["name"] = name
    return changed


def save(api: Api, project: Project, parent: int, document: dict[str, Any]) -> Any:
    return api.ask(
        "post", f"/projects/{project.id}/revisions", {"parent": parent, "document": document}
    )


def test_signing_in_and_out(owner: User) -> None:
    client = Client(enforce_csrf_checks=True)
    client.get("/")
    token = {
        "headers": {"X-CSRFToken": client.cookies["csrftoken"].value},
        "content_type": "application/json",
    }
    wrong = client.post("/api/session", {"username": "olive", "password": "guess"}, **token)
    assert wrong.status_code == 401
    assert "wrong" in wrong.json()["title"]
    assert (
        client.post(
            "/api/session",
            {"username": "olive", "password": "olive-long-secret"},
            content_type="application/json",
        ).status_code
        == 403
    )
    right = client.post(
        "/api/session", {"username": "olive", "password": "olive-long-secret"}, **token
    )
    assert right.status_code == 200
    assert right.json()["username"] == "olive"
    fresh = {"X-CSRFToken": client.cookies["csrftoken"].value}
    assert client.delete("/api/session", headers=fresh).status_code == 204
    assert client.get("/api/session").status_code == 401


def test_guessing_is_throttled(owner: User) -> None:
    client = Client()
    codes = [
        client.post(
            "/api/session", {"username": "olive", "password": "x"}, content_type="application/json"
        ).status_code
        for _ in range(9)
    ]
    assert codes[:7] == [401] * 7
    assert codes[7:] == [429] * 2
    late = client.post(
        "/api/session",
        {"username": "olive", "password": "olive-long-secret"},
        content_type="application/json",
    )
    assert late.status_code == 429


def test_undo_and_redo_walk_the_history(api: Api, project: Project) -> None:
    first = project.head.document
    assert save(api, project, 1, renamed(first, "Two")).json()["revision"] == 2
    assert save(api, project, 2, renamed(first, "Three")).json()["revision"] == 3
    back = api.ask("post", f"/projects/{project.id}/undo").json()
    assert (back["name"], back["revision"], back["can_redo"]) == ("Two", 2, True)
    assert api.ask("post", f"/projects/{project.id}/redo").json()["name"] == "Three"
    assert api.ask("post", f"/projects/{project.id}/redo").status_code == 409
    api.ask("post", f"/projects/{project.id}/undo")
    branch = save(api, project, 2, renamed(first, "Other")).json()
    assert (branch["revision"], branch["can_redo"]) == (4, False)
    assert Revision.objects.filter(project=project).count() == 4, (
        "an abandoned branch is never deleted"
    )


@pytest.mark.django_db(transaction=True)
def test_a_request_that_waited_for_another_sees_the_head_as_that_left_it(
    api: Api, project: Project
) -> None:
    """Two undos at once: the second one's query began before the first one's end."""
    first = project.head.document
    save(api, project, 1, renamed(first, "Two"))
    save(api, project, 2, renamed(first, "Three"))

    def undo() -> Any:
        try:
            return api.ask("post", f"/projects/{project.id}/undo").json()
        finally:
            connection.close()

    with ThreadPoolExecutor(1) as pool:
        with transaction.atomic():
            locked = Project.objects.select_for_update().get(id=project.id)
            waiting = pool.submit(undo)
            time.sleep(0.7)
            locked.head = Revision.objects.get(project=project, number=2)
            locked.save()
        assert waiting.result(10)["revision"] == 1


def test_saving_the_same_document_makes_no_revision(api: Api, project: Project) -> None:
    assert save(api, project, 1, project.head.document).json()["revision"] == 1


def test_two_people_editing_get_a_conflict_and_lose_nothing(
    api: Api, editor: Api, project: Project
) -> None:
    document = project.head.document
    assert save(editor, project, 1, renamed(document, "Edith's")).status_code == 200
    clash = save(api, project, 1, renamed(document, "Olive's"))
    assert clash.status_code == 409
    assert clash.json()["author"] == "edith"
    assert clash.json()["document"]["name"] == "Edith's"
    assert (
        save(api, project, clash.json()["head"], renamed(document, "Olive's")).json()["name"]
        == "Olive's"
    )
    assert set(
        Revision.objects.filter(project=project).values_list("document__name", flat=True)
    ) == {"Mast dipole", "Edith's", "Olive's"}


def test_a_broken_document_is_refused_with_its_path(api: Api, project: Project) -> None:
    document = copy.deepcopy(project.head.document)
    document["parts"][0]["radius"] = None
    answer = save(api, project, 1, document)
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["path"] == ["parts", 0, "radius"]
    future = {**project.head.document, "version": 99}
    assert "newer" in save(api, project, 1, future).json()["title"]
    assert Revision.objects.filter(project=project).count() == 1


def test_roles(api: Api, editor: Api, reader: Api, project: Project) -> None:
    document = renamed(project.head.document, "Changed")
    assert save(reader, project, 1, document).status_code == 403
    assert save(editor, project, 1, document).status_code == 200
    assert (
        editor.ask("put", f"/projects/{project.id}/members/rhea", {"role": "owner"}).status_code
        == 403
    )
    assert (
        api.ask("put", f"/projects/{project.id}/members/rhea", {"role": "editor"}).status_code
        == 204
    )
    assert save(reader, project, 2, renamed(document, "Again")).status_code == 200
    assert api.ask("delete", f"/projects/{project.id}/members/rhea").status_code == 204
    assert reader.ask("get", f"/projects/{project.id}").status_code == 404
    assert reader.ask("delete", f"/projects/{project.id}/members/rhea").status_code == 404
    refused = editor.ask("delete", f"/projects/{project.id}/members/olive")
    assert refused.status_code == 403, "only owners remove others"
    left = editor.ask("delete", f"/projects/{project.id}/members/edith")
    assert left.status_code == 204, "everybody may leave"
    assert editor.ask("get", f"/projects/{project.id}").status_code == 404
    last = api.ask("delete", f"/projects/{project.id}/members/olive")
    assert last.status_code == 409
    assert "owner" in last.json()["title"]
    assert api.ask("delete", f"/projects/{project.id}").status_code == 204


def project_routes() -> list[tuple[str, str]]:
    schema = ninja_api.get_openapi_schema()
    return [
        (method, path.removeprefix("/api"))
        for path, methods in schema["paths"].items()
        for method in methods
        if "{project_id}" in path
    ]


@pytest.mark.parametrize(("method", "path"), project_routes())
def test_a_stranger_sees_nothing(method: str, path: str, stranger: Api, project: Project) -> None:
    """Every route of a project, from the served OpenAPI document: 404 for a stranger, 401 for
    nobody.
    """
    filled = (
        path.format(project_id=project.id, number=1, revision=1, username="olive", name="x")
        + "?frequency=1e9&runs=1&first=1&second=1&name=x&text=f&formula=f&channels=s11"
    )
    bodies = {
        "/use": {"place": 0},
        "/beside": {"point": [0.1]},
        "/studies": {"name": "x"},
        "/revisions": {"parent": 1, "document": project.head.document},
        "/members": {"role": "reader"},
        "/runs": {},
        "/readout": {"version": 0, "content": None},
        "/curves": {"sources": [], "formulas": []},
        "/specs": {"texts": []},
        "/references": {"name": "x", "text": "1,2\n2,3"},
        "/grade": {"first": "run 1", "second": "run 1", "formula": "f"},
    }
    body = (
        next((b for key, b in bodies.items() if key in path), {})
        if method in ("post", "put", "patch")
        else None
    )
    for who, code in ((stranger, 404), (Api(), 401)):
        if method == "post" and path.endswith("/files"):
            assert (
                who.post(f"/api{filled}", {"file": SimpleUploadedFile("a.step", b"x")}).status_code
                == code
            )
        else:
            assert who.ask(method, filled, body).status_code == code


def test_there_are_routes_to_walk() -> None:
    assert len(project_routes()) >= 25


def test_examples_and_blank_projects(api: Api) -> None:
    names = {e["name"] for e in api.ask("get", "/projects/examples").json()}
    assert {
        "mast-dipole",
        "twin-loops",
        "ground-whip",
        "yagi",
        "helix",
        "roof-patch",
        "skiff-mount",
        "gauge-antenna",
        "ceramic-dome",
    } <= names
    assert api.ask("post", "/projects", {"example": "yagi"}).json()["name"] == "Channel Yagi"
    blank = api.ask("post", "/projects", {}).json()
    looked = api.ask("post", "/projects/examine", {"document": blank["document"]}).json()
    assert [p["code"] for p in looked["problems"]] == ["no-feed"]
    assert api.ask("post", "/projects", {"example": "nothing"}).status_code == 404


def test_examining_shows_shapes_values_and_forecast(api: Api, project: Project) -> None:
    looked = api.ask("post", "/projects/examine", {"document": project.head.document}).json()
    assert looked["values"]["length"]["value"] == pytest.approx(0.464 * 299792458 / 868e6)
    assert looked["shapes"][0]["points"][1][2] == pytest.approx(
        looked["values"]["length"]["value"] / 2
    )
    assert looked["problems"] == []
    assert looked["forecast"]["size"] > 10


def test_a_document_saved_before_a_field_was_there_is_served_with_it(
    api: Api, project: Project
) -> None:
    old = copy.deepcopy(project.head.document)
    del old["refinements"], old["feeds"][0]["network"]
    Revision.objects.filter(pk=project.head.pk).update(document=old)
    served = api.ask("get", f"/projects/{project.id}").json()["document"]
    assert served["refinements"] == [] and served["feeds"][0]["network"] == "none"


def test_a_grid_is_laid_open_and_where_there_is_none_it_says_why(
    api: Api, stranger: Api, project: Project
) -> None:
    patch = create_project(User.objects.get(username="olive"), example("roof-patch"))
    document = patch.head.document
    document["plans"][0]["settings"] = {"transient": {"cells_per_wavelength": "10"}}
    asked = {"axis": "z", "at": 0.0007}
    body = {"document": document, "project": patch.id, "asked": asked}
    header, arrays = unpacked(api.ask("post", "/projects/views/grid", body).content)
    assert header["axis"] == 2 and arrays["epsilon"].max() == pytest.approx(3.55)
    assert arrays["epsilon"].shape == (len(arrays["u"]) - 1, len(arrays["v"]) - 1)
    grid = api.ask("post", "/projects/examine", {"document": document, "project": patch.id}).json()[
        "grid"
    ]
    assert grid["cells"] == header["cells"]
    (pulse,) = grid["pulses"]
    assert (
        max(pulse["value"]) <= 1
        and len(pulse["time_s"]) == len(pulse["value"])
        and pulse["names"] == ["port 1"]
    )
    wires = api.ask("post", "/projects/views/grid", body | {"document": project.head.document})
    assert wires.status_code == 409 and "no grid to look at" in wires.json()["title"]
    wrong = api.ask("post", "/projects/views/grid", body | {"asked": asked | {"axis": "w"}})
    assert wrong.status_code == 422 and wrong.json()["title"].startswith("axis: ")
    assert api.ask("post", "/projects/views/tides", body).status_code == 404
    assert stranger.ask("post", "/projects/views/grid", body).status_code == 404
    assert Api().ask("post", "/projects/views/grid", body).status_code == 401


def test_an_expression_being_typed(api: Api) -> None:
    parameters = [{"name": "a", "expression": "12 mm"}]

    def ask(text: str, like: str | None = None) -> Any:
        body = {"parameters": parameters, "expression": text, "like": like}
        return api.ask("post", "/projects/evaluate", body).json()

    assert ask("a / 2", "1 m") == {"value": 0.006, "unit": "m", "error": ""}
    assert "not defined" in ask("b")["error"]
    assert "a time" in ask("3 s", "1 m")["error"]


def test_the_openapi_document_is_the_committed_one() -> None:
    """The front end's types are generated from docs/openapi.json."""
    import json
    from pathlib import Path

    committed = json.loads((Path(__file__).parents[2] / "docs" / "openapi.json").read_text())
    assert json.loads(json.dumps(ninja_api.get_openapi_schema(), default=str)) == committed, (
        "run: python manage.py export_openapi_schema --api server.api.api --indent 1 --output"
        " docs/openapi.json, then npm run types"
    )


def test_pages_carry_a_strict_policy(db: None) -> None:
    policy = Client().get("/")["Content-Security-Policy"]
    assert "default-src 'self'" in policy
    assert "http" not in policy


@pytest.mark.parametrize(
    "parameters",
    [[{}], [{"name": "1", "expression": "1"}], [{"name": "a b", "expression": "1"}], [{"name": 5}]],
)
def test_parameters_that_are_none_are_refused(api: Api, parameters: list[Any]) -> None:
    answer = api.ask("post", "/projects/evaluate", {"parameters": parameters, "expression": "1"})
    assert answer.status_code == 422
    assert answer.json()["title"]


def test_a_long_chain_of_parameters_is_evaluated(api: Api) -> None:
    """The last first, as deep as a document allows: by recursion it was too deep."""
    parameters = [{"name": f"p{i}", "expression": f"p{i + 1} + 1"} for i in range(999)]
    parameters.append({"name": "p999", "expression": "1 mm"})
    found = api.ask(
        "post", "/projects/evaluate", {"parameters": parameters, "expression": "p998 / 1 mm"}
    )
    assert found.status_code == 200
    deep = "(" * 490 + "1" + ")" * 490
    asked = api.ask("post", "/projects/evaluate", {"parameters": [], "expression": deep})
    assert asked.status_code == 200


@pytest.mark.parametrize("unit", ["(((", "9**9**9", "10^10^10", "📡", "m" * 20])
def test_units_that_are_none_are_told(api: Api, project: Project, unit: str) -> None:
    document = copy.deepcopy(project.head.document)
    document["parameters"].append({"name": "odd", "expression": "1 mm", "unit": unit})
    answer = api.ask("post", "/projects/examine", {"document": document})
    assert answer.status_code == 200
    assert any("is not a unit" in p["message"] for p in answer.json()["problems"])


def test_nul_in_a_text_is_refused_wherever_it_is(api: Api, project: Project) -> None:
    named = renamed(project.head.document, "a\0b")
    for answer in (
        save(api, project, 1, named),
        api.ask("post", "/projects", {"document": named}),
        api.ask("get", f"/projects/{project.id}/files?name=%00"),
        api.ask("delete", f"/projects/{project.id}/members/%00"),
    ):
        assert answer.status_code == 422
        assert "NUL" in answer.json()["title"]
    backslash = renamed(project.head.document, "\\u0000 is how it is written")
    assert save(api, project, 1, backslash).status_code == 200


def test_what_is_nested_without_end_is_refused(api: Api, project: Project) -> None:
    document = {**project.head.document, "materials": [[[[]]]]}
    assert save(api, project, 1, document).status_code == 422
    deep = "[" * 100_000 + "]" * 100_000
    answer = api.generic(
        "POST", "/api/projects/examine", f'{{"document": {deep}}}', "application/json"
    )
    assert 400 <= answer.status_code < 500
