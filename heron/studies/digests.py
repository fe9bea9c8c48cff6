"""What a variant's results depend on, as a digest: equal ones are not solved twice."""

from __future__ import annotations

import json
from collections.abc import Callable
from hashlib import sha256

from heron.errors import HeronError
from heron.jobs import Variant
from heron.model import Document
from heron.quantities import resolve_parameters

DIGITS = 12  # of values: what is written in another unit is the same


class Digests:
    """Digests of variants of a model with its imports, whatever it is called, whatever studies it
    has, and however its parameters come to their values.
    """

    def __init__(
        self,
        document: Document,
        files: Callable[[str], bytes] | None,
        engine: str | None = None,
    ) -> None:
        self._document = document
        alike = {"name": "", "notes": "", "studies": [], "parameters": []}
        made = sha256(document.model_copy(update=alike).digest().encode())
        for part in document.parts:
            name = getattr(part, "file", None)
            if name and files is not None:
                try:
                    made.update(files(name))
                except HeronError:
                    made.update(b"missing")
        made.update(json.dumps(engine).encode())
        self._model = made.hexdigest()

    def __call__(self, variant: Variant) -> str:
        """SHA-256 of all that the variant's results depend on."""
        values, _ = resolve_parameters(self._document.parameters, variant.overrides)
        own = [
            self._model,
            sorted(
                (name, f"{q.value:.{DIGITS}g}", list(q.dimension)) for name, q in values.items()
            ),
            self._document.plan_number(variant.plan),
            sorted(variant.without),
            sorted(variant.materials.items()),
            variant.empty,
        ]
        return sha256(json.dumps(own).encode()).hexdigest()
