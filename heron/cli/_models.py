"""Arguments that name a model, and the model they name."""

from __future__ import annotations

import argparse
from pathlib import Path

from heron.errors import ModelError
from heron.model import Document, load_document

MAX_MODEL_BYTES = 20_000_000


def add_model(parser: argparse.ArgumentParser) -> None:
    """A model, its overrides, and a folder for what comes out."""
    parser.add_argument("model", type=Path)
    parser.add_argument(
        "--set", action="append", default=[], metavar="name=expression", dest="overrides"
    )
    parser.add_argument("--out", type=Path, required=True)


def overrides_of(pairs: list[str]) -> dict[str, str]:
    """ "name=expression" pairs by name.

    :raises ModelError: a pair is none.
    """
    out = {}
    for pair in pairs:
        name, equals, expression = pair.partition("=")
        if not equals or not name.strip():
            raise ModelError(f"--set takes name=expression, not “{pair}”")
        out[name.strip()] = expression
    return out


def document_of(model: Path) -> Document:
    """The document in a file.

    :raises ModelError: it is too large, or not one.
    """
    if model.stat().st_size > MAX_MODEL_BYTES:
        raise ModelError(f"the model file is larger than {MAX_MODEL_BYTES // 1_000_000} MB")
    return load_document(model.read_bytes())
