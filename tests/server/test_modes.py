"""Line and guide feeds through the API: their modes before a run, and what a run offers of them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import skrf

from heron.model import load_document
from server.projects.actions import create_project
from tests import models
from tests.server.conftest import Api, solved, unpacked


def test_modes_of_an_opening_are_studied_and_solved_with(
    api: Api, stranger: Api, owner: Any, tmp_path: Path
) -> None:
    document = {"version": 1, "name": "guide"} | models.rectangular_guide(
        "12 mm", cells="10", points=3
    )
    document["surround"]["mirror"] = ["none", "PMC", "PEC"]
    guide = create_project(owner, load_document(document))
    body = {"document": document, "project": guide.id}

    def modes(person: Api, **asked: Any) -> Any:
        own = body | {"asked": {"feed": 0, "modes": 2} | asked}
        return person.ask("post", "/projects/views/modes", own)

    header, arrays = unpacked(modes(api).content)
    assert (
        header["kinds"][0] == "TE"
        and header["port"] == 1
        and header["share"] == 0.25
        and header["axes"] == ["y", "z"]
    )
    assert header["cut_off_hz"][0] == pytest.approx(6.557e9, rel=1e-2) and header[
        "at_hz"
    ] == pytest.approx(12.4e9)
    assert arrays["field_re"].shape == (2, len(arrays["u"]) - 1, len(arrays["v"]) - 1, 2)
    assert arrays["index_re"][-1, 0] == pytest.approx(
        np.sqrt(1 - (6.557 / 12.4) ** 2), abs=float(arrays["index_error"][-1, 0])
    )
    assert arrays["impedance_error"].shape == arrays["index_re"].shape
    opening = api.ask(
        "post", "/projects/examine", {"document": document, "project": guide.id}
    ).json()["grid"]["openings"][1]
    assert (
        opening["feed"] == 1
        and opening["sign"] == -1
        and opening["corners"][2] == pytest.approx([12e-3, 11.43e-3, 5.08e-3])
    )
    assert modes(api, feed=5).status_code == 409
    assert "outside the band" in modes(api, frequency=1e9).json()["title"]
    assert modes(api, modes=40).status_code == 422
    assert modes(stranger).status_code == 404

    number = solved(api, guide.id)
    sweep = api.ask("get", f"/projects/{guide.id}/runs/{number}/sweep").json()
    assert sweep["ports"] == [1, 2] and 300 < sweep["z0_ohm"][0] < 700
    trust = api.ask("get", f"/projects/{guide.id}/runs/{number}").json()["trust"]
    assert any(
        item["name"] == "Higher modes at openings" and item["mark"] == "good" for item in trust
    )
    kept = tmp_path / "guide.s2p"
    kept.write_bytes(
        api.ask("get", f"/projects/{guide.id}/runs/{number}/export/touchstone").content
    )
    network = skrf.Network(str(kept))
    assert (
        np.abs(network.s[:, 1, 0]) == pytest.approx(1, abs=2e-3)
        and np.abs(network.s[:, 0, 0]).max() < 0.01
    )
    assert network.z0[0, 0].real == pytest.approx(sweep["z0_ohm"][0])
