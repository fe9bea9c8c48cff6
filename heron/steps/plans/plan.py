"""How a model is solved."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import Annotated, Any, Literal

from pydantic import Field, GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema

from heron.steps import changed, kinds
from heron.steps.contract import Entry, Kind, Shorthand
from heron.steps.fields import ByName, Commented, Frequency, Name, Number, Step
from heron.steps.sentence import Sentence
from heron.steps.template import Words, within


class Settings(ByName):
    """Settings of engines by the name of the engine; one that has none has its defaults."""

    def schemas(self) -> dict[str, type[Step]]:
        return {name: kind.schema for name, kind in kinds("settings").items()}

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        schema = core_schema.typed_dict_schema(
            {
                name: core_schema.typed_dict_field(handler.generate_schema(schema), required=False)
                for name, schema in self.schemas().items()
            },
            extra_behavior="forbid",
        )
        return core_schema.no_info_after_validator_function(_given, schema)


def _given(settings: dict[str, Step]) -> dict[str, Step]:
    """Settings without those that say nothing but defaults."""
    return {name: own for name, own in settings.items() if own != type(own)()}


class Plan(Commented):
    """Engine, band and accuracy; what only one engine knows is in its ``settings``.

    A run solves in several ``rounds``, the last of which is as fine as the plan asks and the others
    coarser, so that its results come with their errors. In time the pulse covers ``pulse_start`` to
    ``pulse_stop``: the band unless given. Patterns are kept at ``pattern_frequencies``.
    """

    name: Name = "plan"
    engine: Annotated[str, Field(max_length=40)] = "auto"
    f_start: Frequency
    f_stop: Frequency
    points: Number = "101"
    spacing: Literal["linear", "logarithmic"] = "linear"
    rounds: Number = "3"
    pulse_start: Frequency | None = None
    pulse_stop: Frequency | None = None
    pattern_frequencies: Annotated[list[Frequency], Field(max_length=1000)] = []
    settings: Annotated[Any, Settings()] = {}


def _rebuild() -> None:
    Plan.model_rebuild(force=True)


changed.append(_rebuild)


class PlanKind(Kind):
    """A plan, whose sentence has a clause for the settings of every engine."""

    @property
    def language(self) -> Sentence:
        return _language(self, tuple(kinds("settings").values()))


@lru_cache(maxsize=8)
def _language(plan: Kind, settings: tuple[Kind, ...]) -> Sentence:
    base = Sentence.of(plan.sentence, plan.schema)
    clauses = tuple(
        within(kind.language.nodes, ("settings", kind.name), Words(f"; {kind.name} settings:"))
        for kind in settings
    )
    return replace(base, nodes=(*base.nodes, *clauses))


KIND = PlanKind(
    "plan",
    "plans",
    Plan,
    "Plan",
    "[ called {name}]¦{engine:engine} engine, from {f_start} to {f_stop}, {points} points"
    "[, {spacing} spacing][, patterns at <pattern_frequencies/and: {.}>][, {rounds} rounds]"
    "[, pulse from {pulse_start|the band\u2019s start} to {pulse_stop|the band\u2019s end}]",
    (Entry("Build", "Plan", {"name": "second plan", "f_start": "1 GHz", "f_stop": "2 GHz"}),),
    short=(
        Shorthand(
            "sweep",
            "2 to 3 GHz, 201 points",
            sentence="{f_start} to {f_stop}[, {points} points][, {spacing} spacing]",
            of_one_unit=("f_start", "f_stop"),
        ),
        Shorthand("engine", "auto", sentence="{engine:engine}"),
        Shorthand("rounds", "3", sentence="{rounds}"),
    ),
    members={"pattern_frequencies": "1 GHz"},
)
