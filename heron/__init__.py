"""Odd Heron's computation core: no Django, no HTTP, no interface.

Imports go down only, from the command line to quantities (pyproject.toml has the order)::

    import heron

    run = heron.open("examples/mast-dipole.json").solve()
    print(run.frequency[abs(run.s11).argmin()])
"""

from __future__ import annotations

from typing import Any

__version__ = "0.1.0"


def __getattr__(name: str) -> Any:
    """``heron.open``, which loads the core when it is first used."""
    if name == "open":
        from heron.interface import open_model

        return open_model
    raise AttributeError(f"module heron has no attribute {name}")
