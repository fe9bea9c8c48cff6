"""What a variant's results depend on, as a digest: equal ones are not solved twice."""

from __future__ import annotations

import json
from collections.abc import Callable
from hashlib import sha256

from heron.errors import HeronError
from heron.jobs import Variant
from heron.model import Document


def digest_of_model(
    document: Document, files: Callable[[str], bytes] | None, engine: str | None = None
) -> str:
    """Of a model with its imports, whatever it is called and whatever studies it has."""
    bare = document.model_copy(update={"name": "", "notes": "", "studies": []})
    made = sha256(bare.digest().encode())
    for part in document.parts:
        name = getattr(part, "file", None)
        if name and files is not None:
            try:
                made.update(files(name))
            except HeronError:
                made.update(b"missing")
    made.update(json.dumps(engine).encode())
    return made.hexdigest()


def digest_of(model: str, variant: Variant) -> str:
    """Of a variant of a model that has a digest."""
    own = [
        model,
        sorted(variant.overrides.items()),
        variant.plan,
        sorted(variant.without),
        sorted(variant.materials.items()),
        variant.empty,
    ]
    return sha256(json.dumps(own).encode()).hexdigest()
