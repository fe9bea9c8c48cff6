"""Characteristic modes as they are served."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from heron.model import load_document
from server.projects.actions import create_project
from tests.models import dipole, plan
from tests.server.conftest import Api, solved, unpacked

pytestmark = pytest.mark.django_db


def test_modes_are_curves_currents_and_a_file(api: Api, owner: Any) -> None:
    document = dipole(0.5, 2e-3, plan=plan("240 MHz", "320 MHz", 5, rounds="1"))
    capture = {"kind": "characteristic_modes", "name": "modes", "count": "2", "points": "3"}
    project = create_project(owner, load_document(document | {"captures": [capture]}))
    base = f"/projects/{project.id}/runs/{solved(api, project.id)}"
    sweep = api.ask("get", f"{base}/sweep").json()
    assert sweep["modes"] == 2 and sweep["surfaces"] == ["all metal", "mode 1", "mode 2"]
    assert sweep["mode_angle_error_deg"] is None, "one round knows nothing of its error"
    header, arrays = unpacked(api.ask("get", f"{base}/surface/mode 1?frequency=2.8e8").content)
    assert (header["frequency_hz"], header["under"]) == (280e6, "radiating 1 W")
    assert np.abs(arrays["re"]).max() > 0 and not arrays["im"].any()
    assert api.ask("get", f"{base}/surface/mode 3?frequency=2.8e8").status_code == 404
    asked = {"sources": ["run 1"], "formulas": ["modal_significance1", "mode_share1"]}
    answer = api.ask("post", f"/projects/{project.id}/curves", asked)
    assert answer.status_code == 200
    lines = api.ask("get", f"{base}/export/modes.csv").content.decode().splitlines()
    assert lines[0] == "frequency_hz,eigenvalue1,share1,eigenvalue2,share2" and len(lines) == 4
    plain = create_project(owner, load_document(dipole(0.5, 2e-3)))
    base = f"/projects/{plain.id}/runs/{solved(api, plain.id)}"
    assert "modes" in api.ask("get", f"{base}/export/modes.csv").json()["title"]
