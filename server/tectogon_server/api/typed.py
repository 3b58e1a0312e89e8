"""Figures as people type them ("3 1/2 in", "6 m"), read at the door by the core's own rules; what can't be read is
refused in the core's words."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from typing import Annotated, Any

from pydantic import BeforeValidator, StringConstraints, WithJsonSchema
from pydantic_core import PydanticCustomError
from tectogon.errors import BadValue
from tectogon.units import parse_length, parse_number, parse_sizes

REFUSED = "typed"
"""The type of error that carries a sentence of the core."""


def _typed(read: Callable[[Any], Any]) -> BeforeValidator:
    def validated(value: Any) -> Any:
        if isinstance(value, (int, float)) and not math.isfinite(value):
            raise PydanticCustomError(REFUSED, "A figure that is not finite can't be used.")
        try:
            return read(value)
        except BadValue as bad:
            raise PydanticCustomError(REFUSED, "{sentence}", {"sentence": bad.sentence}) from None

    return BeforeValidator(validated)


_NUMBER_OR_TEXT = WithJsonSchema({"anyOf": [{"type": "number"}, {"type": "string", "maxLength": 200}]})
_SIZES_OR_TEXT = WithJsonSchema({"anyOf": [{"type": "array", "items": {"type": "number"}}, {"type": "string"}]})

Millimetres = Annotated[float, _typed(parse_length), _NUMBER_OR_TEXT]
"""A length; a number alone is in mm."""
Plain = Annotated[float, _typed(parse_number), _NUMBER_OR_TEXT]
"""A number without a unit, or degrees."""
Sizes = Annotated[list[float], _typed(lambda v: list(parse_sizes(v)) if isinstance(v, str) else v), _SIZES_OR_TEXT]
"""Several lengths with × between them, in mm."""


def _numbers(text: Any) -> list[int]:
    """Whole numbers with commas between; what is none is left out."""
    return [int(part) for part in str(text).split(",") if re.fullmatch(r" *[0-9]{1,12} *", part, re.ASCII)]


Numbers = Annotated[list[int], BeforeValidator(_numbers), WithJsonSchema({"type": "string", "maxLength": 4000})]
"""Numbers of parts or sections, with commas between."""
RunId = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$")]
"""The id of a computation."""
