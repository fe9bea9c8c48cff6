"""What a variant's results depend on, as a digest: equal ones are not solved twice."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from hashlib import sha256

from heron.geometry.build import digest_of_imports
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
        made.update(digest_of_imports(document, files).encode())
        made.update(json.dumps(engine).encode())
        self._model = made.hexdigest()

    def __call__(self, variant: Variant) -> str:
        """SHA-256 of all that the variant's results depend on, but for how it is divided."""
        own = [
            self._model,
            self._values(variant.overrides),
            self._document.plan_number(variant.plan),
            sorted(variant.without),
            sorted(
                p.name for p in self._document.parts if p.suspended and p.name in variant.present
            ),
            sorted(variant.materials.items()),
            variant.empty,
        ]
        return sha256(json.dumps(own).encode()).hexdigest()

    @property
    def layout(self) -> str:
        """SHA-256 of the values of the model that its variants are held to."""
        return sha256(json.dumps(self._values({})).encode()).hexdigest()

    def _values(self, overrides: Mapping[str, str]) -> list[tuple[str, str, list[float]]]:
        values, _ = resolve_parameters(self._document.parameters, overrides)
        return sorted(
            (name, f"{q.value:.{DIGITS}g}", list(q.dimension)) for name, q in values.items()
        )
