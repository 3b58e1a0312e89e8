"""What the server says outside of the pages, such as mail, in the language of the request. What goes to the pages they
read by the same catalogues themselves."""

from __future__ import annotations

from django.utils.translation import get_language
from tectogon import words


def language() -> str:
    """That of the request: en, de."""
    return (get_language() or "en").partition("-")[0]


def told(text: str, *values: object) -> str:
    """A text with values in it ({0}, {1}, …) in the language of the request; in English where it has no translation."""
    return words.told(text, language()).format(*values)
