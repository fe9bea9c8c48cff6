"""A run opened for reading: what every read of results begins with."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import xarray as xr
from django.http import HttpRequest, HttpResponse

from heron.results import patterns
from heron.results.capabilities import CAPABILITIES, Capability, provided
from server.errors import Problem
from server.runs import store
from server.runs.actions import results_of
from server.runs.models import Run

DIGITS = 16  # of a result's digest, in addresses
FOR_EVER = "private, max-age=31536000, immutable"


@dataclass(frozen=True)
class Opened:
    """An ended run with its results."""

    run: Run
    results: xr.Dataset

    def needs(self, *names: str) -> Capability:
        """The first of the capabilities of those names that the run provides.

        :raises Problem: 422 for a run that provides none of them.
        """
        for capability in provided(self.results):
            if capability.name in names:
                return capability
        wanted = " or ".join(CAPABILITIES[name].words for name in names)
        there = ", ".join(c.words for c in provided(self.results))
        raise Problem(422, f"run {self.run.number} has no {wanted}; it has {there}")

    def index(self, frequency: float) -> int:
        """The sweep point nearest to a frequency in Hz."""
        return patterns.nearest_index(self.results, frequency)

    def frequency(self, index: int) -> float:
        """Hz at a sweep point."""
        return float(self.results["frequency"].values[index])

    @property
    def incident(self) -> float | None:
        """Peak field in V/m of the first illumination, if there is one."""
        found = (c.incident(self.results) for c in provided(self.results))
        return next((level for level in found if level is not None), None)

    def file_name(self, name: str) -> str:
        """What a file of it is called when it is taken out: "run-3.s2p", "run-3-ports.csv"."""
        ending = name.removeprefix("ports") if ".s" in name else f"-{name}"
        return f"run-{self.run.number}{ending}"


def opened(request: HttpRequest, project_id: int, number: int, *needed: str) -> Opened:
    """A run that has results, and one of the capabilities ``needed``, if any are.

    :raises Problem: 404; 409 without results, with its state; 422 without the capability.
    """
    run = results_of(request, project_id, number)
    found = Opened(run, store.load(run.id))
    if needed:
        found.needs(*needed)
    read = [*getattr(request, "results_read", []), short(run.digest)]
    setattr(request, "results_read", read)  # noqa: B010 - Django's requests have no such field
    return found


def short(digest: str) -> str:
    """A result's digest as addresses have it."""
    return digest[:DIGITS]


class KeptByDigest:
    """Lets browsers keep for ever what was read of results whose digests are in the address."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        read, asked = getattr(request, "results_read", []), request.GET.get("results", "")
        if request.method == "GET" and response.status_code == 200 and asked:
            names_them = all(read) and list(dict.fromkeys(read)) == asked.split(",")
            response["Cache-Control"] = FOR_EVER if names_them else "no-store"
        return response
