"""What a variant's results depend on, as a digest: equal ones are not solved twice."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from hashlib import sha256
from typing import Any

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
        self._document, self._imports = document, digest_of_imports(document, files)
        self._model = self._of(engine)

    def __call__(self, variant: Variant) -> str:
        """SHA-256 of all that the variant's results depend on, but for how it is divided."""
        return self._digest(self._model, self._document.plan_number(variant.plan), variant)

    def of_model(self, variant: Variant) -> str:
        """SHA-256 of the variant's model and frequencies, which runs of other engines, finer ones
        and those with other captures share.
        """
        plan = self._document.plans[self._document.plan_number(variant.plan)]
        band = [str(plan.f_start), str(plan.f_stop), str(plan.points), plan.spacing]
        return self._digest(self._of(None, plans=[], captures=[], refinements=[]), band, variant)

    def _of(self, engine: str | None, **less: list[Any]) -> str:
        alike = {"name": "", "notes": "", "studies": [], "parameters": []} | less
        made = sha256(self._document.model_copy(update=alike).digest().encode())
        made.update(self._imports.encode())
        made.update(json.dumps(engine).encode())
        return made.hexdigest()

    def _digest(self, model: str, plan: Any, variant: Variant) -> str:
        own = [
            model,
            self._values(variant.overrides),
            plan,
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
