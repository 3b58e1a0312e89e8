"""JSON as it is meant: no numbers beyond all range, no half characters, nothing that a database can't keep."""

from __future__ import annotations

import json
import math
from typing import Any, NoReturn

from django.http import HttpRequest
from ninja.errors import HttpError
from ninja.parser import Parser
from tectogon.route.card import MOST_NESTED, nested_deeper


class StrictParser(Parser):
    """Refuses what would be changed without a word on its way into the database: 1e999, NaN, lone surrogates, NUL."""

    def parse_body(self, request: HttpRequest) -> Any:
        try:
            found = json.loads(request.body, parse_constant=_no_number, parse_float=_finite)
        except (ValueError, RecursionError):
            raise HttpError(400, "The request is not JSON.") from None
        if nested_deeper(found, MOST_NESTED):
            raise HttpError(422, f"The request can't be understood: values lie more than {MOST_NESTED} deep in it.")
        if fault := _fault(found):
            raise HttpError(422, f"The request can't be understood: {fault}")
        return found


def _no_number(text: str) -> NoReturn:
    raise HttpError(422, f"The request can't be understood: {text} is not a number that can be kept.")


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise HttpError(
            422, f"The request can't be understood: {text[:20]} is larger than any number that can be kept."
        )
    return value


def _fault(value: Any) -> str | None:
    """What is wrong with the texts in a value."""
    if isinstance(value, str):
        if "\0" in value:
            return "a text holds the character NUL."
        if any("\ud800" <= c <= "\udfff" for c in value):
            return "a text holds half a character (a lone surrogate)."
        return None
    if isinstance(value, dict):
        return next((f for pair in value.items() for part in pair if (f := _fault(part))), None)
    if isinstance(value, list):
        return next((f for part in value if (f := _fault(part))), None)
    if isinstance(value, int) and abs(value) > 2**63:
        return "a whole number is larger than any that can be kept."
    return None
