"""Two runs of one model: how far they are apart, and whether both state enough."""

from __future__ import annotations

from typing import Any

import pytest
import xarray as xr

from heron.checks.second import BEYOND, UNKNOWN, against
from heron.errors import HeronError
from heron.jobs import Variant
from heron.model import load_document
from heron.runner import solve_in_rounds
from heron.studies.digests import Digests
from tests.models import dipole, examined, plan


def rounds(length: float, rounds: str = "2", **more: Any) -> xr.Dataset:
    document = dipole(length, 1e-3, plan=plan("250 MHz", "350 MHz", 21, rounds=rounds, **more))
    return solve_in_rounds(examined(document))


@pytest.fixture(scope="module")
def own() -> xr.Dataset:
    return rounds(0.48)


def test_runs_that_agree_are_within_what_both_state(own: xr.Dataset) -> None:
    finer = rounds(0.48, segments_per_wavelength="90")
    items = {i.name: i for i in against(own, finer)}
    assert list(items) == ["S, shift aside", "The minimum's frequency", "The gain"]
    assert {i.mark for i in items.values()} == {"good"}
    assert all("stated" in i.value for i in items.values())
    alone = {i.value.split(",")[0] for i in against(own, own)}
    assert alone == {"0", "0 %", "0 dB"}


def test_runs_further_apart_than_both_state_are_told_so(own: xr.Dataset) -> None:
    """A wire 2 % longer, as a wrong engine would have it: its resonance is 2 % lower."""
    items = {i.name: i for i in against(own, rounds(0.48 * 1.02))}
    found = items["The minimum's frequency"]
    assert found.mark == "stop" and found.advice == BEYOND
    assert float(found.value.split(" %")[0]) == pytest.approx(2.0, abs=0.15)


def test_an_error_that_is_not_stated_is_not_agreed_with(own: xr.Dataset) -> None:
    items = against(own, rounds(0.48, rounds="1"))
    assert items and all(i.advice == UNKNOWN and "stated" not in i.value for i in items)


def test_what_cannot_be_compared_says_why(own: xr.Dataset) -> None:
    short = dipole(0.48, 1e-3, plan=plan("250 MHz", "350 MHz", 11))
    with pytest.raises(HeronError, match="different frequencies"):
        against(own, solve_in_rounds(examined(short)))
    with pytest.raises(HeronError, match="different ports"):
        against(own, own.assign_coords(port=[2]))


def test_a_model_is_known_again_whatever_solves_it() -> None:
    first = load_document(dipole(0.48, 1e-3, plan=plan("250 MHz", "350 MHz", 21)))

    def digest(change: dict[str, Any], **variant: Any) -> str:
        document = first.model_dump(mode="json")
        document["plans"][0] |= change.pop("plan", {})
        return Digests(load_document(document | change), None).of_model(Variant(**variant))

    own = digest({})
    assert own == digest({"plan": {"engine": "transient", "rounds": "1"}})
    assert own == digest({"name": "another", "captures": [{"kind": "far_field", "name": "far"}]})
    assert own == digest({"plan": {"settings": {"transient": {"cells_per_wavelength": "30"}}}})
    others = [
        digest({"plan": {"points": "22"}}),
        digest({"feeds": []}),
        digest({}, empty=True),
        digest({}, without=frozenset({first.parts[0].name})),
    ]
    assert len({own, *others}) == 5
