"""The card as data: JSON in, JSON out, and the few ways in which it is changed."""

from __future__ import annotations

import json
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from tectogon.errors import BadValue, CardUnreadable
from tectogon.operations import OPERATIONS, operation_named
from tectogon.route.upgrade import VERSION, upgraded
from tectogon.workpiece.parameters import Params

MAX_STEPS = 500


class Step(BaseModel):
    """One step of a card: its number, its kind, its parameters, whether it is on, and the sheet that it works on (none
    named: the first)."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    number: int = Field(ge=1, le=1_000_000)
    kind: str = Field(max_length=40)
    params: dict[str, Any] = {}
    on: bool = True
    sheet: str = Field(default="", max_length=80)


class Card(BaseModel):
    """A route card. Steps stand in the order of their numbers; no number comes twice."""

    model_config = ConfigDict(extra="ignore", frozen=True)

    version: int = VERSION
    steps: tuple[Step, ...] = Field(default=(), max_length=MAX_STEPS)
    sources: dict[str, str] = {}
    """Names of the sources and the SHA-256 of their bytes."""

    @field_validator("steps")
    @classmethod
    def _in_order(cls, steps: tuple[Step, ...]) -> tuple[Step, ...]:
        ordered = tuple(sorted(steps, key=lambda s: s.number))
        if len({s.number for s in ordered}) != len(ordered):
            raise ValueError("two steps have the same number")
        return ordered

    def upto(self, number: int) -> Card:
        """The card as it was after the step of this number: the part at that moment."""
        return self.model_copy(update={"steps": tuple(s for s in self.steps if s.number <= number)})


def parse_card(text: str | bytes) -> Card:
    """A card from JSON. Raises CardUnreadable with the place in words."""
    try:
        data = json.loads(text)
    except (ValueError, RecursionError):
        raise CardUnreadable("The card is not JSON.") from None
    return card_from(data)


def card_from(data: Any) -> Card:
    """A card from plain data of any version. Raises CardUnreadable with the place in words."""
    if nested_deeper(data, MOST_NESTED):
        raise CardUnreadable(f"The card can't be read: its values lie more than {MOST_NESTED} deep in each other.")
    try:
        return Card.model_validate(upgraded(data) if isinstance(data, dict) else data)
    except ValidationError as problem:
        raise CardUnreadable(f"The card can't be read: {_first(problem)}.") from None


MOST_NESTED = 40
"""How deep values of a card may lie in each other; what an operation keeps is at most some ten."""


def nested_deeper(value: Any, most: int) -> bool:
    """Whether lists and objects lie more than `most` deep in each other."""
    layer = [value]
    for _ in range(most + 1):
        layer = [
            inner
            for one in layer
            if isinstance(one, (dict, list, tuple))
            for inner in (one.values() if isinstance(one, dict) else one)
        ]
        if not layer:
            return False
    return True


def params_of(step: Step) -> Params:
    """A step's parameters, checked. Raises CardUnreadable or BadValue naming the parameter."""
    kind = operation_named(step.kind)
    try:
        return kind.params.model_validate(step.params)
    except ValidationError as problem:
        raise BadValue(f"{OPERATIONS[step.kind].label}: {_first(problem)}.") from None


def params_but_for(step: Step) -> tuple[Params, tuple[str, ...]]:
    """A step's parameters, with those that can't be read as they are by default, and the names of these. Raises
    CardUnreadable for an operation that is not known, BadValue where none can be read."""
    kind, values = operation_named(step.kind), dict(step.params)
    refused: list[str] = []
    while True:
        try:
            return kind.params.model_validate(values), tuple(refused)
        except ValidationError as problem:
            fields = {str(error["loc"][0]) for error in problem.errors() if error["loc"]} & values.keys()
            if not fields:
                raise BadValue(f"{kind.label}: {_first(problem)}.") from None
            refused += sorted(fields)
            values = {name: value for name, value in values.items() if name not in fields}


def _first(problem: ValidationError) -> str:
    error = problem.errors()[0]
    where = " → ".join(str(part) for part in error["loc"] if not str(part).startswith("function"))
    message = str(error["msg"]).removeprefix("Value error, ").rstrip(".")
    return f"{where}: {message}" if where else message
