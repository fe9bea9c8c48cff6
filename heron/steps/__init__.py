"""Kinds of steps: one file each in the folder of its chapter, registered by its name in ``FILES``;
and the settings of engines, which are of no chapter of their own but of a plan.

A file ends in ``KIND``. The order is that of menus.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from importlib import import_module

from heron.steps.contract import CHAPTERS, Chapter, Kind

FILES: dict[str, str] = {
    "parameters": "parameter",
    "frames": "frame",
    "parts": "wire polyline arc helix rectangle disc polygon formula face box cylinder cone sphere"
    " ellipsoid torus wedge prism revolve loft rod coil dish combine thicken edges copy"
    " import_file",
    "materials": "conductor dielectric dispersive table",
    "feeds": "gap between line guide dipole",
    "loads": "series parallel",
    "illuminations": "plane_wave gaussian_beam",
    "surround": "surround",
    "refinements": "fine_box fine_part",
    "captures": "far_field near_point near_line near_plane near_box power_flux surface_current"
    " scattered_cut point_trace far_trace snapshots characteristic_modes",
    "settings": "moments transient",
    "plans": "plan",
    "studies": "sweep tune tolerance sensitivity rescale",
}
CHAPTER: dict[str, Chapter] = {c.key: c for c in CHAPTERS}
_kinds: dict[str, dict[str, Kind]] = {chapter: {} for chapter in FILES}
changed: list[Callable[[], None]] = []  # called when a kind is added


def register(kind: Kind) -> None:
    """Adds a kind to its chapter, or puts it in the place of one of the same name."""
    _kinds[kind.chapter][kind.name] = kind
    for call in changed:
        call()


def forget(kind: Kind) -> None:
    """Takes a kind out again."""
    _kinds[kind.chapter].pop(kind.name, None)
    for call in changed:
        call()


def kinds(chapter: str) -> dict[str, Kind]:
    """The kinds of a chapter by name, in the order of menus."""
    return _kinds[chapter]


def all_kinds() -> Iterator[Kind]:
    """Every kind of every chapter."""
    for chapter in CHAPTERS:
        yield from _kinds[chapter.key].values()


def kind_of(chapter: str, name: str | None) -> Kind:
    """The kind of a step; the chapter's default where the step names none.

    :raises KeyError: when there is no such kind.
    """
    own = _kinds[chapter]
    return own[name] if name in own else own[CHAPTER[chapter].default]


for _chapter, _names in FILES.items():
    for _name in _names.split():
        _kind = import_module(f"heron.steps.{_chapter}.{_name}").KIND
        _kinds[_chapter][_kind.name] = _kind
