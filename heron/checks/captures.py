"""What is wrong with captures, whatever the geometry."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from heron.errors import HeronError
from heron.geometry.build import build_frames, frame_matrix
from heron.model import Evaluated
from heron.problems import Problem
from heron.steps import kind_of
from heron.steps.contract import CaptureKind, Found


def capture_problems(model: Evaluated) -> Iterator[Problem]:
    """Frames of every capture, when it records, and what its kind asks."""
    frames = build_frames(model, [])
    for i, capture in enumerate(model.captures):
        if capture is None:
            continue
        here = ("captures", i)
        if getattr(capture, "frame", ""):
            try:
                frame_matrix(frames, capture.frame)
            except HeronError as error:
                yield Problem("error", "invalid", error.message, path=error.within(*here).path)
        kind = kind_of("captures", capture.kind)
        own = kind.check(model, capture) if isinstance(kind, CaptureKind) else ()
        for name, message in (*own, *_window(model, capture)):
            yield Problem("error", "invalid", message, path=(*here, name))


def _window(model: Evaluated, c: Any) -> Found:
    """When it records: some time while the run goes on."""
    opens, closes = getattr(c, "opens", None), getattr(c, "closes", None)
    if closes is not None and closes <= max(opens or 0.0, 0.0):
        yield (
            "closes",
            "it closes before it opens; give a later end, or leave it empty for the end of the run",
        )
