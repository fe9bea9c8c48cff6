"""What a project's own materials have in common."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from heron.errors import ModelError
from heron.steps.fields import Name, Step


class MaterialStep(Step):
    """A material of the project; it shadows the library's of the same name."""

    name: Name
    comment: Annotated[str, Field(max_length=200)] = ""


def passive(step: Any, *names: str) -> None:
    """:raises ModelError: at a loss that is negative."""
    for name in names:
        if getattr(step, name) < 0:
            raise ModelError(
                f"the {name.replace('_', ' ')} must not be negative: the medium would make power",
                (name,),
            )
