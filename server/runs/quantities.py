"""What formulas find in a run."""

from __future__ import annotations

from functools import lru_cache

from heron.results.formulas import Quantities
from heron.results.origin import values_of
from server.runs import store
from server.runs.models import Run


@lru_cache(maxsize=store.KEPT // 2)  # fewer than datasets are kept, so that none is held twice
def of_run(run_id: int) -> Quantities:
    """The quantities of a run; it is immutable, so what is worked out of it may be kept."""
    results, summary = store.load(run_id), Run.objects.values_list("summary", flat=True)
    return Quantities(results, values_of(results), summary.get(id=run_id).get("far_field"))
